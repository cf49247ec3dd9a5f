package sip

import (
	"fmt"
	"time"

	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	relay "switchback.example/switchback/internal/live/media"
)

// A call that rings and is picked up elsewhere: an INVITE whose Replaces names an early
// dialog that we began (RFC 3891 section 3). It is the answer to the attempt that rings,
// which is cancelled.

// pickUp is who answers in the place of the one that rings.
type pickUp struct {
	c     *call
	tx    *inbound
	trunk *plan.Trunk
	// d is its dialog once it is taken, and answer what of the caller's description
	// answers its own.
	d      *dialog
	answer []byte
}

// completedElsewhere is the Reason that lets a phone show no missed call (RFC 3326).
const completedElsewhere = `SIP;cause=200;text="Call completed elsewhere"`

// pickUpPatience is how long a pick-up waits for the call that it is for; a call that
// rings takes it at once.
const pickUpPatience = time.Second

// pickUp hands it to the call; false if that does not ring any more.
func (c *call) pickUp(p *pickUp) bool {
	select {
	case c.pickUps <- p:
		return true
	case <-time.After(pickUpPatience):
		return false
	}
}

func (p *pickUp) refuse(status int, why string) {
	tag := newID()
	if p.d != nil {
		tag = p.d.key.localTag
	}
	p.tx.reply(status, tag, [2]string{"Warning", fmt.Sprintf("399 switchback %q", why)})
}

// pickedUp makes a pick-up the answer to an attempt, on the call's goroutine; false if
// its description cannot be taken, and the call rings on.
func (c *call) pickedUp(t *attempt, p *pickUp) bool {
	s, offered := c.sound.Load(), c.tx.req.Body
	answer := responseTo(t.invite, 200, newID())
	of, theirs, err := media.Meet(offered, p.tx.req.Body)
	if err == nil {
		setDescription(answer, theirs)
		_, _, err = s.begin(relay.Called, p.trunk, p.tx.source.Addr(), offered)
	}
	if err == nil {
		err = s.answerFits(relay.Called, answer)
	}
	if err != nil {
		p.refuse(488, err.Error())
		_, _, _ = s.begin(relay.Called, t.trunk, t.to.hop.Addr(), offered) // as it was, which went before
		return false
	}
	rings := *t
	rings.reason = completedElsewhere
	rings.abandon()
	p.answer = of
	p.d = c.callerDialog(p.tx, p.trunk, newID())
	p.d.moveTo(c, relay.Called)
	p.d.hungUp = "the party that picked the call up hung up"
	t.picked, t.answer = p, answer
	c.callee = p.d
	return true
}

// accept answers the pick-up: with the answer to the description that it came with.
// body is the caller's late one; empty where the caller's own offer answers.
func (p *pickUp) accept(body []byte) {
	c := p.c
	var err error
	if len(body) == 0 {
		body, err = c.sound.Load().describe(relay.Called, p.answer, true)
	}
	if err != nil { // it was seen to fit before
		c.fault(fmt.Sprintf("who picked up cannot be connected: %s", err))
	}
	res := c.accepted(p.tx, p.d, nil)
	setDescription(res, body)
	p.d.described(body)
	go c.answer(p.tx, res, p.d)
}

// bridged keeps in the record who picked up, once both sides are connected.
func (p *pickUp) bridged() {
	c := p.c
	c.noteReplaced(p.tx, trail.HowPickedUp, p.trunk, c.trunk)
	c.legs[relay.Called] = len(c.rec.Legs) - 1
	c.a.Trunks.CameIn(p.trunk.ID, time.Now())
	c.save()
}
