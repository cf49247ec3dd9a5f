package decide

import (
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
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
func (s *Snapshot) Exposure(trunk string) []Exposed {
	out := []Exposed{}
	start := s.trunks[trunk]
	if start == nil {
		return out
	}
	type place struct {
		table *tableNode
		from  *trunkNode
	}
	type visit struct {
		place
		by []trail.Ref
	}
	seen, found := map[place]bool{}, map[*trunkNode]bool{}
	var queue []visit
	enter := func(table *tableNode, from *trunkNode, by []trail.Ref) {
		if table != nil {
			queue = append(queue, visit{place{table, from}, by})
		}
	}
	enter(start.entry, start, nil)
	for _, g := range s.groups {
		if len(g.Trunks) == 0 || slices.Contains(g.Trunks, start.ID) {
			enter(g.table, start, nil)
		}
	}
	if start.Services.SendsOn() {
		enter(start.sentOn, start, nil) // what it sends on is decided there
	}
	reach := func(t, from *trunkNode, by []trail.Ref) {
		switch {
		case t == from && !t.mayGoBack:
		case t.OppositeTrunk != "": // on at the other switch
			if peer := s.trunks[t.OppositeTrunk]; peer != nil {
				enter(peer.entry, peer, by)
			}
		case !found[t] && t.outside:
			found[t] = true
			out = append(out, Exposed{t.ref, t.farEnd, by})
		case start.outside && t.Services.SendsOn() && t.Services.TrunkToTrunk:
			enter(t.sentOn, t, by)
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
			if r.rule.Disabled || len(r.from) > 0 && !slices.Contains(r.from, v.from.ID) {
				continue
			}
			by := append(slices.Clone(v.by), r.ref)
			switch {
			case r.table != nil:
				enter(r.table, v.from, by)
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

// LeadsOutside tells whether a trunk leads to where others are called and billed; false
// for one that is not there.
func (s *Snapshot) LeadsOutside(trunk string) bool {
	t := s.trunks[trunk]
	return t != nil && t.outside
}

// PublicNumber is the public number that a call from outside is for, in E.164; ok is false
// for trunks that do not lead outside, and for what is no public number.
func (s *Snapshot) PublicNumber(trunk string, called digits.Number) (n digits.Number, ok bool) {
	t := s.trunks[trunk]
	if t == nil || !t.outside || called.Empty() {
		return n, false
	}
	w := numbering.As(called, orAsDialled(t.In.CalledFormat))
	if edit, ok := t.whole(w); ok {
		return edit.After(), true
	}
	read := t.sw.region.Read(w.Number, w.Format)
	w, _ = t.sw.region.Put(&read, numbering.E164)
	return w.Number, w.Format == numbering.E164 && w.Number.Plus()
}

// SampleOf is a public number in E.164 that a rule of a table matches; empty if it matches
// none, or if nobody knows in which form its numbers are.
func (s *Snapshot) SampleOf(table, rule string) (n digits.Number) {
	t := s.tables[table]
	if t == nil || t.rule(rule) == nil {
		return n
	}
	sw := s.switches[t.Switch]
	r := t.rule(rule)
	var list []digits.Number
	if r.called != nil {
		list = r.called.Samples(20)
	}
	for _, sample := range list {
		w := numbering.As(sample, t.Format)
		read := sw.region.Read(w.Number, w.Format)
		if w, _ = sw.region.Put(&read, numbering.E164); w.Format == numbering.E164 && w.Number.Plus() && w.Number.Len() > 8 {
			return w.Number
		}
	}
	return n
}
