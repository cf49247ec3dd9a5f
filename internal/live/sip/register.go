package sip

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"time"

	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// Our own registrations (RFC 3261 section 10.2): for every account that we have
// with a far end that we register with, one that is kept alive.

// registration is one that runs: its dialog of its own with the far end.
type registration struct {
	callID, tag string
	cseq        uint32
	busy        bool           // one is under way
	server      netip.AddrPort // that took it last
	trunk       plan.Trunk
	account     plan.Account
}

// ourKey names an account of ours.
type ourKey struct{ trunk, account string }

// registerDue registers what is due, and gives up what the plan does not want any
// more. The watching goroutine alone calls it.
func (a *Agent) registerDue(run *live.Running) {
	wanted := map[ourKey]bool{}
	for _, t := range run.Snapshot.Plan().Trunks {
		if t.Switch != a.Switch || t.Link.SIP == nil || t.Link.SIP.Registration != plan.RegistrationOutbound || a.Trunks.IsOff(t.ID, time.Now()) {
			continue
		}
		for _, account := range t.Link.SIP.OutboundAccounts {
			key := ourKey{t.ID, account.ID}
			wanted[key] = true
			r := a.ours[key]
			if r == nil {
				r = &registration{callID: newID() + "@" + a.host, tag: newID()}
				a.ours[key] = r
			}
			if o, ok := a.Registrations.Our(t.ID, account.ID); r.busy || ok && time.Now().Before(o.Next) {
				continue
			}
			r.busy, r.trunk, r.account = true, t, account
			a.work.Begin()
			go func() {
				defer a.work.End()
				a.Registrations.SetOur(a.register(r))
				a.registered <- r
			}()
		}
	}
	for key, r := range a.ours {
		if !wanted[key] && !r.busy {
			a.giveUp(key, r)
		}
	}
}

// giveUp forgets a registration, and takes it back where the far end still holds
// it, so that it does not send calls that nobody wants.
func (a *Agent) giveUp(key ourKey, r *registration) {
	o, _ := a.Registrations.Our(key.trunk, key.account)
	delete(a.ours, key)
	a.Registrations.ForgetOur(key.trunk, key.account)
	if !time.Now().Before(o.Until) {
		return
	}
	a.work.Begin()
	go func() {
		defer a.work.End()
		if res, _ := a.exchange(r, 0); res == nil || res.Status >= 300 {
			a.Log.Warn("the outbound registration was not removed; it expires", "trunk", key.trunk, "account", key.account, "until", o.Until)
		}
	}()
}

// register registers anew, and says where the registration stands then.
func (a *Agent) register(r *registration) standing.OurRegistration {
	before, _ := a.Registrations.Our(r.trunk.ID, r.account.ID)
	now := time.Now()
	o := standing.OurRegistration{Trunk: r.trunk.ID, Account: r.account.ID, Since: now, Until: before.Until, Failures: before.Failures + 1}
	expires := r.account.Expires
	if expires == 0 {
		expires = plan.DefaultExpires
	}
	if _, err := a.ways(&r.trunk, ""); err != nil { // nothing was sent: its name leads nowhere, or not yet
		o.State, o.Evidence, o.Failures, o.Next = standing.OurTrying, err.Error(), before.Failures, now.Add(nameRetry)
		return o
	}
	res, expires := a.exchange(r, expires)
	if r.server.IsValid() {
		o.Server = r.server.String()
	}
	return a.stands(r, o, res, expires)
}

// exchange registers at the far end's servers in turn, first at the one that took it
// last, until one does more than fail to serve. It returns the last word, nil if there
// was none, and for how many seconds was asked then.
func (a *Agent) exchange(r *registration, expires int) (res *wire.Message, asked int) {
	ways, err := a.ways(&r.trunk, "")
	if err != nil {
		return nil, expires
	}
	slices.SortStableFunc(ways, func(x, y way) int {
		return order(x.AddrPort != r.server) - order(y.AddrPort != r.server)
	})
	for _, to := range ways {
		res, asked = a.exchangeWith(r, to, expires)
		unserved := res == nil || res.Status == 503
		a.noteServer(to, unserved)
		if !unserved {
			r.server = to.AddrPort
			break
		}
		r.server = netip.AddrPort{}
	}
	return res, asked
}

// exchangeWith sends a REGISTER to a server, with what it asks for.
func (a *Agent) exchangeWith(r *registration, server way, expires int) (res *wire.Message, asked int) {
	to := server.hop
	req := a.newRegister(r, expires)
	server.route(req)
	for range 4 { // a challenge, a nonce that is stale, a longer time, and then it is enough
		r.cseq++
		req.Set("CSeq", wire.CSeq{Number: r.cseq, Method: "REGISTER"}.String())
		tx := a.layer.begin(req, to)
		if res = tx.final(time.After(registerPatience)); res == nil {
			tx.quiet()
			break
		}
		var again *wire.Message
		switch least := seconds(res.Get("Min-Expires")); {
		case res.Status == 401 || res.Status == 407:
			again = a.answerChallenge(&r.trunk, r.account, req, res)
		case res.Status == 423 && least > expires && expires > 0:
			expires = least
			again = req.Clone()
			again.Remove("Via")
			again.Set("Expires", itoa(expires))
		}
		if again == nil {
			break
		}
		req = again
	}
	return res, expires
}

// nameRetry is how soon a registration is tried again whose far end's name leads
// nowhere.
const nameRetry = time.Second

// registerPatience is how long a REGISTER may take.
const registerPatience = 5 * time.Second

func (a *Agent) newRegister(r *registration, expires int) *wire.Message {
	t, account := &r.trunk, r.account
	host := hostOf(t.Link.SIP)
	by := transportOf(t.Link.SIP.Transport)
	server := t.Link.SIP.RemoteAddress
	if server == "" {
		server = t.Link.SIP.DNSName
	}
	req := wire.NewRequest("REGISTER", uriAt("", server, by))
	aor := "<" + uriTo(escapeUser(account.User), host) + ">"
	req.Add("Max-Forwards", "70")
	req.Add("From", aor+";tag="+r.tag)
	req.Add("To", aor)
	req.Add("Call-ID", r.callID)
	req.Add("CSeq", "0 REGISTER")
	req.Add("Contact", "<"+uriAt(escapeUser(account.User), a.calledThere(t, by), by)+">")
	req.Add("Expires", itoa(expires))
	req.Add("User-Agent", "Switchback")
	req.SetBody("", nil)
	return req
}

// stands says where a registration stands after a response, nil for none, and when
// it is tried again.
func (a *Agent) stands(r *registration, o standing.OurRegistration, res *wire.Message, expires int) standing.OurRegistration {
	now := time.Now()
	wait := time.Duration(machine.BackOff(o.Failures, rand.Float64())) * a.Second
	switch {
	case res == nil:
		o.State, o.Evidence = standing.OurSilent, fmt.Sprintf("no answer to REGISTER within %s", registerPatience)
	case res.Status < 300:
		holds := granted(res, a.calledThere(&r.trunk, transportOf(r.trunk.Link.SIP.Transport)), expires)
		o.State, o.Failures = standing.OurRegistered, 0
		o.Until = now.Add(time.Duration(holds) * a.Second)
		o.Evidence = fmt.Sprintf("%d %s, for %d s", res.Status, res.Reason, holds)
		wait = time.Duration(machine.RefreshRegistration(holds)) * a.Second
	default:
		o.State, o.Evidence = standing.OurRefused, fmt.Sprintf("%d %s", res.Status, res.Reason)
		if res.Status == 401 || res.Status == 407 {
			o.Evidence += ": it rejects the switch's credentials"
			if _, ok := a.Secrets.Of(o.Trunk, plan.SideOutbound, o.Account); !ok {
				o.Evidence = fmt.Sprintf("%d %s: it wants a credential, and no secret is set", res.Status, res.Reason)
			}
		}
		if after := retryAfter(res); after > 0 {
			wait = max(wait, min(after, machine.LastRetry*time.Second))
		}
	}
	o.Next = now.Add(wait)
	return o
}

// granted is how long a far end says that our contact is registered (RFC 3261
// section 10.2.4).
func granted(res *wire.Message, ours string, asked int) int {
	for _, v := range res.All("Contact") {
		c, err := wire.ReadAddress(v)
		if err != nil || c.URI.HostPort() != ours {
			continue
		}
		if text, ok := c.Params.Get("expires"); ok && seconds(text) > 0 {
			return seconds(text)
		}
	}
	if n := seconds(res.Get("Expires")); n > 0 {
		return n
	}
	return asked
}
