package sip

import (
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// bridge passes the answer to the caller and holds both sides together until
// one of them ends.
func (c *call) bridge(t *attempt) {
	callee := calleeDialog(t.tx, t.answer)
	caller := callerDialog(c.tx, c.tag)
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
	body, ok := c.answerCaller(t.answer, caller, callee)
	if lateOffer {
		acknowledge(body)
	}
	if !ok {
		return
	}
	c.hold(caller, callee)
}

// answerCaller sends the 200 until it is acknowledged (RFC 3261 section
// 13.3.1.4); the body is that of the ACK. Without an ACK the call ends.
func (c *call) answerCaller(answer *wire.Message, caller, callee *dialog) (body []byte, ok bool) {
	res := responseTo(c.tx.req, 200, c.tag)
	res.Add("Contact", "<"+uriTo("", c.a.Address)+">")
	res.Add("Allow", allowed)
	setDescription(res, answer.Body)
	c.tx.respond(res)
	wait := machine.T1
	again := time.NewTimer(millis(wait))
	defer again.Stop()
	giveUp := time.NewTimer(millis(machine.B))
	defer giveUp.Stop()
	for {
		select {
		case body = <-caller.acked:
			return body, true
		case reason := <-caller.ended: // a BYE may overtake its ACK
			c.release("the caller hung up")
			c.a.bye(callee, reason)
			return nil, false
		case reason := <-callee.ended:
			c.release("the called party hung up")
			c.a.bye(caller, reason)
			return nil, false
		case <-again.C:
			c.tx.respond(res)
			wait = min(2*wait, machine.T2)
			again.Reset(millis(wait))
		case <-giveUp.C:
			c.release("the caller never acknowledged the answer")
			c.a.bye(caller, reasonHeader(cause.TimerExpiry))
			c.a.bye(callee, reasonHeader(cause.TimerExpiry))
			return nil, false
		case <-c.a.ctx.Done():
			c.endBoth(caller, callee)
			return nil, false
		}
	}
}

// hold waits for the end of an answered call.
func (c *call) hold(caller, callee *dialog) {
	select {
	case reason := <-caller.ended:
		c.release("the caller hung up")
		c.a.bye(callee, reason)
	case reason := <-callee.ended:
		c.release("the called party hung up")
		c.a.bye(caller, reason)
	case <-c.a.ctx.Done():
		c.endBoth(caller, callee)
	}
}

func (c *call) endBoth(caller, callee *dialog) {
	c.release("the switch was stopped")
	c.a.bye(caller, reasonHeader(cause.TemporaryFailure))
	c.a.bye(callee, reasonHeader(cause.TemporaryFailure))
}

// release closes the record of an answered call.
func (c *call) release(how string) {
	c.rec.Ended = time.Now()
	c.rec.Release = how
	c.save()
}
