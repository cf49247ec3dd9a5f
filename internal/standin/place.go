package standin

import (
	"context"
	"errors"
	"fmt"
	"net"
	"strconv"
	"sync"
	"time"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"
)

// Dial is a call that a stand-in shall place.
type Dial struct {
	Called string
	Caller string // number or text; empty for none
	// Talk is how long an answered call is held, at most MaxTalk.
	Talk time.Duration
	// OneByOne sends each digit as it is pressed, this long after the one before, by
	// RFC 3578; 0 sends the number whole.
	OneByOne time.Duration
}

// Limits of placed calls.
const (
	MaxTalk  = 60 * time.Second
	maxRing  = 90 * time.Second // the caller gives up then
	maxKept  = 500              // placements that are remembered
	giveUpOn = 5 * time.Second  // how long a BYE or CANCEL is pursued
)

// ErrStopped says that the stand-in is not running: nothing was sent.
var ErrStopped = errors.New("is stopped, so no call can leave it; start it first")

// Event is one thing that the calling stand-in saw.
type Event struct {
	Millis int64  `json:"millis"`
	What   string `json:"what"`
}

// Placed is a placed call as the calling stand-in sees it.
type Placed struct {
	ID     string // its Call-ID
	Dial   Dial
	At     time.Time
	Events []Event
	Status int // final status; 0 while none came
	Over   bool
	OverAt time.Time
}

type placement struct {
	mu     sync.Mutex
	placed Placed
	hangUp context.CancelFunc
}

func (p *placement) event(format string, args ...any) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.placed.Events = append(p.placed.Events, Event{time.Since(p.placed.At).Milliseconds(), fmt.Sprintf(format, args...)})
}

func (p *placement) set(change func(*Placed)) {
	p.mu.Lock()
	defer p.mu.Unlock()
	change(&p.placed)
}

// Place sends an INVITE to the switch and returns its Call-ID at once; the
// call then runs by itself. ErrStopped if the stand-in is not running.
func (s *StandIn) Place(d Dial) (callID string, err error) {
	e := s.caller()
	if e == nil {
		return "", fmt.Errorf("%s %w", s.Name, ErrStopped)
	}
	ctx, cancel := context.WithTimeout(e.ctx, maxRing)
	p := &placement{placed: Placed{Dial: d, At: time.Now()}, hangUp: cancel}
	sound, err := newAudio(e.address.Addr(), callerTone, calledTone, s.encrypts())
	if err != nil {
		cancel()
		return "", fmt.Errorf("%s: %w", s.Name, err)
	}
	if d.OneByOne > 0 && d.Called != "" {
		return s.press(ctx, cancel, e, p, sound)
	}
	session, err := e.dialed.WriteInvite(ctx, s.invite(e, d, sound))
	if err != nil {
		cancel()
		sound.close()
		return "", fmt.Errorf("%s could not send: %w", s.Name, err)
	}
	p.placed.ID = session.InviteRequest.CallID().Value()
	p.event("INVITE sent")
	s.remember(p)
	s.sounds.keep(p.placed.ID, sound)
	go func() {
		defer cancel()
		defer sound.close()
		s.follow(ctx, e, p, session, sound)
	}()
	return p.placed.ID, nil
}

func (s *StandIn) invite(e *endpoint, d Dial, sound *audio) *sip.Request {
	host, port, _ := net.SplitHostPort(s.Switch)
	n, _ := strconv.Atoi(port)
	req := sip.NewRequest(sip.INVITE, sip.Uri{Scheme: "sip", User: escape(d.Called), Host: host, Port: n})
	from := sip.FromHeader{Address: sip.Uri{Scheme: "sip", User: escape(d.Caller), Host: e.address.Addr().String()}, Params: sip.NewParams()}
	from.Params.Add("tag", sip.GenerateTagN(12))
	req.AppendHeader(&from)
	if e.secure {
		req.SetTransport("TLS")
	}
	req.AppendHeader(sip.NewHeader("Content-Type", "application/sdp"))
	req.SetBody(s.description(e, sound))
	return req
}

// escape writes symbols that may not stand in the user part of a URI.
func escape(s string) string {
	out := ""
	for i := range len(s) {
		if c := s[i]; c == '#' || c == '%' || c == ' ' || c == '@' || c < ' ' || c > '~' {
			out += fmt.Sprintf("%%%02X", c)
		} else {
			out += string(c)
		}
	}
	return out
}

// follow waits for the end of a placed call.
func (s *StandIn) follow(ctx context.Context, e *endpoint, p *placement, session *sipgo.DialogClientSession, sound *audio) {
	defer p.set(func(v *Placed) { v.Over, v.OverAt = true, time.Now() })
	if answered, status := s.await(ctx, p, session, sound); answered {
		s.answered(ctx, e, p, session)
	} else {
		p.set(func(v *Placed) { v.Status = status })
	}
}

// await waits for the final answer to an INVITE.
func (s *StandIn) await(ctx context.Context, p *placement, session *sipgo.DialogClientSession, sound *audio) (answered bool, status int) {
	further := false
	options := sipgo.AnswerOptions{OnResponse: func(res *sip.Response) error {
		// Of two datagrams that come at once the second may be told first; a 100 has nothing
		// to say by then.
		if res.StatusCode != sip.StatusTrying || !further {
			p.event("%d %s", res.StatusCode, res.Reason)
		}
		further = further || res.StatusCode != sip.StatusTrying
		if body := res.Body(); len(body) > 0 {
			sound.send(body)
		}
		return nil
	}}
	if s.Registers != nil {
		options.Username, options.Password = s.Registers.User, s.Registers.Secret
	}
	err := session.WaitAnswer(ctx, options)
	var failed *sipgo.ErrDialogResponse
	switch {
	case errors.As(err, &failed):
		session.Close()
		return false, failed.Res.StatusCode
	case ctx.Err() != nil:
		p.event("canceled")
		session.Close()
		return false, 487
	case err != nil:
		p.event("no answer from the switch")
		session.Close()
		return false, 408
	}
	return true, 200
}

// answered takes an answered call to its end.
func (s *StandIn) answered(ctx context.Context, e *endpoint, p *placement, session *sipgo.DialogClientSession) {
	defer session.Close()
	p.set(func(v *Placed) { v.Status = 200 })
	if err := session.Ack(ctx); err != nil {
		p.event("could not acknowledge: %s", err)
	}
	s.talk(e, p, session)
}

func (s *StandIn) talk(e *endpoint, p *placement, session *sipgo.DialogClientSession) {
	talk, cancel := context.WithTimeout(e.ctx, min(max(p.placed.Dial.Talk, time.Millisecond), MaxTalk))
	defer cancel()
	p.set(func(v *Placed) { p.hangUp = cancel })
	select {
	case <-session.Context().Done():
		p.event("the other side hung up")
		return
	case <-talk.Done():
	}
	bye, cancelBye := context.WithTimeout(context.WithoutCancel(e.ctx), giveUpOn)
	defer cancelBye()
	if err := session.Bye(bye); err != nil {
		p.event("no answer to BYE")
		return
	}
	p.event("hung up")
}

func (s *StandIn) remember(p *placement) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.placed[p.placed.ID] = p
	s.order = append(s.order, p.placed.ID)
	if len(s.order) > maxKept {
		delete(s.placed, s.order[0])
		s.order = s.order[1:]
	}
}

// Placed returns a placed call; ok is false for one that is not known.
func (s *StandIn) Placed(callID string) (v Placed, ok bool) {
	s.mu.Lock()
	p := s.placed[callID]
	s.mu.Unlock()
	if p == nil {
		return Placed{}, false
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	v = p.placed
	v.Events = append([]Event(nil), v.Events...)
	return v, true
}

// HangUp ends a placed call, answered or not.
func (s *StandIn) HangUp(callID string) {
	s.mu.Lock()
	p := s.placed[callID]
	s.mu.Unlock()
	if p != nil {
		p.mu.Lock()
		hangUp := p.hangUp
		p.mu.Unlock()
		hangUp()
	}
}
