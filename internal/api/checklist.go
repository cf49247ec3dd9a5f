package api

import (
	"time"

	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
)

// facts gathers what a trunk's checklist rests on.
func (s *server) facts(p plan.Plan, t plan.Trunk, d TrunkDetail, now time.Time) judge.Facts {
	x := plan.NewIndex(p)
	f := judge.Facts{
		Trunk: t, Switch: *x.Switches[t.Switch], Peer: x.Trunks[t.OppositeTrunk], State: s.Trunks.State(t.ID), Judged: s.Trunks.Judge(t, s.Registrations, s.Gate, now.In(x.Switches[t.Switch].Zone())),
		Table: x.Tables[t.InboundTable], Used: usersOf(p, t.ID),
	}
	for _, e := range d.Exposure {
		f.Exposed = append(f.Exposed, e.Trunk.Name)
	}
	for _, other := range p.Trunks {
		if other.Switch == t.Switch && !other.Media.Direct() {
			f.Channels += other.Channels
		}
	}
	f.SentOn = d.ServicesTable
	f.Compared = len(d.Ends.Rows)
	for _, r := range d.Ends.Rows {
		if r.State == plan.EndsDiffer {
			f.Differ = append(f.Differ, r.What)
		}
	}
	if _, first, last, ok := f.Switch.MediaPorts(); ok {
		f.Calls = (int(last) - int(first) + 1) / plan.PortsPerCall
	}
	f.Now = now
	_, f.Shown = s.shownBy(t)
	if v := s.secured(f.Switch, now); v != nil {
		f.Certificate = v.Warning
	}
	for _, a := range d.Accounts {
		needed := a.Side == string(plan.SideInbound) && t.Link.Signalling().Claims().AcceptsDigest() || a.Side == string(plan.SideOutbound)
		if needed && !a.Secret {
			f.NoSecret = append(f.NoSecret, a.User)
		}
		if a.Side == string(plan.SideInbound) && a.State != "registered" {
			f.Missing = append(f.Missing, a.User)
		}
	}
	return f
}

// usersOf names the paths and destinations that send calls to a trunk.
func usersOf(p plan.Plan, trunk string) (list []string) {
	for _, path := range p.Paths {
		for _, c := range path.Choices {
			if c.Trunk == trunk {
				list = append(list, "path "+path.Name)
			}
		}
	}
	for _, d := range p.Destinations {
		if d.Trunk == trunk {
			list = append(list, d.Name)
		}
	}
	return list
}
