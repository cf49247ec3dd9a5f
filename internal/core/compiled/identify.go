package compiled

import (
	"fmt"
	"iter"
	"maps"
	"net/netip"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Sender is where a message came from: its address, what carried it, and what its
// connection has shown.
type Sender struct {
	netip.AddrPort
	Transport string // "udp", "tcp" or "tls"
	// Certified are the names and addresses of the certificate that the far end showed on its
	// connection and that our authorities signed; none where it showed none.
	Certified []string
}

// Origin is what is known of a request before anybody knows whose it is.
type Origin struct {
	From Sender
	// Registered is the trunk whose far end registered from this very flow.
	Registered string
	// Domain, TrunkGroup and Called are what the request was sent to.
	Domain, TrunkGroup string
	Called             digits.Number
	// Proven is the account whose secret the sender has shown to know.
	Proven *Proven
}

// Proven is an account whose credential was right.
type Proven struct{ Trunk, User string }

// Verdict is what identification came to.
type Verdict string

// The verdicts.
const (
	Known     Verdict = "known"
	Challenge Verdict = "challenge" // a credential must be shown first
	Unknown   Verdict = "unknown"
	Tied      Verdict = "tied"      // it could be several, and nothing tells them apart
	Misplaced Verdict = "misplaced" // the credential is right, and its source not one for the trunk
)

// Identity says which trunk a request came by, and why.
type Identity struct {
	Verdict Verdict
	Trunk   string // of Known, Misplaced, and of a Challenge that only its accounts can meet
	By      string // how it was found
	Others  []trail.Considered
}

// trusting is a trunk that trusts a source.
type trusting struct {
	plan.Trust
	trunk *Trunk
	// certificate says that it is the certificate of the connection that is trusted, and no
	// address.
	certificate bool
}

// rank orders what a source may match by: a certificate that it must show, its address with
// its port, its address, a network, the longer the better.
func (t trusting) rank() int {
	if t.certificate || t.trunk.Claims.Certificate {
		return 2000
	}
	if t.Port != 0 {
		return 1000
	}
	return t.Network.Bits()
}

func (t trusting) String() string {
	switch {
	case t.certificate:
		return "certificate for " + t.trunk.Claims.CertificateName
	case t.Port != 0:
		return fmt.Sprintf("address %s with port %d", t.Network.Addr(), t.Port)
	case t.Single():
		return fmt.Sprintf("address %s", t.Network.Addr())
	}
	return fmt.Sprintf("network %s", t.Network)
}

// barred says why a source cannot be the far end of a trunk, whatever else it shows; empty
// if it can.
func (t *Trunk) barred(from Sender) string {
	switch {
	case !t.Claims.Accepts(from.Transport):
		return fmt.Sprintf("it takes %s, and this came by %s", strings.ToUpper(t.Claims.Transport), strings.ToUpper(from.Transport))
	case !t.Claims.Certificate:
		return ""
	case len(from.Certified) == 0:
		return "it must show a certificate, and showed none"
	case !certifies(from.Certified, t.Claims.CertifiedAs(from.Addr())):
		return fmt.Sprintf("certificate for %s needed, got %s", t.Claims.CertifiedAs(from.Addr()), strings.Join(from.Certified, ", "))
	}
	return ""
}

// certifies tells whether a certificate has a name; no wildcard stands for another (RFC 5922
// section 7.2).
func certifies(names []string, name string) bool {
	return slices.ContainsFunc(names, func(n string) bool { return strings.EqualFold(n, name) })
}

// Barred says why a source cannot be the far end of a trunk; empty if it can.
func (s *Graph) Barred(trunk string, from Sender) string {
	if t := s.Trunks[trunk]; t != nil {
		return t.barred(from)
	}
	return ""
}

// Identify says which trunk of a switch a request belongs to: the account that it
// has proven, the flow that was registered, the certificate of its connection, then address
// and port, address and network, with ties told apart by domain, trunk group and called
// number. A trunk whose transport or certificate is not met is none of them.
func (s *Graph) Identify(switchID string, o Origin) Identity {
	sw := s.Switches[switchID]
	if sw == nil {
		return Identity{Verdict: Unknown}
	}
	if o.Proven != nil {
		return s.proven(sw, o)
	}
	if t := s.Trunks[o.Registered]; t != nil && t.barred(o.From) == "" {
		if t.Claims.Auth == plan.AuthSourceAddress {
			return Identity{Verdict: Known, Trunk: t.ID, By: "registered flow"}
		}
		return Identity{Verdict: Challenge, Trunk: t.ID, By: "registered flow"}
	}
	found, barred := sw.trusts(o.From)
	if len(found) == 0 {
		if sw.takesCredentials {
			return Identity{Verdict: Challenge, By: "source address not trusted", Others: barred}
		}
		return Identity{Verdict: Unknown, Others: barred}
	}
	by := found[0].String()
	left, others := tellApart(found, o)
	others = append(others, barred...)
	if len(left) > 1 {
		for _, t := range left {
			others = append(others, trail.Considered{Trunk: t.Ref, Why: "also trusts this source; domain, trunk group and called number are the same"})
		}
		return Identity{Verdict: Tied, By: by, Others: others}
	}
	t := left[0]
	id := Identity{Verdict: Known, Trunk: t.ID, By: by, Others: others}
	if t.Claims.Auth != plan.AuthSourceAddress {
		id.Verdict = Challenge
	}
	return id
}

func (s *Graph) proven(sw *Switch, o Origin) Identity {
	t := s.Trunks[o.Proven.Trunk]
	if t == nil || t.On != sw {
		return Identity{Verdict: Unknown}
	}
	id := Identity{Verdict: Known, Trunk: t.ID, By: "credentials of account " + o.Proven.User}
	if why := t.barred(o.From); why != "" {
		return Identity{Verdict: Misplaced, Trunk: t.ID, By: id.By + ": " + why, Others: []trail.Considered{{Trunk: t.Ref, Why: why}}}
	}
	if o.Registered == t.ID {
		id.By = "registered flow and credentials of account " + o.Proven.User
		return id
	}
	if t.Claims.Auth != plan.AuthBoth {
		return id
	}
	for _, list := range sw.entries(o.From) {
		for _, e := range list {
			if e.trunk == t && e.takes(o.From) {
				id.By += ", and " + e.String()
				return id
			}
		}
	}
	id.Verdict, id.By = Misplaced, id.By+", from an address not trusted by its trunk"
	id.Others = []trail.Considered{{Trunk: t.Ref, Why: "does not trust this address"}}
	return id
}

// entries are those that could take a source.
func (sw *Switch) entries(from Sender) [3][]trusting {
	return [...][]trusting{sw.certified, sw.trusted[from.Addr().Unmap()], sw.networks}
}

// takes tells whether an entry takes a source, be its trunk barred or not.
func (t trusting) takes(from Sender) bool {
	if t.certificate {
		return certifies(from.Certified, t.trunk.Claims.CertificateName)
	}
	return t.Takes(from.AddrPort)
}

// trusts are the entries that take a source, of the best rank there is, and the trunks that
// would take its address but for its transport or certificate.
func (sw *Switch) trusts(from Sender) (best []trusting, barred []trail.Considered) {
	for _, list := range sw.entries(from) {
		for _, e := range list {
			switch {
			case !e.takes(from):
			case e.trunk.barred(from) != "":
				barred = append(barred, trail.Considered{Trunk: e.trunk.Ref, Why: e.trunk.barred(from)})
			case len(best) > 0 && e.rank() < best[0].rank():
			case len(best) > 0 && e.rank() == best[0].rank():
				best = append(best, e)
			default:
				best = []trusting{e}
			}
		}
	}
	return best, barred
}

// tellApart narrows trunks that trust one source down, and says why the others
// are not meant.
func tellApart(found []trusting, o Origin) (left []*Trunk, others []trail.Considered) {
	for _, e := range found {
		if !slices.Contains(left, e.trunk) {
			left = append(left, e.trunk)
		}
	}
	narrow := func(what, value string, has func(*Trunk) string, is func(*Trunk) bool) {
		if len(left) < 2 {
			return
		}
		named := slices.ContainsFunc(left, func(t *Trunk) bool { return has(t) != "" && is(t) })
		var kept []*Trunk
		for _, t := range left {
			switch {
			case named && has(t) != "" && is(t), !named && has(t) == "":
				kept = append(kept, t)
			case has(t) == "":
				others = append(others, trail.Considered{Trunk: t.Ref, Why: fmt.Sprintf("another trunk has %s %s", what, value)})
			default:
				others = append(others, trail.Considered{Trunk: t.Ref, Why: fmt.Sprintf("%s %s needed, got %q", what, has(t), value)})
			}
		}
		if len(kept) > 0 {
			left = kept
		}
	}
	narrow("domain", o.Domain, func(t *Trunk) string { return t.Claims.Domain }, func(t *Trunk) bool { return strings.EqualFold(t.Claims.Domain, o.Domain) })
	narrow("trunk group", o.TrunkGroup, func(t *Trunk) string { return t.Claims.TrunkGroup }, func(t *Trunk) bool { return strings.EqualFold(t.Claims.TrunkGroup, o.TrunkGroup) })
	narrow("called number", o.Called.String(), func(t *Trunk) string { return t.Claims.CalledPattern }, func(t *Trunk) bool { return t.calledIn.Matches(o.Called) })
	return left, others
}

// Knows tells which trunk of a switch a source belongs to, be it trusted for
// calls or only called.
func (s *Graph) Knows(switchID string, from Sender) (trunkID string, ok bool) {
	sw := s.Switches[switchID]
	if sw == nil {
		return "", false
	}
	if found, _ := sw.trusts(from); len(found) > 0 {
		return found[0].trunk.ID, true
	}
	if t := sw.called[from.Addr().Unmap()]; t != nil && t.barred(from) == "" {
		return t.ID, true
	}
	return "", false
}

// Trusts tells whether a trunk of a switch trusts a source.
func (s *Graph) Trusts(switchID string, from Sender) bool {
	sw := s.Switches[switchID]
	if sw == nil {
		return false
	}
	found, _ := sw.trusts(from)
	return len(found) > 0
}

// Stands tells whether the far end of some trunk of a switch has its place in a network, by
// the plan, whatever its transport.
func (s *Graph) Stands(switchID string, in netip.Prefix) bool {
	sw := s.Switches[switchID]
	if sw == nil {
		return false
	}
	if in.IsSingleIP() {
		if len(sw.trusted[in.Addr()]) > 0 || sw.called[in.Addr()] != nil {
			return true
		}
	} else {
		for _, list := range []iter.Seq[netip.Addr]{maps.Keys(sw.trusted), maps.Keys(sw.called)} {
			for at := range list {
				if in.Contains(at) {
					return true
				}
			}
		}
	}
	return slices.ContainsFunc(sw.networks, func(e trusting) bool { return e.Network.Overlaps(in) })
}

// Places are where the far ends of a switch are, by the plan: networks, then addresses.
func (s *Graph) Places(switchID string) (list []netip.Prefix) {
	sw := s.Switches[switchID]
	if sw == nil {
		return nil
	}
	for _, e := range sw.networks {
		list = append(list, e.Network)
	}
	for _, addresses := range []iter.Seq[netip.Addr]{maps.Keys(sw.trusted), maps.Keys(sw.called)} {
		for at := range addresses {
			list = append(list, netip.PrefixFrom(at, at.BitLen()))
		}
	}
	return list
}

// TrustedBy tells whether one trunk trusts a source.
func (s *Graph) TrustedBy(trunk string, from Sender) bool {
	t := s.Trunks[trunk]
	if t == nil || t.barred(from) != "" {
		return false
	}
	return t.Claims.Trusts(from.AddrPort)
}

// TakesCredentials tells whether any trunk of a switch proves itself by a secret,
// so that sources that nobody knows must be asked.
func (s *Graph) TakesCredentials(switchID string) bool {
	sw := s.Switches[switchID]
	return sw != nil && sw.takesCredentials
}

// Account finds the accounts of a name among the trunks of a switch; a domain
// tells those of one name apart.
func (s *Graph) Account(switchID, user, domain string) (t plan.Trunk, a plan.Account, ok bool) {
	return s.account(switchID, domain, func(a plan.Account) bool { return a.User == user })
}

// AccountByDigest is Account by the user name of a digest.
func (s *Graph) AccountByDigest(switchID, user, domain string) (t plan.Trunk, a plan.Account, ok bool) {
	return s.account(switchID, domain, func(a plan.Account) bool { return a.DigestUser() == user })
}

func (s *Graph) account(switchID, domain string, is func(plan.Account) bool) (t plan.Trunk, a plan.Account, ok bool) {
	for i := range s.Source.Trunks {
		n := s.Trunks[s.Source.Trunks[i].ID]
		if n.Switch != switchID || !n.Claims.AcceptsDigest() || n.Claims.Domain != "" && !strings.EqualFold(n.Claims.Domain, domain) {
			continue
		}
		for _, account := range n.Claims.Accounts {
			if is(account) {
				return n.Trunk, account, true
			}
		}
	}
	return plan.Trunk{}, plan.Account{}, false
}
