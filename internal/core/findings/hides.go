package findings

import (
	"cmp"
	"fmt"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/trail"
)

// Hidden is numbers of a destination that somebody who dials them does not reach, though
// others of the same destination are reached so: an access prefix, a code or a rule that
// is too broad stands before them.
type Hidden struct {
	Trunk       trail.Ref     `json:"trunk" doc:"Inbound trunk"`
	Table       trail.Ref     `json:"table" doc:"Inbound routing table"`
	Destination trail.Ref     `json:"destination"`
	Example     digits.Number `json:"example" doc:"The shortest of them"`
	Rule        trail.Ref     `json:"rule" doc:"The rule that matches"`
	Count       string        `json:"count" doc:"Number of affected numbers, up to 32 digits"`
	Text        string        `json:"text"`
}

// Hides looks from every phone system at every destination with numbers on its switch.
// Errors are digits.ErrTooLarge.
func Hides(s *decide.Snapshot) ([]Hidden, error) {
	out := []Hidden{}
	for i := range s.Source.Trunks {
		t := s.Trunks[s.Source.Trunks[i].ID]
		if t.Entry == nil || t.Outside || t.OppositeTrunk != "" {
			continue
		}
		if err := hiddenFrom(s, t, &out); err != nil {
			return out, fmt.Errorf("numbers dialled by %s: %w", t.Name, err)
		}
	}
	return out, nil
}

func hiddenFrom(s *decide.Snapshot, t *compiled.Trunk, out *[]Hidden) error {
	caller := numbering.As(someCaller(s.Graph, t), t.In.CallerFormat)
	form := cmp.Or(t.In.CalledFormat, numbering.AsDialled)
	source := s.ReachFrom(t)
	reach := func(wanted func(*compiled.Rule) bool) (digits.Set, error) {
		r := source.Wanting(wanted)
		return r.Takes(t.Entry, caller, form, 0), r.Failed()
	}
	all, err := reach(nil)
	if err != nil {
		return err
	}
	for _, d := range s.Source.Destinations {
		n := s.Destinations[d.ID]
		if n.To.On != t.On || d.Kind == "outside" {
			continue
		}
		there, err := reach(func(r *compiled.Rule) bool { return r.Destination != nil && r.Destination.To == n.To })
		if err == nil {
			there, err = there.Intersect(n.Set())
		}
		if err != nil {
			return err
		}
		if there.Empty() {
			continue // it is not dialled by its own numbers here
		}
		lost, err := n.Set().Intersect(all)
		if err == nil {
			lost, err = lost.Minus(there)
		}
		if err != nil {
			return err
		}
		if h, ok := hidden(s, t, n, lost, caller); ok {
			*out = append(*out, h)
		}
	}
	return nil
}

// hidden tells of numbers that are lost; ok is false if there are none.
func hidden(s *decide.Snapshot, t *compiled.Trunk, d *compiled.Destination, lost digits.Set, caller numbering.Written) (h Hidden, ok bool) {
	example, ok := lost.Shortest()
	if !ok {
		return h, false
	}
	h = Hidden{Trunk: t.Ref, Table: t.Entry.Ref, Destination: d.Ref, Example: example}
	for _, c := range lost.CountByLength() {
		h.Count = c.Count.String()
	}
	if r := s.FirstRule(decide.Call{Trunk: t.ID, Called: example, Caller: callerid.Of(caller.Number)}); r != nil { // what precedes it
		h.Rule = r.Ref
	}
	h.Text = fmt.Sprintf("from %s, %s does not reach %s: rule %s matches", t.Name, example, d.Name, h.Rule.Name)
	return h, true
}

// someCaller is an extension behind a trunk; the empty number if it has none.
func someCaller(s *compiled.Graph, t *compiled.Trunk) digits.Number {
	for _, d := range s.Source.Destinations {
		if d.Trunk == t.ID && d.NumberPattern != "" {
			n, _ := compiled.Shortest(s.Destinations[d.ID].Pattern)
			return n
		}
	}
	return digits.Number{}
}
