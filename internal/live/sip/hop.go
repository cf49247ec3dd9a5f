package sip

import (
	"net/netip"
	"strings"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// transport is what carries messages.
type transport uint8

const (
	udp transport = iota
	tcp
	secured // TLS over TCP
)

var transportNames = [...]string{"UDP", "TCP", "TLS"}

func (t transport) String() string { return transportNames[t] }

// reliable tells whether the transport itself repeats what is lost.
func (t transport) reliable() bool { return t != udp }

// transportOf reads a transport's name, as a URI or a plan gives it; UDP where it
// gives none.
func transportOf(name string) transport {
	switch strings.ToLower(name) {
	case "tcp":
		return tcp
	case "tls":
		return secured
	}
	return udp
}

// hop is the other end of a message: where it came from or goes, and by what.
type hop struct {
	netip.AddrPort
	by   transport
	name string // that its certificate must have; empty is its address
	as   string // the name of the switch there; empty is its address
	// shown are the names of the certificate that it has shown on its connection.
	shown []string
}

// sender is what a hop shows of itself to who decides whose it is.
func (h hop) sender() compiled.Sender {
	return compiled.Sender{AddrPort: h.AddrPort, Transport: strings.ToLower(h.by.String()), Certified: h.shown}
}

// flow names the flow that a hop is, as registrations do.
func (h hop) flow() string { return live.FlowName(h.by.String(), h.String()) }

// same tells whether two hops are one place.
func (h hop) same(other hop) bool { return h.AddrPort == other.AddrPort && h.by == other.by }

func hopTo(addr netip.AddrPort, by transport) hop {
	return hop{AddrPort: netip.AddrPortFrom(addr.Addr().Unmap(), addr.Port()), by: by}
}

// via is the Via of a request that an address sends by a transport, under a name where
// it has one there.
func (t transport) via(from netip.AddrPort, as, branch string) string {
	sentBy := from.String()
	if as != "" {
		sentBy = as + ":" + itoa(int(from.Port()))
	}
	return "SIP/2.0/" + t.String() + " " + sentBy + ";branch=" + branch + ";rport"
}

// uriAt is the SIP URI of a user at an address that is reached by a transport.
func uriAt(user string, address string, by transport) string {
	uri := uriTo(user, address)
	if by != udp {
		uri += ";transport=" + strings.ToLower(by.String())
	}
	return uri
}

// destination is where a URI's host is, if it is an address; names are not looked
// up, and then it is where the other side is known to be.
func destination(uri string, known hop) hop {
	u, err := wire.ReadURI(uri)
	if err != nil {
		return known
	}
	host, err := netip.ParseAddr(u.Host)
	if err != nil {
		return known
	}
	by := known.by
	if name, ok := u.Params.Get("transport"); ok {
		by = transportOf(name)
	}
	to := hopTo(netip.AddrPortFrom(host, portOr(u.Port)), by)
	if to.by == secured && to.Addr() == known.Addr() {
		to.name = known.name
	}
	if to.by == known.by && by.reliable() && to.Addr() == known.Addr() {
		return known // the connection that stands already (RFC 3261 section 18.2.2, RFC 5923)
	}
	return to
}

// contact is where the switch wants further requests of a dialog by a trunk.
func (a *Agent) contact(t *plan.Trunk, by transport) string {
	return "<" + uriAt("", a.calledThere(t, by), by) + ">"
}

// calledThere is what the far end of a trunk calls the switch.
func (a *Agent) calledThere(t *plan.Trunk, by transport) string {
	return t.Link.SIP.CalledThere(a.layer.localOf(by))
}

// seen is the address at which the far end of a trunk sees the switch.
func (a *Agent) seen(t *plan.Trunk, by transport) netip.AddrPort {
	return t.Link.SIP.SeenAs(a.layer.localOf(by))
}
