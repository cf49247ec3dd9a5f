package sip

import (
	"net/netip"
	"strings"
	"time"

	"github.com/emiago/sipgo/sip"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/record"
)

// attempt is one INVITE to a far end.
type attempt struct {
	a       *Agent
	offer   decide.Offer
	invite  *sip.Request
	tx      sip.ClientTransaction
	alive   bool // something came back
	ringing bool // ringing or early media was passed to the caller
	answer  *sip.Response
}

// buildInvite is the caller's INVITE on a leg of our own: numbers as decided,
// description as received.
func (c *call) buildInvite(o decide.Offer) *sip.Request {
	a := c.a
	req := sip.NewRequest(sip.INVITE, uriTo(userPart(o.Called), o.Trunk.SIP.Address))
	from := callerHeader(o.Caller, a.Address)
	if n := c.req.From().DisplayName; n != "" && !o.Caller.Number.Empty() {
		from.DisplayName = n
	}
	to := sip.ToHeader{Address: uriTo(userPart(o.Called), o.Trunk.SIP.Address), Params: sip.NewParams()}
	callID := sip.CallIDHeader(newID() + "@" + a.host)
	hops := sip.MaxForwardsHeader(c.hops - 1)
	req.AppendHeader(from)
	req.AppendHeader(&to)
	req.AppendHeader(&callID)
	req.AppendHeader(&sip.CSeqHeader{SeqNo: 1, MethodName: sip.INVITE})
	req.AppendHeader(&hops)
	req.AppendHeader(&sip.ContactHeader{Address: uriTo("", a.Address)})
	req.AppendHeader(sip.NewHeader("Allow", allowed))
	req.AppendHeader(sip.NewHeader("User-Agent", "Switchback"))
	setDescription(req, c.req.Body())
	return req
}

// callerHeader is the From of a caller; without a number it is anonymous in
// the form of RFC 3323 section 4.1.
func callerHeader(w numbering.Written, address string) *sip.FromHeader {
	h := &sip.FromHeader{Address: uriTo(userPart(w), address), Params: sip.NewParams()}
	if w.Number.Empty() {
		h.DisplayName = "Anonymous"
		h.Address = sip.Uri{Scheme: "sip", User: "anonymous", Host: "anonymous.invalid"}
	}
	h.Params.Add("tag", newID())
	return h
}

// userPart writes a number as the user of a URI: # must be escaped there
// (RFC 3261 section 25.1).
func userPart(w numbering.Written) string {
	return strings.ReplaceAll(w.Number.String(), "#", "%23")
}

// try sends the INVITE and waits for what ends the attempt: an answer, a
// failure, one of the path's timers, or the caller.
func (c *call) try(o decide.Offer, t *attempt) decide.Report {
	tx, err := c.a.client.TransactionRequest(c.a.ctx, t.invite)
	if err != nil {
		c.a.Log.Warn("cannot send", "switch", c.a.Switch, "trunk", o.Trunk.ID, "error", err)
		return decide.Report{Kind: decide.ReportNoResponse}
	}
	t.tx = tx
	sent := time.Now()
	timer := time.NewTimer(millis(o.Timers.NoResponse))
	defer timer.Stop()
	for {
		select {
		case res := <-tx.Responses():
			if final := c.heard(t, res); final != nil {
				return *final
			}
			if t.ringing {
				timer.Reset(millis(o.Timers.Unanswered))
			} else {
				timer.Reset(time.Until(sent.Add(millis(o.Timers.OnlyTrying))))
			}
		case <-timer.C:
			t.abandon()
			return decide.Report{Kind: t.timeout(), Progress: t.ringing}
		case <-tx.Done():
			return decide.Report{Kind: t.timeout(), Progress: t.ringing}
		case <-c.gone:
			t.abandon()
			return decide.Report{Kind: decide.ReportAbandoned, Progress: t.ringing}
		case <-c.a.ctx.Done():
			t.abandon()
			return decide.Report{Kind: decide.ReportAbandoned, Progress: t.ringing}
		}
	}
}

func millis(n int) time.Duration { return time.Duration(n) * time.Millisecond }

// timeout names the silence in which the attempt was given up.
func (t *attempt) timeout() decide.ReportKind {
	switch {
	case t.ringing:
		return decide.ReportUnanswered
	case t.alive:
		return decide.ReportOnlyTrying
	}
	return decide.ReportNoResponse
}

// heard takes a response; the result is not nil if it ends the attempt.
func (c *call) heard(t *attempt, res *sip.Response) *decide.Report {
	t.alive = true
	switch {
	case res.StatusCode == 100:
		return nil
	case res.IsProvisional():
		c.rang(res)
		t.ringing = true
		c.relayProgress(res)
		return nil
	case res.IsSuccess():
		t.answer = res
		c.lastLeg().Media = record.ReadMedia(res.Body())
		return &decide.Report{Kind: decide.ReportAnswered, Progress: t.ringing}
	}
	q, _ := cause.FromReason(headerValue(res, "Reason"))
	return &decide.Report{Kind: decide.ReportRefused, Status: res.StatusCode, Reason: q, Progress: t.ringing}
}

// abandon gives an unanswered INVITE up. Where something came back, a CANCEL
// goes out (RFC 3261 section 9.1 forbids it before); where nothing did, the
// INVITE is no longer repeated, and what comes late is met by onLateResponse.
func (t *attempt) abandon() {
	if t.alive {
		t.a.work.begin() // nothing may be sent once the socket is closed
		go func() {
			defer t.a.work.end()
			t.drain()
		}()
		return
	}
	branch, _ := t.invite.Via().Params.Get("branch")
	t.a.mu.Lock()
	t.a.abandoned[branch] = t.invite
	t.a.mu.Unlock()
	time.AfterFunc(byePatience, func() {
		t.a.mu.Lock()
		delete(t.a.abandoned, branch)
		t.a.mu.Unlock()
	})
	t.tx.Terminate()
}

// drain cancels the INVITE and waits for its end; an answer that crossed the
// CANCEL gets its ACK and BYE.
func (t *attempt) drain() {
	t.a.cancelInvite(t.invite)
	patience := time.NewTimer(byePatience)
	defer patience.Stop()
	for {
		select {
		case res := <-t.tx.Responses():
			if res.IsSuccess() {
				t.a.hangUp(t.invite, res)
			}
			if !res.IsProvisional() {
				return
			}
		case <-t.tx.Done():
			return
		case <-patience.C:
			t.tx.Terminate()
			return
		}
	}
}

// onLateResponse meets a response to an INVITE that was given up in silence.
func (a *Agent) onLateResponse(res *sip.Response) {
	if res.Via() == nil || res.CSeq() == nil || res.CSeq().MethodName != sip.INVITE {
		return
	}
	branch, _ := res.Via().Params.Get("branch")
	a.mu.Lock()
	invite := a.abandoned[branch]
	a.mu.Unlock()
	switch {
	case invite == nil:
	case res.IsProvisional():
		a.cancelInvite(invite)
	case res.IsSuccess():
		a.hangUp(invite, res)
	default:
		_ = a.client.WriteRequest(sameTransaction(sip.ACK, invite, res.To()), keepVia)
	}
}

// hangUp ends a call that was answered when nobody wanted it any more.
func (a *Agent) hangUp(invite *sip.Request, res *sip.Response) {
	d := calleeDialog(invite, res)
	a.ack(d, nil)
	a.bye(d, "")
}

func (a *Agent) cancelInvite(invite *sip.Request) {
	cancel := sameTransaction(sip.CANCEL, invite, invite.To())
	if tx, err := a.client.TransactionRequest(a.ctx, cancel, keepVia); err == nil {
		go func() { // the library's transaction repeats it until this is read
			select {
			case <-tx.Responses():
			case <-tx.Done():
			case <-time.After(byePatience):
			}
		}()
	}
}

// sourceAddr is the address from which a request came.
func sourceAddr(req *sip.Request) netip.Addr {
	ap, _ := netip.ParseAddrPort(req.Source())
	return ap.Addr().Unmap()
}
