package sip

import (
	"time"

	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// Requests within a dialog that are carried over to the other side: a new
// description (RFC 3261 section 14, RFC 3311) and what is sent beside the call
// (RFC 6086). Each side has its own dialog, so that numbers, names and routes
// never mix.

// carried are the methods that relay carries.
var carried = map[string]bool{"INVITE": true, "UPDATE": true, "INFO": true}

// within gives a request of a dialog to its call; without one it is told so.
func (a *Agent) within(t *serverTx) {
	d := a.findDialog(t.req)
	if d == nil {
		t.reply(481, "")
		return
	}
	select {
	case d.requests <- t:
	default: // more at one time than anybody sends
		t.reply(500, "", [2]string{"Retry-After", "2"})
	}
}

// relay carries a request of the near side to the far side and its answer back.
// over is true if the call ended meanwhile.
func (c *call) relay(t *serverTx, near, far *dialog) (over bool) {
	tx := c.forward(t, near, far)
	cancelled := t.gone
	for {
		select {
		case <-tx.heard.ready:
			for res, ended := tx.heard.take(); res != nil || ended; res, ended = tx.heard.take() {
				if ended {
					t.reply(408, near.key.localTag)
					return false
				}
				if res.Status >= 200 {
					return c.relayFinal(t, tx, res, near, far)
				}
				if t.req.Method == "INVITE" && res.Status > 100 {
					t.respond(c.passed(t, res, near))
				}
			}
		case <-cancelled:
			cancelled = nil
			c.a.cancelInvite(tx)
		case other := <-near.requests:
			other.reply(491, near.key.localTag)
		case other := <-far.requests: // both want to change the session at once (section 14.2)
			other.reply(491, far.key.localTag)
		case near.reason = <-near.ended:
			t.reply(487, near.key.localTag)
			return c.finish(near.hungUp, near, far)
		case far.reason = <-far.ended:
			t.reply(487, near.key.localTag)
			return c.finish(far.hungUp, near, far)
		case <-c.a.ctx.Done():
			t.reply(503, near.key.localTag)
			return c.finish(stopped, near, far)
		}
	}
}

// forward sends the request on the far side.
func (c *call) forward(t *serverTx, near, far *dialog) *clientTx {
	if t.req.Method == "INVITE" {
		t.reply(100, "")
	}
	near.refresh(t.req)
	req, to := far.request(t.req.Method)
	req.Add("Contact", c.a.contact(to.by))
	req.Add("Allow", allowed)
	c.copyBody(req, t.req)
	return c.a.layer.begin(req, to)
}

// copyBody passes a body on as it is, with its type.
func (c *call) copyBody(to, from *wire.Message) {
	kind := from.Get("Content-Type")
	if kind == "" {
		kind = "application/sdp"
	}
	to.SetBody(kind, from.Body)
}

// passed is the far side's response in the near side's dialog.
func (c *call) passed(t *serverTx, res *wire.Message, near *dialog) *wire.Message {
	out := responseTo(t.req, res.Status, near.key.localTag)
	out.Reason = res.Reason
	if res.Status < 300 {
		out.Add("Contact", c.a.contact(t.source.by))
		out.Add("Allow", allowed)
	}
	for _, name := range []string{"Reason", "Warning", "Retry-After"} {
		if v := res.Get(name); v != "" {
			out.Add(name, v)
		}
	}
	c.copyBody(out, res)
	return out
}

// relayFinal passes the final answer back. An answered INVITE is acknowledged on
// each side for itself: at once where the offer went with the request, with the
// near side's ACK where its answer is in there (section 13.2.2.4).
func (c *call) relayFinal(t *serverTx, tx *clientTx, res *wire.Message, near, far *dialog) (over bool) {
	out := c.passed(t, res, near)
	if t.req.Method != "INVITE" || res.Status >= 300 {
		if res.Status < 300 {
			far.refresh(res)
		}
		t.respond(out)
		return false
	}
	far.refresh(res)
	acknowledge := func(body []byte) {
		again := c.a.ack(far, body)
		tx.onSuccess(func(*wire.Message) { again() })
	}
	late := len(t.req.Body) == 0
	if !late {
		acknowledge(nil)
	}
	body, end := c.answer(t, out, near, far)
	if late {
		acknowledge(body)
	}
	return c.finish(end, near, far)
}

// neverAcked is how a call ends whose answer is never acknowledged.
const neverAcked = "the answer was never acknowledged"

// answer sends a 2xx to an INVITE until it is acknowledged (section 13.3.1.4);
// the body is that of the ACK. end says how the call ended instead; empty if it
// goes on.
func (c *call) answer(t *serverTx, res *wire.Message, near, far *dialog) (body []byte, end string) {
	select {
	case <-near.acked: // of an answer before this one
	default:
	}
	t.respond(res)
	wait := machine.T1
	again := time.NewTimer(millis(wait))
	defer again.Stop()
	giveUp := time.NewTimer(millis(machine.B))
	defer giveUp.Stop()
	for {
		select {
		case body = <-near.acked:
			return body, ""
		case near.reason = <-near.ended: // a BYE may overtake its ACK
			return nil, near.hungUp
		case far.reason = <-far.ended:
			return nil, far.hungUp
		case <-again.C:
			t.respond(res)
			wait = min(2*wait, machine.T2)
			again.Reset(millis(wait))
		case <-giveUp.C:
			return nil, neverAcked
		case <-c.a.ctx.Done():
			return nil, stopped
		}
	}
}
