package sip

import (
	"switchback.example/switchback/internal/core/cause"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// bridge passes the answer to the caller and holds both sides together until
// one of them ends.
func (c *call) bridge(t *attempt) {
	callee := calleeDialog(t.tx, t.answer)
	caller := callerDialog(c.tx, c.tag)
	caller.hungUp, callee.hungUp = "the caller hung up", "the called party hung up"
	c.a.keepDialog(callee)
	c.a.keepDialog(caller)
	defer c.a.forgetDialog(callee)
	defer c.a.forgetDialog(caller)

	// Without an offer in the INVITE the caller's ACK carries the answer, and
	// the far end's ACK has to wait for it (RFC 3261 section 13.2.2.4).
	lateOffer := len(c.tx.req.Body) == 0
	acknowledge := func(body []byte) {
		again := c.a.ack(callee, body)
		t.tx.onSuccess(func(res *wire.Message) { t.other(callee, again, res) })
	}
	if !lateOffer {
		acknowledge(nil)
	}
	res := responseTo(c.tx.req, 200, c.tag)
	res.Add("Contact", c.a.contact(c.tx.source.by))
	res.Add("Allow", allowed)
	setDescription(res, t.answer.Body)
	body, end := c.answer(c.tx, res, caller, callee)
	if lateOffer {
		acknowledge(body)
	}
	if !c.finish(end, caller, callee) {
		c.hold(caller, callee)
	}
}

// hold waits for the end of an answered call, and carries what the sides say to
// each other meanwhile.
func (c *call) hold(caller, callee *dialog) {
	for {
		over := false
		select {
		case caller.reason = <-caller.ended:
			over = c.finish(caller.hungUp, caller, callee)
		case callee.reason = <-callee.ended:
			over = c.finish(callee.hungUp, caller, callee)
		case t := <-caller.requests:
			over = c.relay(t, caller, callee)
		case t := <-callee.requests:
			over = c.relay(t, callee, caller)
		case <-c.a.ctx.Done():
			over = c.finish(stopped, caller, callee)
		}
		if over {
			return
		}
	}
}

// stopped is how a call ends with its switch.
const stopped = "the switch was stopped"

// finish ends the sides that have not ended by themselves; it does nothing, and
// says so, if end is empty.
func (c *call) finish(end string, one, other *dialog) bool {
	switch end {
	case "":
		return false
	case one.hungUp:
		c.release(end)
		c.a.bye(other, one.reason)
	case other.hungUp:
		c.release(end)
		c.a.bye(one, other.reason)
	case stopped:
		c.endBoth(one, other)
	default:
		c.release(end)
		c.a.bye(one, reasonHeader(cause.TimerExpiry))
		c.a.bye(other, reasonHeader(cause.TimerExpiry))
	}
	return true
}

func (c *call) endBoth(one, other *dialog) {
	c.release(stopped)
	c.a.bye(one, reasonHeader(cause.TemporaryFailure))
	c.a.bye(other, reasonHeader(cause.TemporaryFailure))
}
