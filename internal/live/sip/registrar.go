package sip

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// The registrar (RFC 3261 section 10.3): far ends that have no fixed address say
// where they are, each with the account that the plan gives it.

// onRegister takes a REGISTER. It runs on a reading goroutine and waits for
// nothing.
func (a *Agent) onRegister(t *inbound) {
	run := a.Plan.Current()
	if run == nil {
		t.forget()
		return
	}
	sw, _ := run.Snapshot.Switch(a.Switch)
	if !run.Snapshot.TakesCredentials(a.Switch) {
		a.stranger(t, run, sw)
		return
	}
	s := a.shown(t, run, sw)
	switch {
	case s.wrong != "":
		a.failed(t, run, sw, 403, s.wrong, s)
		return
	case !s.right:
		a.challenge(t, run, sw, s.stale)
		return
	}
	to, _ := wire.ReadAddress(t.req.Get("To")) // verified
	switch {
	case s.trunk.Link.SIP.Registration != plan.RegistrationInbound:
		a.failed(t, run, sw, 403, fmt.Sprintf("account %s of %s is not for registering", s.account.User, s.trunk.Name), s)
		return
	case to.URI.User != s.account.User && (s.account.Number == "" || to.URI.User != s.account.Number):
		a.failed(t, run, sw, 403, fmt.Sprintf("account %s may not register %q", s.account.User, guard.Short(to.URI.User)), s)
		return
	case s.trunk.Link.SIP.NeededAuth() == plan.AuthBoth && !run.Snapshot.TrustedBy(s.trunk.ID, t.source.sender()):
		a.refuseStray(t, run, sw, s, "it does not trust this address")
		return
	}
	if why := run.Snapshot.Barred(s.trunk.ID, t.source.sender()); why != "" {
		a.refuseStray(t, run, sw, s, why)
		return
	}
	a.succeeded(t, s)
	a.bind(t, s)
}

// refuseStray refuses a right credential from where its trunk cannot be.
func (a *Agent) refuseStray(t *inbound, run *live.Running, sw plan.Switch, s showing, why string) {
	a.noteStray(s.trunk.ID, t.source, t.req, why)
	a.failed(t, run, sw, 403, fmt.Sprintf("account %s of %s is right, but %s", s.account.User, s.trunk.Name, why), s)
}

// wanted is one contact of a REGISTER.
type wanted struct {
	uri     string
	expires int // seconds; 0 takes it away
}

// contacts reads those of a REGISTER; all is true for the asterisk that takes
// every one away.
func contacts(req *wire.Message, most int) (list []wanted, all bool, err error) {
	expires := most
	if req.Has("Expires") {
		expires = seconds(req.Get("Expires"))
	}
	values := req.All("Contact")
	for _, v := range values {
		if strings.TrimSpace(v) == "*" {
			if len(values) > 1 || !req.Has("Expires") || expires != 0 {
				return nil, false, errors.New("a contact * stands alone, with Expires 0")
			}
			return nil, true, nil
		}
		c, err := wire.ReadAddress(v)
		if err != nil || c.URI.Scheme != "sip" {
			return nil, false, errors.New("a contact cannot be read")
		}
		w := wanted{c.URI.String(), expires}
		if text, ok := c.Params.Get("expires"); ok {
			w.expires = seconds(text)
		}
		list = append(list, w)
	}
	return list, false, nil
}

// bind does what a REGISTER asks for, and answers with what holds then.
func (a *Agent) bind(t *inbound, s showing) {
	now := time.Now()
	least, most, limit := s.trunk.Link.SIP.RegistrationBounds()
	list, all, err := contacts(t.req, most)
	if err != nil {
		t.reply(400, newID(), [2]string{"Warning", `399 switchback "` + err.Error() + `"`})
		return
	}
	cseq, _ := wire.ReadCSeq(t.req.Get("CSeq")) // verified
	callID := t.req.Get("Call-ID")
	for _, b := range a.Registrations.Bindings(s.trunk.ID, s.account.ID, now) {
		if b.CallID == callID && cseq.Number <= b.CSeq {
			t.reply(500, newID()) // overtaken (section 10.3, step 7)
			return
		}
	}
	for _, w := range list {
		if w.expires > 0 && w.expires < least {
			t.reply(423, newID(), [2]string{"Min-Expires", itoa(least)})
			return
		}
	}
	if all {
		a.Registrations.Unbind(s.trunk.ID, s.account.ID, "")
	}
	var gone []string
	var bound []standing.Binding
	for _, w := range list {
		if w.expires == 0 {
			gone = append(gone, w.uri)
			continue
		}
		bound = append(bound, standing.Binding{
			Trunk: s.trunk.ID, Account: s.account.ID, Contact: w.uri, Source: t.source.String(), Transport: t.source.by.String(),
			Agent: t.req.Get("User-Agent"), CallID: callID, CSeq: cseq.Number,
			Refreshed: now, Until: now.Add(time.Duration(min(w.expires, most)) * a.Second),
		})
	}
	if err := a.Registrations.Bind(s.trunk.ID, s.account.ID, gone, bound, limit, now); err != nil {
		t.reply(403, newID(), [2]string{"Warning", fmt.Sprintf(`399 switchback "%s: %d"`, err, limit)})
		return
	}
	a.Trunks.Seen(s.trunk.ID, t.source.AddrPort, now, "REGISTER")
	var fields [][2]string
	for _, b := range a.Registrations.Bindings(s.trunk.ID, s.account.ID, now) {
		left := int(b.Until.Sub(now) / a.Second)
		fields = append(fields, [2]string{"Contact", fmt.Sprintf("<%s>;expires=%d", b.Contact, left)})
	}
	t.reply(200, newID(), fields...)
}
