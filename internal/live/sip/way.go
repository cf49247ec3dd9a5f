package sip

import (
	"fmt"
	"net/netip"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// way is where a call by a trunk goes, and how it is asked for there.
type way struct {
	hop
	host    string   // of the far end, in what names the called party
	contact wire.URI // that it registered; without a host if it did not
	asked   string   // address and port that are asked for, where a proxy stands before them
}

// through makes a way go by a trunk's outbound proxy, if it has one (RFC 3261 section
// 8.1.2): what is asked for stays, and where it is sent is the proxy.
func (w way) through(s *plan.SIP) way {
	if proxy, err := netip.ParseAddrPort(s.OutboundProxy); err == nil {
		w.asked = w.AddrPort.String()
		w.AddrPort = netip.AddrPortFrom(proxy.Addr().Unmap(), proxy.Port())
	}
	return w
}

// route names the proxy in a request, as a loose router.
func (w way) route(req *wire.Message) {
	if w.asked != "" {
		req.Add("Route", "<"+uriAt("", w.AddrPort.String(), w.by)+";lr>")
	}
}

// target is the address that is asked for.
func (w way) target() string {
	if w.asked != "" {
		return w.asked
	}
	return w.AddrPort.String()
}

// way finds where a trunk's calls go: to its address, or to where the far end has
// registered from, with the account that is meant by the number. The error says
// why there is none.
func (a *Agent) way(t *plan.Trunk, called string) (w way, err error) {
	if t.Link.SIP.Registration != plan.RegistrationInbound || t.Link.SIP.RemoteAddress != "" {
		to, ok := trunkHop(t.Link.SIP)
		if !ok {
			return w, fmt.Errorf("%s has no address", t.Name)
		}
		w = way{hop: to, host: t.Link.SIP.RemoteAddress}
		if t.Link.SIP.RequestDomain != "" {
			w.host = t.Link.SIP.RequestDomain
		}
		return w, nil
	}
	absent := fmt.Errorf("%s is not registered", t.Name)
	for _, exact := range []bool{true, false} {
		for _, account := range t.Link.SIP.InboundAccounts {
			if exact != (account.Number != "") || exact && account.Number != called {
				continue
			}
			list := a.Registrations.Bindings(t.ID, account.ID, time.Now())
			if len(list) == 0 {
				absent = fmt.Errorf("account %s of %s is not registered", account.User, t.Name)
				continue
			}
			from, err := netip.ParseAddrPort(list[0].Source)
			contact, errURI := wire.ReadURI(list[0].Contact)
			if err != nil || errURI != nil { // written by the registrar
				continue
			}
			// It is reached where it registered from, also behind a translator of
			// addresses (RFC 3581); what it is asked for is its contact.
			return way{hop: hopTo(from, transportOf(list[0].Transport)), host: contact.HostPort(), contact: contact}, nil
		}
		if exact && len(t.Link.SIP.InboundAccounts) > 0 && absent.Error() != t.Name+" is not registered" {
			return w, absent // the account of this number is the one that is meant
		}
	}
	return w, absent
}

// request is the Request-URI that asks for a user there.
func (w way) request(user string) string {
	if w.contact.Host == "" {
		return uriAt(user, w.target(), w.by)
	}
	u := w.contact
	u.User = user
	return u.String()
}

// escapeUser writes a name as the user of a URI (RFC 3261 section 25.1).
func escapeUser(name string) string {
	var out strings.Builder
	for i := range len(name) {
		c := name[i]
		if c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || strings.IndexByte("-_.!~*'()&=+$,;?/", c) >= 0 {
			out.WriteByte(c)
		} else {
			fmt.Fprintf(&out, "%%%02X", c)
		}
	}
	return out.String()
}
