package sip

import (
	"time"

	wire "switchback.example/switchback/internal/core/wire/sip"
)

// dialogKey finds a dialog by what every request in it carries: Call-ID and
// our own tag (RFC 3261 section 12).
type dialogKey struct{ callID, localTag string }

// dialog is one confirmed side of a call.
type dialog struct {
	key    dialogKey
	local  string // our side, as From of our requests
	remote string
	target string // the far end's Contact
	routes []string
	known  hop // where the far end is, if its Contact does not say
	cseq   uint32
	acked  chan []byte // the body of the first ACK, from the far end
	ended  chan string // the Reason of its BYE
	// requests are those within the dialog that the call carries on.
	requests chan *serverTx

	// The call's own: how it ends if this side hangs up, and the Reason then.
	hungUp, reason string
}

func newDialog(key dialogKey) *dialog {
	return &dialog{key: key, acked: make(chan []byte, 1), ended: make(chan string, 1), requests: make(chan *serverTx, 4)}
}

// callerDialog is the side on which we were called.
func callerDialog(t *serverTx, tag string) *dialog {
	req := t.req
	d := newDialog(dialogKey{req.Get("Call-ID"), tag})
	d.local = req.Get("To") + ";tag=" + tag
	d.remote = req.Get("From")
	d.target = uriOf(first(req.All("Contact")), uriOf(d.remote, req.URI))
	d.routes = req.All("Record-Route")
	d.known = t.source
	return d
}

// calleeDialog is the side on which we called.
func calleeDialog(t *clientTx, res *wire.Message) *dialog {
	invite := t.req
	from, _ := wire.ReadAddress(invite.Get("From")) // ours
	d := newDialog(dialogKey{invite.Get("Call-ID"), from.Tag()})
	d.local, d.remote = invite.Get("From"), res.Get("To")
	d.target = uriOf(first(res.All("Contact")), invite.URI)
	cseq, _ := wire.ReadCSeq(invite.Get("CSeq")) // ours
	d.cseq = cseq.Number
	d.known = t.to
	routes := res.All("Record-Route")
	for i := len(routes) - 1; i >= 0; i-- { // reversed: RFC 3261 section 12.1.2
		d.routes = append(d.routes, routes[i])
	}
	return d
}

// refresh takes the far end's Contact from a request or answer that may change
// it (RFC 3261 section 12.2).
func (d *dialog) refresh(m *wire.Message) {
	d.target = uriOf(first(m.All("Contact")), d.target)
}

func first(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return list[0]
}

// request builds a request within the dialog (RFC 3261 section 12.2.1.1), and
// says where it goes.
func (d *dialog) request(method string) (req *wire.Message, to hop) {
	if method != "ACK" {
		d.cseq++
	}
	req = wire.NewRequest(method, d.target)
	req.Add("Max-Forwards", "70")
	req.Add("From", d.local)
	req.Add("To", d.remote)
	req.Add("Call-ID", d.key.callID)
	req.Add("CSeq", wire.CSeq{Number: d.cseq, Method: method}.String())
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
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.dialogs[dialogKey{req.Get("Call-ID"), to.Tag()}]
}

func (a *Agent) onAck(req *wire.Message) {
	if d := a.findDialog(req); d != nil {
		select {
		case d.acked <- req.Body:
		default: // a repeated ACK
		}
	}
}

func (a *Agent) onBye(t *serverTx) {
	d := a.findDialog(t.req)
	if d == nil {
		t.reply(481, "")
		return
	}
	t.reply(200, "")
	select {
	case d.ended <- t.req.Get("Reason"):
	default: // a second BYE
	}
}

// bye ends the far end's side. It outlives the agent's context, since a stop
// is what sends many of them; Stop waits for it.
func (a *Agent) bye(d *dialog, reason string) {
	req, to := d.request("BYE")
	if reason != "" {
		req.Add("Reason", reason)
	}
	req.SetBody("", nil)
	a.work.begin()
	t := a.layer.begin(req, to)
	go func() {
		defer a.work.end()
		if res := t.final(nil); res == nil {
			a.Log.Warn("no answer to BYE", "switch", a.Switch, "call", d.key.callID)
		}
	}()
}

// final waits for the final response; nil if none came, or if the time was over.
func (t *clientTx) final(over <-chan time.Time) *wire.Message {
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
func (a *Agent) ack(d *dialog, body []byte) (again func()) {
	req, to := d.request("ACK")
	setDescription(req, body)
	req.AddFirst("Via", to.by.via(a.layer.local, wire.MagicCookie+newID()))
	bytes := req.Bytes()
	again = func() { _ = a.layer.send(bytes, to) }
	again()
	return again
}
