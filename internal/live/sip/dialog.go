package sip

import (
	"context"
	"net"
	"strconv"
	"time"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"
)

// dialogKey finds a dialog by what every request in it carries: Call-ID and
// our own tag (RFC 3261 section 12).
type dialogKey struct{ callID, localTag string }

// dialog is one confirmed side of a call.
type dialog struct {
	key    dialogKey
	local  sip.FromHeader // our side, as From of our requests
	remote sip.ToHeader
	target sip.Uri // the far end's Contact
	routes []string
	cseq   uint32
	acked  chan []byte // the body of the first ACK, from the far end
	ended  chan string // the Reason of its BYE
}

func newDialog(key dialogKey) *dialog {
	return &dialog{key: key, acked: make(chan []byte, 1), ended: make(chan string, 1)}
}

// callerDialog is the side on which we were called.
func callerDialog(req *sip.Request, tag string) *dialog {
	d := newDialog(dialogKey{req.CallID().Value(), tag})
	from, to := req.From(), req.To()
	d.local = sip.FromHeader{DisplayName: to.DisplayName, Address: to.Address, Params: sip.NewParams()}
	d.local.Params.Add("tag", tag)
	d.remote = sip.ToHeader{DisplayName: from.DisplayName, Address: from.Address, Params: from.Params.Clone()}
	d.target = contactOr(req.Contact(), from.Address)
	for _, h := range req.GetHeaders("Record-Route") {
		d.routes = append(d.routes, h.Value())
	}
	return d
}

// calleeDialog is the side on which we called.
func calleeDialog(invite *sip.Request, res *sip.Response) *dialog {
	from, to := invite.From(), res.To()
	tag, _ := from.Params.Get("tag")
	d := newDialog(dialogKey{invite.CallID().Value(), tag})
	d.local = *from
	d.remote = sip.ToHeader{DisplayName: to.DisplayName, Address: to.Address, Params: to.Params.Clone()}
	d.target = contactOr(res.Contact(), invite.Recipient)
	d.cseq = invite.CSeq().SeqNo
	routes := res.GetHeaders("Record-Route")
	for i := len(routes) - 1; i >= 0; i-- { // reversed: RFC 3261 section 12.1.2
		d.routes = append(d.routes, routes[i].Value())
	}
	return d
}

func contactOr(c *sip.ContactHeader, u sip.Uri) sip.Uri {
	if c != nil {
		return c.Address
	}
	return u
}

// request builds a request within the dialog (RFC 3261 section 12.2.1.1).
func (d *dialog) request(method sip.RequestMethod) *sip.Request {
	if method != sip.ACK {
		d.cseq++
	}
	req := sip.NewRequest(method, d.target)
	from, to := d.local, d.remote
	callID := sip.CallIDHeader(d.key.callID)
	req.AppendHeader(&from)
	req.AppendHeader(&to)
	req.AppendHeader(&callID)
	req.AppendHeader(&sip.CSeqHeader{SeqNo: d.cseq, MethodName: method})
	for _, r := range d.routes {
		req.AppendHeader(sip.NewHeader("Route", r))
	}
	if route := req.Route(); route != nil {
		req.SetDestination(route.Address.HostPort())
	}
	return req
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
func (a *Agent) findDialog(req *sip.Request) *dialog {
	if req.CallID() == nil || req.To() == nil {
		return nil
	}
	tag, _ := req.To().Params.Get("tag")
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.dialogs[dialogKey{req.CallID().Value(), tag}]
}

func (a *Agent) onAck(req *sip.Request, _ sip.ServerTransaction) {
	if d := a.findDialog(req); d != nil {
		select {
		case d.acked <- req.Body():
		default: // a repeated ACK
		}
	}
}

func (a *Agent) onBye(req *sip.Request, tx sip.ServerTransaction) {
	d := a.findDialog(req)
	if d == nil {
		_ = tx.Respond(sip.NewResponseFromRequest(req, 481, "Call/Transaction Does Not Exist", nil))
		return
	}
	_ = tx.Respond(sip.NewResponseFromRequest(req, 200, "OK", nil))
	select {
	case d.ended <- headerValue(req, "Reason"):
	default: // a second BYE
	}
}

// byePatience bounds how long a BYE is repeated: 64*T1.
const byePatience = 32 * time.Second

// bye ends the far end's side. It outlives the agent's context, since a stop
// is what sends many of them; Stop waits for it.
func (a *Agent) bye(d *dialog, reason string) {
	req := d.request(sip.BYE)
	if reason != "" {
		req.AppendHeader(sip.NewHeader("Reason", reason))
	}
	a.work.begin()
	go func() {
		defer a.work.end()
		ctx, cancel := context.WithTimeout(context.WithoutCancel(a.ctx), byePatience)
		defer cancel()
		if _, err := a.client.Do(ctx, req); err != nil {
			a.Log.Warn("no answer to BYE", "switch", a.Switch, "call", d.key.callID, "error", err)
		}
	}()
}

// ack acknowledges a 2xx (RFC 3261 section 13.2.2.4): a request of its own,
// which is sent again whenever the 2xx is.
func (a *Agent) ack(d *dialog, body []byte) *sip.Request {
	req := d.request(sip.ACK)
	setDescription(req, body)
	_ = a.client.WriteRequest(req, sipgo.ClientRequestBuild)
	return req
}

// uriTo is the SIP URI of a user at an address and port.
func uriTo(user, address string) sip.Uri {
	host, port, _ := net.SplitHostPort(address)
	p, _ := strconv.Atoi(port)
	return sip.Uri{Scheme: "sip", User: user, Host: host, Port: p}
}

func headerValue(m interface{ GetHeader(string) sip.Header }, name string) string {
	if h := m.GetHeader(name); h != nil {
		return h.Value()
	}
	return ""
}

// setDescription gives a message a session description, if there is one.
func setDescription(m sip.Message, body []byte) {
	if len(body) > 0 {
		m.AppendHeader(sip.NewHeader("Content-Type", "application/sdp"))
	}
	m.SetBody(body)
}
