package sip

import (
	"sync"
	"time"

	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	relay "switchback.example/switchback/internal/live/media"
)

// dialogKey finds a dialog by what every request in it carries (RFC 3261 section
// 12): Call-ID, our own tag and the far end's.
type dialogKey struct{ callID, localTag, remoteTag string }

// dialog is one side of a call: the caller's, or one of the called, of which a
// fork has several until one answers.
type dialog struct {
	a       *Agent
	key     dialogKey
	local   string // our side, as From of our requests
	remote  string
	hungUp  string // how the call ends if this side hangs up
	acked   chan []byte
	session clock
	trunk   *plan.Trunk

	mu       sync.Mutex
	call     *call      // which it belongs to now
	side     relay.Side // on which side of that
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

func (c *call) newDialog(key dialogKey, trunk *plan.Trunk, side relay.Side, hungUp string) *dialog {
	d := &dialog{a: c.a, call: c, key: key, trunk: trunk, side: side, hungUp: hungUp, acked: make(chan []byte, 1)}
	d.session.second = c.a.Second
	d.session.over = func() {
		of, _ := d.place()
		select {
		case of.ticks <- d:
		default: // nobody listens any more
		}
	}
	return d
}

// place is the call that the dialog belongs to, and on which side of it.
func (d *dialog) place() (*call, relay.Side) {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.call, d.side
}

// moveTo makes the dialog a side of a call.
func (d *dialog) moveTo(c *call, side relay.Side) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.call, d.side = c, side
}

// callerDialog is the side on which we were called.
func (c *call) callerDialog(t *inbound, trunk *plan.Trunk, tag string) *dialog {
	req := t.req
	from, _ := wire.ReadAddress(req.Get("From")) // verified
	d := c.newDialog(dialogKey{req.Get("Call-ID"), tag, from.Tag()}, trunk, relay.Caller, "the caller hung up")
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
func (c *call) calleeDialog(trunk *plan.Trunk, t *outbound, res *wire.Message) *dialog {
	invite := t.req
	from, _ := wire.ReadAddress(invite.Get("From")) // ours
	to, _ := wire.ReadAddress(res.Get("To"))        // verified
	d := c.newDialog(dialogKey{invite.Get("Call-ID"), from.Tag(), to.Tag()}, trunk, relay.Called, "the called party hung up")
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
		_ = keepUnderstood(req) // it is never answered: what is not understood is not there
		d.on(machine.Acknowledged)
		select {
		case d.acked <- req.Body:
		default: // a repeated ACK
		}
	}
}

func (a *Agent) onBye(t *inbound) {
	d := a.findDialog(t.req)
	if d == nil || d.isEarly() && !d.byThem() { // a called side may not end what it has not answered (section 15)
		t.reply(481, "")
		return
	}
	t.reply(200, "", [2]string{"Session-ID", d.names().String()})
	if d.on(machine.TheyEnd) == machine.TellEnd {
		of, _ := d.place()
		of.ended <- goodbye{d, t.req.Get("Reason")}
	}
}

// byThem tells whether the far end began the dialog.
func (d *dialog) byThem() bool {
	_, side := d.place()
	return side == relay.Caller // before an answer no side has changed
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
	a.work.begin()
	t := a.layer.begin(req, to)
	go func() {
		defer a.work.end()
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

// ack acknowledges a 2xx (RFC 3261 section 13.2.2.4): a request of its own,
// which is sent again whenever the 2xx is. again sends it.
func (d *dialog) ack(invite *wire.Message, body []byte) (again func()) {
	cseq, _ := wire.ReadCSeq(invite.Get("CSeq")) // ours
	d.mu.Lock()
	req, to := d.build("ACK", cseq.Number)
	if len(body) > 0 {
		d.said = body
	}
	d.mu.Unlock()
	setDescription(req, body)
	req.AddFirst("Via", to.by.via(d.a.layer.localOf(to.by), d.trunk.SIP.PublicName, wire.MagicCookie+newID()))
	bytes := req.Bytes()
	l, callID := d.a.layer, d.key.callID
	again = func() { _ = l.send(bytes, to, callID) }
	again()
	return again
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
		send(body)
		d.on(machine.Acknowledged)
	}
}
