package inbound

import (
	"iter"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/trail"
)

// Depending is a public number whose calls go elsewhere when a calendar changes its state.
type Depending struct {
	Number digits.Number `json:"number"`
	Row    string        `json:"row" doc:"Id of its row in the inventory"`
	Trunk  trail.Ref     `json:"trunk" doc:"By which the call comes"`
	Ways   []Way         `json:"ways" nullable:"false" doc:"One for each state"`
}

// Way is where a call goes in a state of a calendar.
type Way struct {
	State string `json:"state"`
	// Lands is the destination or the trunk; none where the call is rejected.
	Lands *trail.Ref `json:"lands,omitempty"`
	Why   string     `json:"why"`
}

// Depends asks of the first and the last number of each row what becomes of its calls in each
// state of a calendar, by each trunk that may bring it, at a moment. It returns those that differ,
// up to a number of them.
func Depends(s *decide.Snapshot, calendar string, states []string, at time.Time, rows iter.Seq[inventory.Number], most int) []Depending {
	out := []Depending{}
	for row := range rows {
		for _, n := range ends(row) {
			for _, trunk := range TrunksOf(s, row) {
				d, ok := depends(s, calendar, states, at, trunk, n)
				if !ok {
					continue
				}
				d.Row = row.ID()
				if out = append(out, d); len(out) == most {
					return out
				}
			}
		}
	}
	return out
}

// ends are the first and the last number of a row.
func ends(row inventory.Number) []digits.Number {
	var out []digits.Number
	for _, text := range []string{row.First, row.Last} {
		if n, err := digits.ParseNumber(text); err == nil && !n.Empty() {
			out = append(out, n)
		}
	}
	return out
}

func depends(s *decide.Snapshot, calendar string, states []string, at time.Time, trunk string, n digits.Number) (d Depending, differs bool) {
	t, ok := s.Trunk(trunk)
	if !ok {
		return d, false
	}
	sw, _ := s.Switch(t.Switch)
	region, err := sw.Region.Compile()
	if err != nil {
		return d, false
	}
	forms := FormsOf(&region, n)
	form := forms[0]
	for _, f := range forms {
		if declares(t, f, n) {
			form = f
			break
		}
	}
	d = Depending{Number: n, Trunk: trail.Ref{Kind: "trunk", ID: t.ID, Name: t.Name}}
	var first Arrival
	for i, state := range states {
		a := arrive(s, trunk, form, at, map[string]string{calendar: state})
		d.Ways = append(d.Ways, Way{state, a.Lands, a.Why})
		if i == 0 {
			first = a
		} else if !a.goesLike(first) {
			differs = true
		}
	}
	return d, differs
}

// goesLike tells whether two calls end at the same place, with the same number there.
func (a Arrival) goesLike(b Arrival) bool {
	return a.As == b.As && a.Outcome == b.Outcome && (a.Lands == nil) == (b.Lands == nil) && (a.Lands == nil || *a.Lands == *b.Lands)
}
