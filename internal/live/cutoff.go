package live

import (
	"net/netip"
	"time"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
)

// CutOff is the first block under which an address of a trunk's far end is: one that it
// trusts, calls, or has heard from. What is cut off by the switch itself must not look as if
// the far end had failed.
func (t *Trunks) CutOff(trunk plan.Trunk, r *Registrations, g *Gate, now time.Time) (by guard.Block, cut bool) {
	if g == nil {
		return by, false
	}
	for _, from := range t.addressesOf(trunk, r, now) {
		if by, cut = g.Of(from, now); cut {
			return by, true
		}
	}
	return by, false
}

// addressesOf are the addresses that a far end is known to have.
func (t *Trunks) addressesOf(trunk plan.Trunk, r *Registrations, now time.Time) (list []netip.Addr) {
	link := trunk.Link.Signalling()
	for _, text := range link.Claims().Trusted {
		if trust, err := plan.ParseTrust(text); err == nil && trust.Single() {
			list = append(list, trust.Network.Addr())
		}
	}
	for _, text := range link.Remote().Servers {
		if at, err := netip.ParseAddrPort(text); err == nil {
			list = append(list, at.Addr())
		}
	}
	for from := range t.State(trunk.ID).Sources {
		list = append(list, from)
	}
	for _, a := range link.Accounts(plan.SideInbound) {
		for _, b := range r.Bindings(trunk.ID, a.ID, now) {
			if at, err := netip.ParseAddrPort(b.Source); err == nil {
				list = append(list, at.Addr())
			}
		}
	}
	return list
}
