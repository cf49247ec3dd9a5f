package sip

import (
	"net/netip"
	"strings"

	wire "switchback.example/switchback/internal/core/wire/sip"
)

// seen writes into the topmost Via where the request came from (RFC 3261 section
// 18.2.1, RFC 3581 section 4).
func seen(m *wire.Message, from hop) {
	via, err := wire.ReadVia(m.First("Via"))
	if err != nil {
		return
	}
	if _, asked := via.Params.Get("rport"); asked {
		via.Params = via.Params.With("rport", itoa(int(from.Port())))
		via.Params = via.Params.With("received", from.Addr().String())
	} else if via.Host != from.Addr().String() {
		via.Params = via.Params.With("received", from.Addr().String())
	}
	// The first line may hold several hops: the rest of it stays behind.
	line := via.String()
	if parts := wire.SplitList(m.Get("Via")); len(parts) > 1 {
		line += ", " + strings.Join(parts[1:], ", ")
	}
	m.SetFirst("Via", line)
}

// responseAddress is where responses to a request go (RFC 3261 section 18.2.2):
// where it came from, on the same connection or at the port of rport or of the
// Via.
func responseAddress(m *wire.Message, from hop) hop {
	if from.by.reliable() {
		return from
	}
	if via, err := wire.ReadVia(m.First("Via")); err == nil {
		if _, asked := via.Params.Get("rport"); !asked {
			return hopTo(netip.AddrPortFrom(from.Addr(), portOr(via.Port)), udp)
		}
	}
	return from
}

// afterwards is where a response goes whose connection has ended: to the port of
// the Via, by a new one (RFC 3261 section 18.2.2).
func afterwards(m *wire.Message, from hop) hop {
	via, err := wire.ReadVia(m.First("Via"))
	if err != nil {
		return from
	}
	return hopTo(netip.AddrPortFrom(from.Addr(), portOr(via.Port)), from.by)
}

func portOr(port int) uint16 {
	if port == 0 {
		return 5060
	}
	return uint16(port)
}
