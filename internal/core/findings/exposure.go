package findings

import (
	"slices"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/trail"
)

// Exposed is a way by which calls from a trunk can leave our side: a trunk to a
// far end that is not a phone system, and the rules that lead there.
type Exposed struct {
	Trunk  trail.Ref   `json:"trunk"`
	FarEnd trail.Ref   `json:"farEnd"`
	By     []trail.Ref `json:"by" doc:"The rules on the way, in order: one way of possibly several"`
}

// Exposure lists the outside trunks that calls from a trunk can reach, over all
// switches: what the plan says, and so what a stranger could use who gets in by
// it, with the help of those who may send calls on. It follows the rules without looking at the numbers, so that it may name a
// trunk that no number reaches, and never leaves one out.
func Exposure(s *compiled.Graph, trunk string) []Exposed {
	out := []Exposed{}
	start := s.Trunks[trunk]
	if start == nil {
		return out
	}
	type place struct {
		table *compiled.Table
		from  *compiled.Trunk
	}
	type visit struct {
		place
		by []trail.Ref
	}
	seen, found := map[place]bool{}, map[*compiled.Trunk]bool{}
	var queue []visit
	enter := func(table *compiled.Table, from *compiled.Trunk, by []trail.Ref) {
		if table != nil {
			queue = append(queue, visit{place{table, from}, by})
		}
	}
	enter(start.Entry, start, nil)
	for _, g := range s.Groups {
		if len(g.Trunks) == 0 || slices.Contains(g.Trunks, start.ID) {
			enter(g.Table, start, nil)
		}
	}
	if start.Services.SendsOn() {
		enter(start.SentOn, start, nil) // what it sends on is decided there
	}
	reach := func(t, from *compiled.Trunk, by []trail.Ref) {
		switch {
		case t == from && !t.MayGoBack:
		case t.OppositeTrunk != "": // on at the other switch
			if peer := s.Trunks[t.OppositeTrunk]; peer != nil {
				enter(peer.Entry, peer, by)
			}
		case !found[t] && t.Outside:
			found[t] = true
			out = append(out, Exposed{t.Ref, t.FarEndRef, by})
		case start.Outside && t.Services.SendsOn() && t.Services.TrunkToTrunk:
			enter(t.SentOn, t, by)
		}
	}
	for len(queue) > 0 {
		v := queue[0]
		queue = queue[1:]
		if seen[v.place] {
			continue
		}
		seen[v.place] = true
		for i := range v.table.Effective {
			r := &v.table.Effective[i]
			if r.Row.Disabled || len(r.From) > 0 && !slices.Contains(r.From, v.from.ID) {
				continue
			}
			by := append(slices.Clone(v.by), r.Ref)
			switch {
			case r.Table != nil:
				enter(r.Table, v.from, by)
			case r.Path != nil:
				for _, c := range r.Path.Tries {
					reach(c.Trunk, v.from, by)
				}
			case r.Destination != nil:
				reach(r.Destination.To, v.from, by)
			}
		}
	}
	return out
}
