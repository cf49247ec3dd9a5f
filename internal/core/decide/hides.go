package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/trail"
)

// Hidden is numbers of a destination that somebody who dials them does not reach, though
// others of the same destination are reached so: an access prefix, a code or a rule that
// is too broad stands before them.
type Hidden struct {
	Trunk       trail.Ref     `json:"trunk" doc:"By which they are dialled"`
	Table       trail.Ref     `json:"table" doc:"Where the calls enter"`
	Destination trail.Ref     `json:"destination"`
	Example     digits.Number `json:"example" doc:"The shortest of them"`
	Rule        trail.Ref     `json:"rule" doc:"The rule that takes it"`
	Count       string        `json:"count" doc:"How many numbers are concerned, up to 32 digits"`
	Text        string        `json:"text"`
}

// Hides looks from every phone system at every destination with numbers on its switch.
// Errors are digits.ErrTooLarge.
func (s *Snapshot) Hides() ([]Hidden, error) {
	out := []Hidden{}
	for i := range s.Source.Trunks {
		t := s.Trunks[s.Source.Trunks[i].ID]
		if t.Entry == nil || t.Outside || t.OppositeTrunk != "" {
			continue
		}
		if err := s.hiddenFrom(t, &out); err != nil {
			return out, fmt.Errorf("numbers dialled by %s: %w", t.Name, err)
		}
	}
	return out, nil
}

func (s *Snapshot) hiddenFrom(t *compiled.Trunk, out *[]Hidden) error {
	caller := numbering.As(s.someCaller(t), t.In.CallerFormat)
	form := orAsDialled(t.In.CalledFormat)
	unions := map[unionKey]digits.Set{}
	reach := func(wanted func(*compiled.Rule) bool) (digits.Set, error) {
		r := reaching{e: &Evaluation{snap: s, sw: t.On, source: t}, known: map[reachKey]dialled{}, wanted: wanted, unions: unions}
		d := r.table(t.Entry, caller, form, 0)
		return d.taken, r.err
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
		if h, ok := s.hidden(t, n, lost, caller); ok {
			*out = append(*out, h)
		}
	}
	return nil
}

// hidden tells of numbers that are lost; ok is false if there are none.
func (s *Snapshot) hidden(t *compiled.Trunk, d *compiled.Destination, lost digits.Set, caller numbering.Written) (h Hidden, ok bool) {
	example, ok := lost.Shortest()
	if !ok {
		return h, false
	}
	e := &Evaluation{}
	s.Decide(e, Call{Trunk: t.ID, Called: example, Caller: callerid.Of(caller.Number)})
	h = Hidden{Trunk: t.Ref, Table: t.Entry.Ref, Destination: d.Ref, Example: example}
	for _, c := range lost.CountByLength() {
		h.Count = c.Count.String()
	}
	if e.passed > 0 { // the first table's rule is what stands before it
		first := &Evaluation{snap: s, sw: t.On, source: t, called: e.visits[0].entered, caller: caller}
		if r := first.winner(e.visits[0].table); r != nil {
			h.Rule = r.Ref
		}
	}
	h.Text = fmt.Sprintf("%s dials %s and does not reach %s: rule %s takes it", t.Name, example, d.Name, h.Rule.Name)
	return h, true
}

// someCaller is an extension behind a trunk; the empty number if it has none.
func (s *Snapshot) someCaller(t *compiled.Trunk) digits.Number {
	for _, d := range s.Source.Destinations {
		if d.Trunk == t.ID && d.NumberPattern != "" {
			n, _ := compiled.Shortest(s.Destinations[d.ID].Pattern)
			return n
		}
	}
	return digits.Number{}
}
