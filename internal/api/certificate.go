package api

import (
	"net/netip"
	"time"

	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
)

// Secured is how a switch takes SIP over TLS.
type Secured struct {
	Address string     `json:"address"`
	Names   []string   `json:"names" nullable:"false" doc:"Names and addresses that its certificate is for"`
	Until   *time.Time `json:"until,omitempty" doc:"When its certificate expires"`
	// Warning is what is wrong, or soon will be; empty if nothing is.
	Warning string `json:"warning"`
}

// secured tells about the certificate of a switch; nil if it takes no TLS.
func (s *server) secured(sw plan.Switch, now time.Time) *Secured {
	if sw.Listeners.SIP.TLSAddress == "" {
		return nil
	}
	out := &Secured{Address: sw.Listeners.SIP.TLSAddress, Names: []string{}}
	cert, err := s.Certificates.Of(sw.ID)
	if err != nil {
		out.Warning = err.Error() + ", so it takes no connections over TLS"
		return out
	}
	leaf := cert.Leaf
	out.Names = append(out.Names, leaf.DNSNames...)
	for _, ip := range leaf.IPAddresses {
		out.Names = append(out.Names, ip.String())
	}
	out.Until = &leaf.NotAfter
	switch {
	case now.After(leaf.NotAfter):
		out.Warning = "its certificate has expired: far ends refuse it"
	case now.Add(judge.ExpiresSoon).After(leaf.NotAfter):
		out.Warning = "its certificate expires soon"
	}
	return out
}

// ShownCertificate is what a server of a far end showed over TLS.
type ShownCertificate struct {
	Server string     `json:"server"`
	At     time.Time  `json:"at" doc:"When it was shown last"`
	Names  []string   `json:"names" nullable:"false"`
	Until  *time.Time `json:"until,omitempty" doc:"When it expires"`
	// Warning is why it is not believed, or soon will not be; empty if nothing is wrong.
	Warning string `json:"warning"`
}

// shownBy are the certificates of a trunk's servers, by address.
func (s *server) shownBy(t plan.Trunk) (servers []string, list []judge.Shown) {
	remote := t.Link.Signalling().Remote()
	if !remote.TLS {
		return nil, nil
	}
	servers = remote.Servers
	for _, found := range s.Trunks.State(t.ID).Lookup.Targets {
		servers = append(servers, found.Address)
	}
	if remote.Proxy != "" {
		servers = []string{remote.Proxy}
	}
	kept := servers[:0]
	for _, text := range servers {
		at, err := netip.ParseAddrPort(text)
		if err != nil {
			continue
		}
		if shown, ok := s.Trunks.ShownBy(at); ok {
			kept, list = append(kept, text), append(list, shown)
		}
	}
	return kept, list
}

func (s *server) certificatesOf(t plan.Trunk, now time.Time) []ShownCertificate {
	out := []ShownCertificate{}
	servers, list := s.shownBy(t)
	for i, c := range list {
		out = append(out, ShownCertificate{servers[i], c.At, c.Names, orNil(c.Until), c.Warning(now)})
	}
	return out
}

// warning is the first that a trunk's certificates give.
func (s *server) warning(t plan.Trunk, now time.Time) string {
	_, list := s.shownBy(t)
	for _, c := range list {
		if w := c.Warning(now); w != "" {
			return w
		}
	}
	return ""
}
