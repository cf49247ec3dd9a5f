package findings

import (
	"cmp"
	"fmt"
	"net/netip"
	"strings"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Unplaced is what a stranger's request says of whose it might be.
type Unplaced struct {
	Source     netip.Addr
	FromDomain string        // the host of From
	Domain     string        // the host of the Request-URI
	Realm      string        // of a credential; empty for none
	Called     digits.Number // empty if it is none
	Agent      string
}

// Nearest is the trunk of a switch that a stranger's request most likely belongs to, and
// why; ok is false if nothing points to one. It decides nothing: a person may trust the
// address by it.
func Nearest(s *compiled.Graph, switchID string, u Unplaced) (t trail.Ref, why string, ok bool) {
	sw := s.Switches[switchID]
	if sw == nil {
		return t, "", false
	}
	best := 0
	for i := range s.Source.Trunks {
		n := s.Trunks[s.Source.Trunks[i].ID]
		if n.On != sw {
			continue
		}
		if score, reason := nearness(s, n, u); score > best {
			best, t, why, ok = score, n.Ref, reason, true
		}
	}
	return t, why, ok
}

// nearness says how much points to a trunk: its names before its neighbours, and these
// before its numbers.
func nearness(s *compiled.Graph, n *compiled.Trunk, u Unplaced) (score int, why string) {
	named := func(host string) bool {
		for _, name := range []string{n.Claims.Domain, n.Claims.DNSName, n.Claims.CertificateName} {
			if name, _, _ = strings.Cut(name, ":"); name != "" && strings.EqualFold(name, host) {
				return true
			}
		}
		for _, address := range n.Link.Signalling().Remote().Servers {
			if at, err := netip.ParseAddrPort(address); err == nil && at.Addr().String() == host {
				return true
			}
		}
		return false
	}
	switch {
	case u.FromDomain != "" && named(u.FromDomain):
		return 4, fmt.Sprintf("From domain %s matches %s", u.FromDomain, n.Name)
	case u.Realm != "" && named(u.Realm):
		return 4, fmt.Sprintf("digest realm %s", u.Realm)
	case u.Domain != "" && n.Claims.Domain != "" && strings.EqualFold(n.Claims.Domain, u.Domain):
		return 3, fmt.Sprintf("Request-URI domain %s matches %s", u.Domain, n.Name)
	}
	if near(n.Claims.Trusted, u.Source) {
		return 3, fmt.Sprintf("same network as a trusted address of %s", n.Name)
	}
	if bringsNumber(s, n, u.Called) {
		return 2, fmt.Sprintf("called number %s belongs to %s", u.Called, n.FarEndRef.Name)
	}
	return 0, ""
}

// near tells whether an address is in the same /24 (IPv6: /64) as one that a trunk trusts.
func near(trusted []string, from netip.Addr) bool {
	bits := 24
	if from.Is6() && !from.Is4In6() {
		bits = 64
	}
	network, err := from.Unmap().Prefix(bits)
	if err != nil {
		return false
	}
	for _, text := range trusted {
		if trust, err := plan.ParseTrust(text); err == nil && network.Contains(trust.Network.Addr()) {
			return true
		}
	}
	return false
}

// bringsNumber tells whether a called number is one that the far end of a trunk brings.
func bringsNumber(s *compiled.Graph, n *compiled.Trunk, called digits.Number) bool {
	if called.Empty() || n.FarEnd == "" {
		return false
	}
	read := n.On.Numbering.Read(called, cmp.Or(n.In.CalledFormat, numbering.AsDialled))
	w, _ := n.On.Numbering.Put(&read, numbering.E164)
	row, ok := s.Source.Numbers.Find(w.Number)
	return ok && row.Carrier() == n.FarEnd
}
