package standin

import (
	"context"
	"fmt"
	"time"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"
)

// press places a call whose digits are pressed one by one: each brings another INVITE of
// the same Call-ID and From tag with the number so far (RFC 3578 section 3).
func (s *StandIn) press(ctx context.Context, cancel context.CancelFunc, e *endpoint, p *placement, sound *audio) (callID string, err error) {
	base := s.invite(e, p.placed.Dial, sound)
	id := sip.CallIDHeader(sip.GenerateTagN(20))
	base.AppendHeader(&id)
	first, err := s.pressed(ctx, e, base, p.placed.Dial.Called[:1], 0)
	if err != nil {
		cancel()
		sound.close()
		return "", fmt.Errorf("%s could not send: %w", s.Name, err)
	}
	p.placed.ID = first.InviteRequest.CallID().Value()
	p.event("pressed %s", p.placed.Dial.Called[:1])
	s.remember(p)
	s.sounds.keep(p.placed.ID, sound)
	go func() {
		defer cancel()
		defer sound.close()
		defer p.set(func(v *Placed) { v.Over, v.OverAt = true, time.Now() })
		s.pressOn(ctx, e, p, base, first, sound)
	}()
	return p.placed.ID, nil
}

// pressed sends the number so far.
func (s *StandIn) pressed(ctx context.Context, e *endpoint, base *sip.Request, so string, at int) (*sipgo.DialogClientSession, error) {
	req := base.Clone()
	req.Recipient.User = escape(so)
	// Room for the INVITE that answers a challenge.
	req.AppendHeader(&sip.CSeqHeader{SeqNo: uint32(1 + 10*at), MethodName: sip.INVITE})
	return e.dialed.WriteInvite(ctx, req)
}

// outcome is what came of one INVITE.
type outcome struct {
	session  *sipgo.DialogClientSession
	answered bool
	status   int
}

// pressOn presses the other keys, until the switch has taken the call.
func (s *StandIn) pressOn(ctx context.Context, e *endpoint, p *placement, base *sip.Request, session *sipgo.DialogClientSession, sound *audio) {
	keys := p.placed.Dial.Called
	for at := 1; ; at++ {
		over := make(chan outcome, 1)
		go func(session *sipgo.DialogClientSession) {
			answered, status := s.await(ctx, p, session, sound)
			over <- outcome{session, answered, status}
		}(session)
		var next <-chan time.Time
		if at < len(keys) {
			next = time.After(p.placed.Dial.OneByOne)
		}
		select {
		case o := <-over:
			switch {
			case o.answered:
				s.answered(ctx, e, p, o.session)
				return
			case o.status != 484 || at >= len(keys):
				p.set(func(v *Placed) { v.Status = o.status })
				return
			}
		case <-next:
		}
		var err error
		if session, err = s.pressed(ctx, e, base, keys[:at+1], at); err != nil {
			p.event("could not send: %s", err)
			p.set(func(v *Placed) { v.Status = 408 })
			return
		}
		p.event("pressed %s", keys[at:at+1])
	}
}
