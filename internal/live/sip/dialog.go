package sip

import (
	"sync"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// dialogKey finds a dialog by what every request in it carries (RFC 3261 section
// 12): Call-ID, our own tag and the far end's.
type dialogKey struct{ callID, localTag, remoteTag string }

// dialog is the far end of one leg; of a leg that has called, a fork has several until one answers.
type dialog struct {
	a       *Agent
	leg     *leg
	key     dialogKey
	local   string // our side, as From of our requests
	remote  string
	byThem  bool // the far end began it
	session clock
	trunk   *plan.Trunk

	mu       sync.Mutex
	machine  machine.Dialog
	target   string // the far end's Contact
	routes   []string
	known    hop // where the far end is, if its Contact does not say
	cseq     uint32
	theirs   uint32 // the highest CSeq that came
	rseq     uint32 // the last reliable provisional response that came (RFC 3262)
	updates  bool   // it takes UPDATE
	refers   int    // how many REFERs came
	said     []byte // the last description that we sent
	unacked  func(body []byte)
	proofs   [][2]string // the credentials of our INVITE
	identity identity
}

func (l *leg) newDialog(key dialogKey, byThem bool) *dialog {
	d := &dialog{a: l.a, leg: l, key: key, trunk: l.trunk, byThem: byThem}
	d.session.second = l.a.Second
	d.session.over = func() { l.h.Post(func() { l.tick(d) }) }
	return d
}

// callerDialog is the side on which we were called.
func (l *leg) callerDialog(t *inbound, tag string) *dialog {
	req := t.req
	from, _ := wire.ReadAddress(req.Get("From")) // verified
	d := l.newDialog(dialogKey{req.Get("Call-ID"), tag, from.Tag()}, true)
	d.local = req.Get("To") + ";tag=" + tag
	d.remote = req.Get("From")
	d.target = uriOf(req.First("Contact"), uriOf(d.remote, req.URI))
	d.routes = req.All("Record-Route")
	d.known = t.source
	cseq, _ := wire.ReadCSeq(req.Get("CSeq")) // verified
	d.theirs = cseq.Number
	d.learn(req)
	return d
}

// calleeDialog is the side on which we called, as a response with a tag makes it.
func (l *leg) calleeDialog(t *outbound, res *wire.Message) *dialog {
	invite := t.req
	from, _ := wire.ReadAddress(invite.Get("From")) // ours
	to, _ := wire.ReadAddress(res.Get("To"))        // verified
	d := l.newDialog(dialogKey{invite.Get("Call-ID"), from.Tag(), to.Tag()}, false)
	d.local, d.remote = invite.Get("From"), res.Get("To")
	d.target = uriOf(res.First("Contact"), invite.URI)
	cseq, _ := wire.ReadCSeq(invite.Get("CSeq")) // ours
	d.cseq = cseq.Number
	d.known = t.to
	d.said = invite.Body
	for _, name := range []string{"Authorization", "Proxy-Authorization"} {
		if v := invite.Get(name); v != "" {
			d.proofs = append(d.proofs, [2]string{name, v})
		}
	}
	routes := res.All("Record-Route")
	for i := len(routes) - 1; i >= 0; i-- { // reversed: RFC 3261 section 12.1.2
		d.routes = append(d.routes, routes[i])
	}
	d.learn(res)
	return d
}

// on takes an event and says what is to be done.
func (d *dialog) on(e machine.DialogEvent) machine.DialogAction {
	d.mu.Lock()
	defer d.mu.Unlock()
	next, do := d.machine.On(e)
	d.machine = next
	return do
}

// learn takes what a message says of the far end: where it wants further requests
// (RFC 3261 section 12.2), what it can do, and its name for the session.
func (d *dialog) learn(m *wire.Message) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.target = uriOf(m.First("Contact"), d.target)
	if m.Has("Allow") {
		d.updates = lists(m, "Allow", "UPDATE")
	}
}

// inOrder tells whether a request of the far end has not been overtaken (RFC 3261
// section 12.2.2).
func (d *dialog) inOrder(req *wire.Message) bool {
	cseq, _ := wire.ReadCSeq(req.Get("CSeq")) // verified
	d.mu.Lock()
	defer d.mu.Unlock()
	if cseq.Number < d.theirs {
		return false
	}
	d.theirs = cseq.Number
	return true
}

// request builds a request within the dialog (RFC 3261 section 12.2.1.1), and
// says where it goes. An ACK has the number of the INVITE that it is for.
func (d *dialog) request(method string) (req *wire.Message, to hop) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if method != "ACK" {
		d.cseq++
	}
	return d.build(method, d.cseq)
}

func (d *dialog) build(method string, number uint32) (req *wire.Message, to hop) {
	req = wire.NewRequest(method, d.target)
	req.Add("Max-Forwards", "70")
	req.Add("From", d.local)
	req.Add("To", d.remote)
	req.Add("Call-ID", d.key.callID)
	req.Add("CSeq", wire.CSeq{Number: number, Method: method}.String())
	req.Add("Session-ID", d.identity.String())
	if method == "ACK" { // carries what the INVITE proved itself with (RFC 3261 section 22.1)
		for _, proof := range d.proofs {
			req.Add(proof[0], proof[1])
		}
	}
	next := d.target
	for i, r := range d.routes {
		req.Add("Route", r)
		if i == 0 {
			next = uriOf(r, next)
		}
	}
	return req, destination(next, d.known)
}

func (a *Agent) keepDialog(d *dialog) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.dialogs[d.key] = d
}

func (a *Agent) forgetDialog(d *dialog) {
	d.session.stop()
	a.mu.Lock()
	defer a.mu.Unlock()
	delete(a.dialogs, d.key)
}

// findDialog returns the dialog that a request from a far end belongs to.
func (a *Agent) findDialog(req *wire.Message) *dialog {
	to, err := wire.ReadAddress(req.Get("To"))
	if err != nil {
		return nil
	}
	from, err := wire.ReadAddress(req.Get("From"))
	if err != nil {
		return nil
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.dialogs[dialogKey{req.Get("Call-ID"), to.Tag(), from.Tag()}]
}

// onAck takes the ACK of a 2xx. It is never challenged (RFC 3261 section 22.1): one of
// somebody else is not heard.
func (a *Agent) onAck(req *wire.Message, from hop) {
	if d := a.findDialog(req); d != nil {
		if run := a.Plan.Current(); run != nil && !a.livesAt(run, d, from) {
			a.noteStray(d.trunk.ID, from, req, strayWithin)
			return
		}
		_ = keepUnderstood(req)                   // it is never answered: what is not understood is not there
		d.on(machine.Acknowledged)                // at once: a change may come behind it
		cseq, _ := wire.ReadCSeq(req.Get("CSeq")) // verified
		d.leg.h.Post(func() { d.leg.acknowledged(cseq.Number, session(req)) })
	}
}

func (a *Agent) onBye(t *inbound) {
	d := a.findDialog(t.req)
	if d == nil || d.isEarly() && !d.byThem { // a called side may not end what it has not answered (section 15)
		t.reply(481, "")
		return
	}
	t.reply(200, "", [2]string{"Session-ID", d.names().String()})
	if d.on(machine.TheyEnd) == machine.TellEnd {
		d.leg.h.Post(func() { d.leg.hungUp(d, t.req) })
	}
}

// hungUp is a BYE of the far end.
func (l *leg) hungUp(d *dialog, req *wire.Message) {
	for _, w := range l.answers { // who hangs up has heard the answer
		if w.then != nil {
			w.stop()
			w.then()
			break
		}
	}
	switch {
	case l.over || d != l.d:
	case l.caller != nil && !l.caller.answered:
		l.leftBeforeAnswer()
	default:
		l.gone(core.Event{Cause: saidBy(req)})
	}
}

// end ends the far end's side with a BYE, unless it is over. What it answered is
// acknowledged first. It outlives the agent's context, since a stop is what sends
// many of them; Stop waits for it.
func (d *dialog) end(reason string) {
	if d.on(machine.WeEnd) != machine.SendBye {
		return
	}
	d.acknowledge(nil)
	req, to := d.request("BYE")
	if reason != "" {
		req.Add("Reason", reason)
	}
	req.SetBody("", nil)
	a := d.a
	a.work.Begin()
	t := a.layer.begin(req, to)
	go func() {
		defer a.work.End()
		if res, _ := d.proven(t); res == nil {
			a.Log.Warn("no answer to BYE", "switch", a.Switch, "call", d.key.callID)
		}
	}()
}

// proven waits for the final response to a request within the dialog, and sends
// it once more where the far end wants a credential with it.
func (d *dialog) proven(t *outbound) (res *wire.Message, last *outbound) {
	res = t.final(nil)
	if res == nil || res.Status != 401 && res.Status != 407 {
		return res, t
	}
	again := d.reprove(t, res)
	if again == nil {
		return res, t
	}
	return again.final(nil), again
}

// reprove sends a request within the dialog again with the credential that a
// response asks for; nil if we have none.
func (d *dialog) reprove(t *outbound, res *wire.Message) *outbound {
	again := d.a.withCredential(d.trunk, t.req, res)
	if again == nil {
		return nil
	}
	d.mu.Lock()
	d.cseq++
	again.Set("CSeq", wire.CSeq{Number: d.cseq, Method: again.Method}.String())
	d.mu.Unlock()
	return d.a.layer.begin(again, t.to)
}

// final waits for the final response; nil if none came, or if the time was over.
func (t *outbound) final(over <-chan time.Time) *wire.Message { return finalOr(t, over) }

// finalOr is final with another end of the wait.
func finalOr[T any](t *outbound, over <-chan T) *wire.Message {
	for {
		select {
		case <-t.heard.ready:
		case <-over:
			return nil
		}
		for {
			res, ended := t.heard.take()
			if res == nil && ended {
				return nil
			}
			if res == nil {
				break
			}
			if res.Status >= 200 {
				return res
			}
		}
	}
}

// ack is the ACK of a 2xx (RFC 3261 section 13.2.2.4): a request of its own, which is sent again
// whenever the 2xx is. send sends it.
func (d *dialog) ack(invite *wire.Message, body []byte) (send func()) {
	cseq, _ := wire.ReadCSeq(invite.Get("CSeq")) // ours
	d.mu.Lock()
	req, to := d.build("ACK", cseq.Number)
	if len(body) > 0 {
		d.said = body
	}
	d.mu.Unlock()
	setDescription(req, body)
	req.AddFirst("Via", to.by.via(d.a.layer.localOf(to.by), d.trunk.Link.SIP.PublicName, wire.MagicCookie+newID()))
	bytes := req.Bytes()
	l, callID := d.a.layer, d.key.callID
	return func() { _ = l.send(bytes, to, callID) }
}

// answeredBy notes that a 2xx waits for its ACK: acknowledge sends it once.
func (d *dialog) answeredBy(send func(body []byte)) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.unacked = send
}

func (d *dialog) acknowledge(body []byte) {
	d.mu.Lock()
	send := d.unacked
	d.unacked = nil
	d.mu.Unlock()
	if send != nil {
		d.on(machine.Acknowledged) // before it is sent: a change may come behind it at once
		send(body)
	}
}
