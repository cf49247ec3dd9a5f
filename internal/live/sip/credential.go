package sip

import (
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// realm is what the switch calls itself in its challenges.
func realm(sw plan.Switch) string {
	if sw.Listeners.SIP.Realm != "" {
		return sw.Listeners.SIP.Realm
	}
	return sw.ID
}

// algorithms are those by which a trunk's far end may prove itself, the one that we
// would rather have first (RFC 8760 section 2.3).
func algorithms(s *plan.SIP) []wire.Algorithm {
	switch s.DigestAlgorithm {
	case plan.DigestSHA256:
		return []wire.Algorithm{wire.SHA256}
	case plan.DigestMD5:
		return []wire.Algorithm{wire.MD5}
	}
	return []wire.Algorithm{wire.SHA256, wire.MD5}
}

// claimed is the trunk that a request without a credential says it belongs to: by
// the account that it registers or calls as, else by its address. It is believed
// only in how it is asked.
func (a *Agent) claimed(t *inbound, run *live.Running) *plan.SIP {
	field := "From"
	if t.req.Method == "REGISTER" {
		field = "To" // From is who registers for it (RFC 3261 section 10.2)
	}
	from, _ := wire.ReadAddress(t.req.Get(field)) // verified
	uri, _ := wire.ReadURI(t.req.URI)
	if trunk, _, ok := run.Snapshot.Account(a.Switch, from.URI.User, uri.Host); ok {
		return trunk.Link.SIP
	}
	if id, ok := a.knownSource(run, t.source); ok {
		trunk, _ := run.Snapshot.Trunk(id)
		return trunk.Link.SIP
	}
	return &plan.SIP{}
}

// challenge asks for a credential. A source that makes us ask more often than it
// may call is not answered: a flood of requests from a forged address is not to
// become one of challenges.
func (a *Agent) challenge(t *inbound, run *live.Running, sw plan.Switch, stale bool) {
	now := time.Now()
	if !a.paced(t.source.Addr(), now, sw.UnknownSources.OrDefault().CallsPerSecond, func(p *pace) *guard.Rate { return &p.challenges }) {
		t.forget()
		return
	}
	if _, ok := a.knownSource(run, t.source); !ok && len(t.req.All("Authorization")) == 0 {
		a.noteStranger(t.source, t.req, "401")
	}
	nonce := a.nonces.make(t.source, now)
	var fields [][2]string
	for _, algorithm := range algorithms(a.claimed(t, run)) {
		c := wire.Challenge{Realm: realm(sw), Nonce: nonce, Algorithm: algorithm, QOP: []string{"auth"}, Stale: stale}
		fields = append(fields, [2]string{"WWW-Authenticate", c.String()})
	}
	t.reply(401, newID(), fields...)
}

// showing is what the sender of a request has shown of a credential.
type showing struct {
	trunk   plan.Trunk
	account plan.Account
	right   bool
	stale   bool   // its nonce is none of ours, another source's, too old or used up
	wrong   string // why the credential is not taken; empty if none was shown
	answers bool   // it answers a nonce that was given to this very source
}

// name is the account as failures are counted against it; empty where there is none.
func (s showing) name() string {
	if s.account.ID == "" {
		return ""
	}
	return s.trunk.Name + ", account " + s.account.User
}

// shown looks at the credential of a request. The nonce comes first: nothing is said of a
// secret, and nothing counted, for an answer to what was never asked of this source
// (RFC 7616 section 3.3: stale says that the nonce is invalid, and nothing of the digest).
func (a *Agent) shown(t *inbound, run *live.Running, sw plan.Switch) (s showing) {
	c, ok := credentialsFor(t.req, realm(sw))
	if !ok {
		return s
	}
	now := time.Now()
	if !a.nonces.ours(c.Nonce, t.source, now) {
		s.stale = true
		return s
	}
	s.answers = true
	uri, _ := wire.ReadURI(t.req.URI) // verified
	s.trunk, s.account, ok = run.Snapshot.AccountByDigest(a.Switch, c.Username, uri.Host)
	if !ok {
		s.wrong = fmt.Sprintf("there is no account %q", guard.Short(c.Username))
		a.nonces.spend(c.Nonce, now)
		return s
	}
	if !a.mayAnswer(t, run, sw, s) {
		s.wrong = fmt.Sprintf("account %s of %s is guessed at: only %d answers a second are looked at", s.account.User, s.trunk.Name, guessesPerSecond)
	} else {
		s.wrong = a.doubts(t, c, s)
	}
	if s.wrong != "" {
		a.nonces.spend(c.Nonce, now)
		a.Trunks.RefusedThere(s.trunk.ID, now, s.wrong, t.source.Addr().String())
		return s
	}
	count := c.NC
	if c.QOP == "" {
		count = "" // which nothing would cover
	}
	if a.nonces.take(c.Nonce, count, t.source, now) != nonceGood {
		s.stale = true // the same datagram once more, or an answer that was heard: it proves nothing
		return s
	}
	s.right = true
	a.Trunks.RightThere(s.trunk.ID)
	return s
}

// guessesPerSecond is how many answers for an account that failed too often are looked at,
// from where nobody is known to work.
const guessesPerSecond = 10

// mayAnswer tells whether an answer for an account is looked at: where it was guessed at from
// many addresses, not more often than some times a second, but for who is known to be there.
func (a *Agent) mayAnswer(t *inbound, run *live.Running, sw plan.Switch, s showing) bool {
	now := time.Now()
	if !a.Gate.Guessed(s.name(), now, limitsOf(sw)) || a.workedFrom(run)(guard.Single(t.source.Addr())) {
		return true
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	r, ok := a.guesses.Get(s.name())
	if !ok {
		r = &guard.Rate{}
		a.guesses.Add(s.name(), r)
	}
	return r.Take(now, guessesPerSecond)
}

// doubts says what is wrong with the credential of an account; empty if nothing is.
func (a *Agent) doubts(t *inbound, c wire.Credentials, s showing) string {
	user, trunk := guard.Short(c.Username), s.trunk.Name
	secret, ok := a.Secrets.Of(s.trunk.ID, plan.SideInbound, s.account.ID)
	switch {
	case !ok:
		return fmt.Sprintf("no secret is set for account %s of %s", user, trunk)
	case !slices.Contains(algorithms(s.trunk.Link.SIP), c.Algorithm.Named()):
		return fmt.Sprintf("account %s of %s: digest algorithm %s not allowed", user, trunk, guard.Short(string(c.Algorithm.Named())))
	case c.QOP == "" && !s.account.OldDigest:
		return fmt.Sprintf("account %s of %s answers without a quality of protection (RFC 2069), which can be replayed; the account may allow it", user, trunk)
	case !sameURI(c.URI, t.req.URI):
		return fmt.Sprintf("the credential of account %s is for %s", user, guard.Short(c.URI))
	case !c.Holds(t.req.Method, secret, t.req.Body):
		return fmt.Sprintf("wrong secret for account %s of %s", user, trunk)
	}
	return ""
}

// credentialsFor are those of a request that are meant for us.
func credentialsFor(req *wire.Message, realm string) (c wire.Credentials, ok bool) {
	for i := range req.Fields {
		if f := &req.Fields[i]; f.Is("Authorization") {
			if c, err := wire.ReadCredentials(f.Value); err == nil && c.Realm == realm {
				return c, true
			}
		}
	}
	return c, false
}

// sameURI compares what a digest was made for with what was asked (RFC 7616
// section 3.4.6), leniently in what a far end may leave out.
func sameURI(one, other string) bool {
	if one == other {
		return true
	}
	a, errA := wire.ReadURI(one)
	b, errB := wire.ReadURI(other)
	return errA == nil && errB == nil && a.Host != "" && a.User == b.User && strings.EqualFold(a.Host, b.Host)
}

// answerChallenge is a request once more, with the credential of our account at
// the far end; nil if there is none, or the far end does not take it.
func (a *Agent) answerChallenge(trunk *plan.Trunk, account plan.Account, req, res *wire.Message) *wire.Message {
	secret, ok := a.Secrets.Of(trunk.ID, plan.SideOutbound, account.ID)
	if !ok {
		return nil
	}
	list, proxy := wire.Challenges(res)
	name := "Authorization"
	if proxy {
		name = "Proxy-Authorization"
	}
	if len(list) == 0 || req.Has(name) && !list[0].Stale { // it did not like the one before
		return nil
	}
	answer, err := list[0].Answer(req.Method, req.URI, account.DigestUser(), secret, newID(), 1, req.Body)
	if err != nil {
		return nil
	}
	out := req.Clone()
	out.Remove("Via")
	cseq, _ := wire.ReadCSeq(req.Get("CSeq")) // ours
	cseq.Number++
	out.Set("CSeq", cseq.String())
	out.Set(name, answer.String())
	return out
}

// withCredential is answerChallenge with the account that the request's caller
// uses.
func (a *Agent) withCredential(trunk *plan.Trunk, req, res *wire.Message) *wire.Message {
	from, _ := wire.ReadAddress(req.Get("From")) // ours
	caller, _ := telephone(from.URI)
	account, ok := ourAccount(trunk, caller)
	if !ok {
		return nil
	}
	return a.answerChallenge(trunk, account, req, res)
}

// ourAccount is the account of ours that a call with a caller's number uses: the
// one of that number, else the first.
func ourAccount(t *plan.Trunk, caller string) (account plan.Account, ok bool) {
	for _, a := range t.Link.SIP.OutboundAccounts {
		if a.Number != "" && a.Number == caller {
			return a, true
		}
	}
	if len(t.Link.SIP.OutboundAccounts) == 0 {
		return plan.Account{}, false
	}
	return t.Link.SIP.OutboundAccounts[0], true
}

// Refusals of those who fail are slowed, so that guessing takes time; more than
// MaxSlowed at once are not answered at all.
const (
	refusalDelay = time.Second
	MaxSlowed    = 1000
)

// limitsOf are those of a switch.
func limitsOf(sw plan.Switch) guard.Limits {
	gate := sw.UnknownSources.OrDefault()
	return guard.Limits{
		Failures: gate.FailedAttempts, Window: time.Duration(gate.WindowMinutes) * time.Minute, For: time.Duration(gate.BlockHours) * time.Hour,
	}
}

// failed counts a failure of a source and refuses its request, slowly; s is what it has
// shown of a credential.
func (a *Agent) failed(t *inbound, run *live.Running, sw plan.Switch, status int, why string, s showing) {
	f := guard.Failure{From: t.source.Addr(), Account: s.name(), Why: why, Returned: s.answers || t.source.by.reliable()}
	if _, _, registered := a.Registrations.Flow(t.source.by.String(), t.source.String(), time.Now()); registered {
		f.Flow = t.source.flow()
	}
	out := a.Gate.Failed(f, time.Now(), limitsOf(sw), a.workedFrom(run))
	a.logFailure(t, why, out)
	if out.Blocked != nil || out.Slowed && out.Count > limitsOf(sw).Failures || status == 0 || a.slowed.Add(1) > MaxSlowed {
		if out.Blocked == nil && status != 0 {
			a.slowed.Add(-1)
		}
		t.forget()
		return
	}
	time.AfterFunc(refusalDelay, func() {
		a.slowed.Add(-1)
		t.reply(status, newID())
	})
}

// logFailure tells of the first failure of a source and of its block: what a flood writes
// into the log has a bound.
func (a *Agent) logFailure(t *inbound, why string, out guard.Outcome) {
	level := slog.LevelDebug
	if out.Blocked != nil || out.Count == 1 {
		level = slog.LevelWarn
	}
	a.Log.Log(a.ctx, level, "refused", "switch", a.Switch, "from", t.source.AddrPort, "method", guard.Short(t.req.Method), "why", guard.Short(why),
		"failures", out.Count, "blocked", out.Blocked != nil)
}

// succeeded forgets the failures of who has shown who it is.
func (a *Agent) succeeded(t *inbound, s showing) {
	a.Gate.Succeeded(t.source.Addr(), t.source.flow(), s.name())
	a.Strangers.Forget(a.Switch, t.source.Addr())
}

// stranger meets a request that belongs to no trunk, as the switch says. A CANCEL is never
// challenged (RFC 3261 section 22.1).
func (a *Agent) stranger(t *inbound, run *live.Running, sw plan.Switch) {
	a.door.met(MetRefused)
	why := t.req.Method + " from an address that no trunk knows"
	unknown := sw.UnknownSources.OrDefault().Policy
	var s showing
	if unknown == plan.UnknownChallenge && t.req.Method != "CANCEL" {
		if s = a.shown(t, run, sw); s.wrong == "" {
			a.challenge(t, run, sw, s.stale) // which notes it
			return
		}
		why = s.wrong
	}
	a.noteStranger(t.source, t.req, strangerGets(sw))
	switch {
	case unknown == plan.UnknownChallenge && t.req.Method != "CANCEL":
		a.failed(t, run, sw, 401, why, s)
	case unknown == plan.UnknownForbid:
		a.failed(t, run, sw, 403, why, s)
	default:
		a.failed(t, run, sw, 0, why, s)
	}
}

// strangerGets is what a switch answers to those who belong to no trunk.
func strangerGets(sw plan.Switch) string {
	if unknown := sw.UnknownSources.OrDefault().Policy; unknown != plan.UnknownDrop {
		return unknown
	}
	return "nothing"
}

// origin is what is known of a request before anybody knows whose it is.
func (a *Agent) origin(t *inbound) compiled.Origin {
	uri, _ := wire.ReadURI(t.req.URI) // verified
	_, params, called := calledIn(t.req, "")
	o := compiled.Origin{From: t.source.sender(), Domain: uri.Host, TrunkGroup: params["tgrp"], Called: called}
	o.Registered, _, _ = a.Registrations.Flow(t.source.by.String(), t.source.String(), time.Now())
	return o
}
