package decide

import (
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// LeavesAs is how a call would leave by a trunk that stands alone: the numbers in the
// form that its contract wants, with what was done to them. called and caller are in
// E.164. Problems say what is wrong with the trunk itself; ok is false if its contract
// takes no such call, and the last step says why.
func LeavesAs(sw plan.Switch, t plan.Trunk, called, caller digits.Number) (o Offer, trail []trail.Step, ok bool, problems []plan.Problem) {
	const from, table, far, there = "sketch-from", "sketch-table", "sketch-far-end", "sketch-destination"
	if t.ID == "" {
		t.ID = "sketch"
	}
	if t.Name == "" {
		t.Name = "this trunk"
	}
	t.Switch, t.FarEnd, t.OppositeTrunk, t.InboundTable, t.Services.Table = sw.ID, far, "", "", ""
	t.LastResort, sw.LastResort = "", ""
	services := t.Services
	t.Services = plan.Services{Redirecting: services.Redirecting}
	p := plan.New("sketch")
	p.Switches = []plan.Switch{sw}
	p.FarEnds = []plan.FarEnd{{ID: far, Name: "the far end", Kind: plan.PeerNetwork}}
	source := plan.Trunk{
		ID: from, Name: "another trunk", Switch: sw.ID, FarEnd: far, Channels: 1, InboundTable: table,
		In: plan.Inbound{CalledFormat: numbering.E164, CallerFormat: numbering.E164}, Link: plan.ExampleLink(),
	}
	p.Trunks = []plan.Trunk{source, t}
	p.Destinations = []plan.Destination{{ID: there, Name: "there", Kind: "outside", Trunk: t.ID}}
	p.Tables = []plan.Table{{ID: table, Name: "sketch", Switch: sw.ID, Format: numbering.E164, Order: plan.AsListed, Rules: []plan.Rule{
		{ID: "sketch-rule", Name: "every call", Then: plan.Then{Destination: there}},
	}}}
	s, problems := Compile(p)
	if len(problems) > 0 {
		return o, nil, false, problems
	}
	e, _ := s.Begin(Call{Trunk: from, Called: called, Caller: callerid.Of(caller)})
	o, ok = e.Next()
	return o, e.Trail(), ok, nil
}
