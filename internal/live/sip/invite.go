package sip

import (
	"fmt"
	"strconv"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// invitation is what an INVITE is made of.
type invitation struct {
	offer       decide.Offer
	to          way
	description []byte
	hops        int    // as they came
	session     string // the call's name (RFC 7989)
	callID      string
	// reliable: reliable provisional responses are understood.
	reliable bool
}

// newInvite is an INVITE to a far end: numbers as decided, on a leg of our own.
func (a *Agent) newInvite(i invitation) *wire.Message {
	o, to := i.offer, i.to
	by := to.by
	uri := to.request(userPart(o.Called))
	if s := o.Trunk.Link.SIP; s.NumberURI != "" || s.SendTrunkGroup != "" {
		if uri = numberURI(s, o.Called, to.target()); s.NumberURI != plan.NumbersTel && by != udp {
			uri += ";transport=" + strings.ToLower(by.String())
		}
	}
	req := wire.NewRequest("INVITE", uri)
	to.route(req)
	req.Add("Max-Forwards", strconv.Itoa(hopsOn(o.Trunk, i.hops)))
	a.present(req, o.Trunk, o.Caller)
	req.Add("To", "<"+numberURI(o.Trunk.Link.SIP, o.Called, to.host)+">")
	req.Add("Call-ID", i.callID)
	req.Add("CSeq", "1 INVITE")
	req.Add("Contact", a.contact(o.Trunk, by))
	req.Add("Allow", allowedOn(o.Trunk))
	a.redirecting(req, o)
	if o.Alert.AlertInfo != "" {
		req.Add("Alert-Info", o.Alert.AlertInfo)
	}
	if i.reliable {
		req.Add("Supported", supportedOn(o.Trunk)+", 100rel")
	} else {
		req.Add("Supported", supportedOn(o.Trunk))
	}
	askSession(req, sessionWanted(o.Trunk.Link.SIP), "")
	req.Add("Session-ID", identity{i.session, nobody}.String())
	req.Add("User-Agent", "Switchback")
	setDescription(req, i.description)
	return req
}

// hopsOn is how many hops a call has left behind us: to a switch of ours as many as one
// call may pass of them.
func hopsOn(t *plan.Trunk, hops int) int {
	if t.OppositeTrunk != "" {
		return min(hops-1, decide.MaxSwitches)
	}
	return hops - 1
}

// saidIn is what a response says of itself in words: the texts of Warning (RFC 3261 section
// 20.43) and of Reason (RFC 3326).
func saidIn(res *wire.Message) string {
	var said []string
	for _, field := range []string{"Warning", "Reason"} {
		for _, v := range res.All(field) {
			if text := quotedIn(v); text != "" {
				said = append(said, fmt.Sprintf("%s: %q", field, text))
			}
		}
	}
	return strings.Join(said, "; ")
}

// maxSaid is how much of a far end's words is kept, in bytes.
const maxSaid = 200

// quotedIn is the first text in quotes of a field value.
func quotedIn(value string) string {
	_, rest, ok := strings.Cut(value, `"`)
	if !ok {
		return ""
	}
	text, _, _ := strings.Cut(rest, `"`)
	return text[:min(len(text), maxSaid)]
}

// retryAfter is how long a 503 asks to be left alone; 0 if it does not say.
func retryAfter(res *wire.Message) time.Duration {
	if res.Status != 503 {
		return 0
	}
	text, _, _ := strings.Cut(res.Get("Retry-After"), ";")
	text, _, _ = strings.Cut(text, "(")
	seconds, err := strconv.ParseUint(strings.TrimSpace(text), 10, 31)
	if err != nil {
		return 0
	}
	return time.Duration(seconds) * time.Second
}
