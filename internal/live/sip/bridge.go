package sip

import (
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/plan"
	relay "switchback.example/switchback/internal/live/media"
)

// bridge passes the answer to the caller and holds both sides together until
// one of them ends.
func (c *call) bridge(t *attempt) {
	callee := t.dialogOf(t.answer)
	c.callee = callee
	c.join(callee, t.answer)
	c.a.keepDialog(callee)
	c.a.keepDialog(c.caller)
	defer func() { // those that it has by then
		c.a.forgetDialog(c.callee)
		c.a.forgetDialog(c.caller)
	}()
	callee.on(machine.Answer)
	c.caller.on(machine.Answer)

	t.answered(callee)
	// Without an offer in the INVITE the caller's ACK carries the answer, and
	// the far end's ACK has to wait for it (RFC 3261 section 13.2.2.4).
	late := len(c.tx.req.Body) == 0
	res := c.accepted(c.tx, c.caller, t.answer)
	if !late {
		callee.acknowledge(nil)
	}
	go func() {
		if body, ok := c.answer(c.tx, res, c.caller); ok && late {
			callee.acknowledge(c.late(relay.Called, body))
		}
	}()
	if t.picked != nil {
		t.picked.bridged()
	}
	c.hold()
}

// answered notes how the 2xx is acknowledged, and what it says.
func (t *attempt) answered(callee *dialog) {
	if t.picked != nil {
		callee.answeredBy(t.picked.accept)
		return
	}
	callee.learn(t.answer)
	callee.answeredBy(func(body []byte) { t.meetOthers(callee, callee.ack(t.invite, body)) })
	callee.heardSession(t.answer, t.session)
}

// late is what a side is given of the other's answer to its own late offer.
func (c *call) late(toward relay.Side, body []byte) []byte {
	out, err := c.sound.Load().describe(toward, body, true)
	if err != nil {
		return body // it is past refusing
	}
	return out
}

// hold waits for the end of an answered call, and carries what the sides say to
// each other meanwhile.
func (c *call) hold() {
	longest := time.NewTimer(time.Duration(c.longest()) * c.a.Second)
	defer longest.Stop()
	for !c.finished {
		select {
		case g := <-c.ended:
			c.leaves(g)
		case do := <-c.todo:
			do()
		case q := <-c.requests:
			c.onAsked(q)
		case <-c.progress.due():
			c.progress.waiting = nil // the answer says all that it said
		case d := <-c.ticks:
			c.tick(d)
		case why := <-c.faults:
			c.finish(why, reasonHeader(cause.TimerExpiry))
		case <-longest.C:
			c.finish("it lasted as long as a call may", reasonHeader(cause.TimerExpiry))
		case <-c.a.ctx.Done():
			c.finish(stopped, reasonHeader(cause.TemporaryFailure))
		}
	}
}

// leaves is a side that hung up. One that sent the call on, or in whose place another
// has come, may: the call goes on without it.
func (c *call) leaves(g goodbye) {
	switch {
	case c.transfer != nil && g.d == c.transfer.by:
		c.transfer.left = true
	case g.d == c.caller || g.d == c.callee:
		c.finish(g.d.hungUp, g.reason)
	}
}

// longest is how long the call may last, in seconds: what the stricter of its
// trunks allows.
func (c *call) longest() int {
	of := func(t *plan.Trunk) int {
		if t.LongestCall == 0 {
			return plan.DefaultLongestCall
		}
		return t.LongestCall
	}
	return min(of(c.trunk), of(c.out))
}

// stopped is how a call ends with its switch.
const stopped = "the switch was stopped"

// finish ends the sides that have not ended by themselves.
func (c *call) finish(how, reason string) { c.finishBut(nil, how, reason) }

// finishBut is finish for a call of which one side goes on elsewhere.
func (c *call) finishBut(kept *dialog, how, reason string) {
	c.finished = true
	close(c.over)
	if c.transfer != nil {
		c.transfer.giveUp()
	}
	c.relays.Wait() // what was asked is answered before the BYE
	c.release(how)
	for _, d := range []*dialog{c.caller, c.callee} {
		if d != kept {
			d.end(reason)
		}
	}
}
