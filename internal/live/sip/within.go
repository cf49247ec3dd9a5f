package sip

import (
	"sync"
	"time"

	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
	relay "switchback.example/switchback/internal/live/media"
)

// Requests within a dialog: a new description (RFC 3261 section 14, RFC 3311) and
// what is sent beside the call (RFC 6086) are carried over to the other side;
// what concerns one side alone is answered here. Each side has its own dialog, so
// that numbers, names and routes never mix.

// carried are the methods that a dialog takes.
var carried = map[string]bool{"INVITE": true, "UPDATE": true, "INFO": true, "PRACK": true, "REFER": true}

// asked is a request within a dialog of a call.
type asked struct {
	d *dialog
	t *inbound
}

// goodbye is the BYE of a far end.
type goodbye struct {
	d      *dialog
	reason string
}

// changes tells whether a request wants another description.
func changes(req *wire.Message) bool {
	return req.Method == "INVITE" || req.Method == "UPDATE" && len(req.Body) > 0
}

// within gives a request of a dialog to its call; without one it is told so. It
// runs on the reading goroutine, so that the dialog sees what comes in order.
func (a *Agent) within(t *inbound) {
	d := a.findDialog(t.req)
	switch {
	case d == nil:
		t.reply(481, "")
		return
	case !d.inOrder(t.req):
		t.reply(500, d.key.localTag)
		return
	}
	if t.refusesBody(d.key.localTag) {
		return
	}
	if _, tooSmall := machine.AnswerSession(readSession(t.req), 0); tooSmall {
		t.reply(422, d.key.localTag, [2]string{"Min-SE", itoa(machine.MinSession)})
		return
	}
	if changes(t.req) && !d.mayChange(t) {
		return
	}
	of, _ := d.place()
	select {
	case of.requests <- asked{d, t}:
	default: // more at one time than anybody sends
		t.reply(500, d.key.localTag, retrySoon)
	}
}

var retrySoon = [2]string{"Retry-After", "2"}

// mayChange refuses a new description that comes at the wrong time.
func (d *dialog) mayChange(t *inbound) bool {
	if t.req.Method == "INVITE" && d.isEarly() {
		t.reply(500, d.key.localTag, retrySoon) // the first INVITE is not answered (section 14.2)
		return false
	}
	switch d.on(machine.TheyAsk) {
	case machine.Take:
		return true
	case machine.RefusePending:
		t.reply(491, d.key.localTag)
	case machine.RefuseSoon:
		t.reply(500, d.key.localTag, retrySoon)
	default:
		t.reply(481, d.key.localTag)
	}
	return false
}

func (d *dialog) isEarly() bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.machine.State <= machine.EarlyWeAsked
}

// onAsked takes a request within one of the call's dialogs, on the call's
// goroutine.
func (c *call) onAsked(q asked) {
	far := c.caller
	if q.d == c.caller {
		far = c.callee
	} else if side(q.d) == relay.Caller {
		far = nil // another has come in its place
	}
	q.d.learn(q.t.req)
	switch {
	case q.t.req.Method == "PRACK" && q.d == c.caller:
		c.onPrack(q.t)
	case q.t.req.Method == "PRACK":
		q.t.reply(481, q.d.key.localTag)
	case q.t.req.Method == "UPDATE" && !changes(q.t.req): // keeps the session alive, and nothing else
		q.t.respond(c.accepted(q.t, q.d, nil))
	case q.t.req.Method == "REFER":
		c.onRefer(q)
	case far == nil:
		q.d.on(machine.Done)
		q.t.reply(500, q.d.key.localTag, retrySoon)
	default:
		c.relays.Go(func() { c.relay(q.t, q.d, far) })
	}
}

// side is on which side of its call a dialog is.
func side(d *dialog) relay.Side {
	_, s := d.place()
	return s
}

// relay carries a request of the near side to the far side and its answer back.
func (c *call) relay(t *inbound, near, far *dialog) {
	// A side is free again before it hears so: it may ask for the next change at
	// once.
	freeNear, freeFar := func() {}, func() {}
	if changes(t.req) {
		freeNear = sync.OnceFunc(func() { near.on(machine.Done) })
		if far.on(machine.WeAsk) != machine.Take { // both want to change the session at once
			freeNear()
			t.reply(491, near.key.localTag)
			return
		}
		freeFar = sync.OnceFunc(func() { far.on(machine.Done) })
	}
	tx, wanted, err := c.forward(t, far)
	if err != nil {
		freeFar()
		freeNear()
		t.reply(488, near.key.localTag, [2]string{"Warning", `304 switchback "` + err.Error() + `"`}) // RFC 3261 section 20.43
		return
	}
	cancelled := t.gone
	for {
		select {
		case <-tx.heard.ready:
			for res, ended := tx.heard.take(); res != nil || ended; res, ended = tx.heard.take() {
				if ended {
					freeFar()
					freeNear()
					t.reply(408, near.key.localTag)
					return
				}
				if again := c.reprove(far, tx, res); again != nil {
					tx = again
					break
				}
				if res.Status >= 200 {
					freeFar()
					if t.req.Method != "INVITE" || res.Status >= 300 {
						freeNear() // else its ACK does
					}
					c.relayFinal(t, tx, res, near, far, wanted)
					return
				}
				if t.req.Method == "INVITE" && res.Status > 100 {
					t.respond(c.passed(t, res, near))
				}
			}
		case <-cancelled:
			cancelled = nil
			c.a.cancelInvite(tx, "")
		case <-c.over:
			t.reply(487, near.key.localTag)
			return
		}
	}
}

// forward sends the request on the far side; wanted is the session timer that it
// asks for. An error says why its description cannot be passed on.
func (c *call) forward(t *inbound, far *dialog) (tx *outbound, wanted int, err error) {
	kind, body, err := c.sound.Load().bodyFor(side(far), t.req, false)
	if err != nil {
		return nil, 0, err
	}
	if t.req.Method == "INVITE" {
		t.reply(100, "")
	}
	req, to := far.request(t.req.Method)
	req.Add("Contact", c.a.contact(far.trunk, to.by))
	req.Add("Allow", allowedOn(far.trunk))
	req.Add("Supported", supportedOn(far.trunk))
	if changes(t.req) && !far.isEarly() {
		wanted = sessionWanted(far.trunk.SIP)
		askSession(req, wanted, "")
	}
	req.SetBody(kind, body)
	if changes(t.req) && len(body) > 0 {
		far.described(body)
	}
	return c.a.layer.begin(req, to), wanted, nil
}

// reprove sends a request once more where the far side wants a credential with it;
// nil if that is not what it says.
func (c *call) reprove(far *dialog, tx *outbound, res *wire.Message) *outbound {
	if res.Status != 401 && res.Status != 407 {
		return nil
	}
	return far.reprove(tx, res)
}

// described notes the description that the far end has of the other side.
func (d *dialog) described(body []byte) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.said = body
}

// accepted is the 2xx to a request within a dialog, with the session that it
// keeps alive.
func (c *call) accepted(t *inbound, near *dialog, from *wire.Message) *wire.Message {
	out := responseTo(t.req, 200, near.key.localTag)
	out.Add("Contact", c.a.contact(near.trunk, t.source.by))
	out.Add("Allow", allowedOn(near.trunk))
	out.Add("Supported", supportedOn(near.trunk))
	out.Add("Session-ID", near.names().String())
	if t.req.Method != "INFO" && !near.isEarly() {
		near.answerSession(t, out)
	}
	if from == nil {
		out.SetBody("", nil)
		return out
	}
	out.Status, out.Reason = from.Status, from.Reason
	c.give(out, side(near), from, len(t.req.Body) > 0)
	if t.req.Method != "INFO" && len(out.Body) > 0 {
		near.described(out.Body)
	}
	return out
}

// passed is the far side's response in the near side's dialog.
func (c *call) passed(t *inbound, res *wire.Message, near *dialog) *wire.Message {
	if res.Status >= 200 && res.Status < 300 {
		return c.accepted(t, near, res)
	}
	out := responseTo(t.req, res.Status, near.key.localTag)
	out.Reason = res.Reason
	out.Add("Session-ID", near.names().String())
	for _, name := range []string{"Reason", "Warning", "Retry-After"} {
		if v := res.Get(name); v != "" {
			out.Add(name, v)
		}
	}
	out.SetBody("", nil) // of a refusal it is for us alone
	return out
}

// relayFinal passes the final answer back. An answered INVITE is acknowledged on
// each side for itself: at once where the offer went with the request, with the
// near side's ACK where its answer is in there (section 13.2.2.4).
func (c *call) relayFinal(t *inbound, tx *outbound, res *wire.Message, near, far *dialog, wanted int) {
	out := c.passed(t, res, near)
	if res.Status < 300 {
		far.learn(res)
		far.heardSession(res, wanted)
	}
	if t.req.Method != "INVITE" || res.Status >= 300 {
		t.respond(out)
		return
	}
	acknowledge := func(body []byte) {
		again := far.ack(tx.req, body)
		tx.onSuccess(func(*wire.Message) { again() })
	}
	late := len(t.req.Body) == 0
	if !late {
		acknowledge(nil)
	}
	body, _ := c.answer(t, out, near)
	if late {
		acknowledge(c.late(side(far), body))
	}
}

// neverAcked is how a call ends whose answer is never acknowledged.
const neverAcked = "the answer was never acknowledged"

// answer sends a 2xx to an INVITE until it is acknowledged (section 13.3.1.4);
// the body is that of the ACK. ok is false if the call is over before that.
func (c *call) answer(t *inbound, res *wire.Message, near *dialog) (body []byte, ok bool) {
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
			return body, true
		case <-again.C:
			t.respond(res)
			wait = min(2*wait, machine.T2)
			again.Reset(millis(wait))
		case <-giveUp.C:
			c.fault(neverAcked)
			return nil, false
		case <-c.over:
			return nil, false
		}
	}
}
