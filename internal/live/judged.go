package live

import (
	"time"

	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
)

// Judge says what was proved of a trunk at a time, from all that is known of it.
func (t *Trunks) Judge(trunk plan.Trunk, r *Registrations, g *Gate, now time.Time) judge.State {
	seen := judge.Seen{Trunk: trunk, State: t.State(trunk.ID), Inbound: map[string][]standing.Binding{}, Outbound: map[string]standing.OurRegistration{}}
	if b, cut := t.CutOff(trunk, r, g, now); cut {
		seen.Blocked = &b
	}
	for _, a := range trunk.Link.Signalling().Accounts(plan.SideInbound) {
		seen.Inbound[a.ID] = r.Bindings(trunk.ID, a.ID, now)
	}
	for _, a := range trunk.Link.Signalling().Accounts(plan.SideOutbound) {
		if o, ok := r.Our(trunk.ID, a.ID); ok {
			seen.Outbound[a.ID] = o
		}
	}
	return judge.Judge(seen, now)
}

// clock writes a time in the zone of another, which it names.
func clock(t, now time.Time) string { return t.In(now.Location()).Format("15:04:05 MST") }
