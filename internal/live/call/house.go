package call

import (
	"context"
	"fmt"
	"net"
	"sync/atomic"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/trail"
)

// Legs that the switch itself is: a tone that answers who dialled a code, and the near end of a
// test call, which plays a tone and listens. They are legs like others, so that the call knows
// no difference.

// tone answers a call, plays beeps and hangs up. A caller who cannot hear them is refused with
// cause 16, and what the code says is done all the same.
type tone struct {
	h      *Handle
	conn   *net.UDPConn
	answer toneAnswer
	beeps  [][2]int
	ctx    context.Context
	quiet  context.CancelFunc
}

// newTone does what a dialled code says of a calendar, and answers the caller's offer.
func (c *Call) newTone(h *Handle, offer *media.Session) Leg {
	set := c.choice.own
	c.choice = choice{}
	c.setHours(*set)
	t := &tone{h: h, beeps: beepsSet}
	if set.State == "" {
		t.beeps = beepsBack
	}
	t.ctx, t.quiet = context.WithCancel(context.Background())
	refuse := func() {
		h.Tell(core.Event{Kind: core.Released, Cause: cause.Said{Q850: cause.NormalClearing, SIP: 480}})
	}
	conn, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.ParseIP(c.ctl.hostOf(c.run))})
	if err != nil {
		refuse()
		return t
	}
	t.conn = conn
	var ok bool
	if t.answer, ok = answerWithTone(offer.Description(), conn.LocalAddr().(*net.UDPAddr).AddrPort()); !ok { //nolint:forcetypeassert // ListenUDP
		conn.Close()
		refuse()
		return t
	}
	c.rec.Answered = time.Now()
	h.Tell(core.Event{Kind: core.Answered, Media: media.ReadSession(t.answer.body)})
	return t
}

// setHours puts a calendar in the state that a code says.
func (c *Call) setHours(set trail.CalendarSet) {
	now := time.Now()
	o := standing.Override{Hours: set.Calendar.ID, State: set.State, Since: now, By: c.whoCalled(), Why: "dialled " + c.in.Dialled}
	if set.Minutes > 0 {
		o.Until = now.Add(time.Duration(set.Minutes) * time.Minute)
	}
	c.ctl.Overrides.Set(o)
}

// whoCalled names who called: the number, and by which trunk.
func (c *Call) whoCalled() string {
	who := c.in.Call.Caller.String()
	if who == "" {
		who = "a phone"
	}
	return who + " by " + c.in.Trunk.Name
}

// Do implements Leg.
func (t *tone) Do(a core.OfLeg) {
	switch a := a.(type) {
	case core.Confirm:
		if a.Ask == 0 && a.Number == 0 {
			go func() {
				playTone(t.ctx, t.conn, t.answer, t.beeps)
				t.h.Post(func() {
					t.quiet()
					t.conn.Close()
					t.h.Tell(core.Event{Kind: core.Released, Cause: cause.Said{Q850: cause.NormalClearing}, How: "the switch had said its tone"})
				})
			}()
		}
	case core.Release:
		t.quiet()
	case core.Ask:
		t.h.Tell(core.Event{Kind: core.Replied, Ask: a.Ask, Verdict: core.Refused, Cause: cause.Said{SIP: 488}}) // it is over before a change would matter
	}
}

// listener is the near end of a test call: it plays a tone from the answer on, hears what comes,
// and hangs up a while later.
type listener struct {
	h      *Handle
	ear    *ear
	talk   time.Duration
	timer  *time.Timer
	ctx    context.Context
	quiet  context.CancelFunc
	played <-chan string
	over   atomic.Bool
}

// Do implements Leg.
func (l *listener) Do(a core.OfLeg) {
	switch a := a.(type) {
	case core.Answer:
		l.played = l.ear.play(l.ctx, a.Media.Description())
		l.timer = time.AfterFunc(l.talk, func() { l.h.Post(func() { l.hangUp("the test was over") }) })
	case core.Release:
		l.end()
	case core.Ask:
		l.h.Tell(core.Event{Kind: core.Replied, Ask: a.Ask, Verdict: core.Refused, Cause: cause.Said{SIP: 488}}) // it is over before a change would matter
	}
}

// hangUp ends the call from this side.
func (l *listener) hangUp(how core.How) {
	if !l.over.Load() {
		l.end()
		l.h.Tell(core.Event{Kind: core.Released, Cause: cause.Said{Q850: cause.NormalClearing}, How: how})
	}
}

func (l *listener) end() {
	l.over.Store(true)
	if l.timer != nil {
		l.timer.Stop()
	}
	l.quiet()
	l.ear.close()
}

// told is what was heard and played, behind how the call ended.
func (l *listener) told() string {
	l.quiet()
	played := ""
	if l.played != nil {
		played = "; " + <-l.played
	}
	return fmt.Sprintf("; %s%s", l.ear.heard(), played)
}
