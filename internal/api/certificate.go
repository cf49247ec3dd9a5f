package api

import (
	"time"

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

// expiresSoon is how long before its end a certificate is warned of.
const expiresSoon = 30 * 24 * time.Hour

// secured tells about the certificate of a switch; nil if it takes no TLS.
func (s *server) secured(sw plan.Switch, now time.Time) *Secured {
	if sw.TLS == "" {
		return nil
	}
	out := &Secured{Address: sw.TLS, Names: []string{}}
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
	case now.Add(expiresSoon).After(leaf.NotAfter):
		out.Warning = "its certificate expires soon"
	}
	return out
}
