package decide

import (
	"slices"

	"switchback.example/switchback/internal/core/plan"
)

// Exposed is a way by which calls from a trunk can leave our side: a trunk to a
// far end that is not a phone system, and the rules that lead there.
type Exposed struct {
	Trunk  Ref   `json:"trunk"`
	FarEnd Ref   `json:"farEnd"`
	By     []Ref `json:"by" doc:"The rules on the way, in order: one way of possibly several"`
}

// Exposure lists the outside trunks that calls from a trunk can reach, over all
// switches: what the plan says, and so what a stranger could use who gets in by
// it. It follows the rules without looking at the numbers, so that it may name a
// trunk that no number reaches, and never leaves one out.
func (s *Snapshot) Exposure(trunk string) []Exposed {
	out := []Exposed{}
	start := s.trunks[trunk]
	if start == nil || start.entry == nil {
		return out
	}
	type place struct {
		table *tableNode
		from  *trunkNode
	}
	type visit struct {
		place
		by []Ref
	}
	seen, found := map[place]bool{}, map[*trunkNode]bool{}
	queue := []visit{{place{start.entry, start}, nil}}
	reach := func(t, from *trunkNode, by []Ref) {
		switch {
		case t == from && !t.mayGoBack:
		case t.Peer != "": // on at the other switch
			if peer := s.trunks[t.Peer]; peer != nil && peer.entry != nil {
				queue = append(queue, visit{place{peer.entry, peer}, by})
			}
		case !found[t] && s.outside(t):
			found[t] = true
			out = append(out, Exposed{t.ref, t.farEnd, by})
		}
	}
	for len(queue) > 0 {
		v := queue[0]
		queue = queue[1:]
		if seen[v.place] {
			continue
		}
		seen[v.place] = true
		for i := range v.table.rules {
			r := &v.table.rules[i]
			if r.rule.Disabled || len(r.rule.Match.From) > 0 && !slices.Contains(r.rule.Match.From, v.from.ID) {
				continue
			}
			by := append(slices.Clone(v.by), r.ref)
			switch {
			case r.table != nil:
				queue = append(queue, visit{place{r.table, v.from}, by})
			case r.path != nil:
				for _, c := range r.path.choices {
					reach(c.trunk, v.from, by)
				}
			case r.destination != nil:
				reach(r.destination.trunk, v.from, by)
			}
		}
	}
	return out
}

// outside tells whether a trunk leads to where others are called and billed.
func (s *Snapshot) outside(t *trunkNode) bool {
	for _, f := range s.plan.FarEnds {
		if f.ID == t.FarEnd {
			return f.Kind != plan.PhoneSystem && f.Kind != plan.Application
		}
	}
	return false
}
