package decide

import (
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
)

// Placed is a rule in effective order, and why it stands before others.
type Placed struct {
	Rule string `json:"rule"`
	// Before is the next rule in this order that would take every call that
	// this one takes, and more; empty if there is none, or under as-listed.
	Before string `json:"before,omitempty"`
	// Example is a called number that both take; nil if Before is empty.
	Example *digits.Number `json:"example,omitempty"`
}

// EffectiveOrder returns the rules of a valid table in the order in which they
// are tried, each with the reason for its place.
func EffectiveOrder(t plan.Table) []Placed {
	out := []Placed{}
	if t.Policy != plan.SpecificFirst {
		for _, r := range t.Rules {
			out = append(out, Placed{Rule: r.ID})
		}
		return out
	}
	reaches := reachesOf(t.Rules)
	order := specificFirst(reaches)
	for at, i := range order {
		p := Placed{Rule: t.Rules[i].ID}
		for _, j := range order[at+1:] {
			if reaches[i].strictlyWithin(reaches[j]) {
				p.Before = t.Rules[j].ID
				p.Example = digits.Compare(reaches[i].called, reaches[j].called).Both
				break
			}
		}
		out = append(out, p)
	}
	return out
}

// specificFirst orders rules: each, in list order, is put directly before the
// first rule already placed that strictly contains it, else at the end. Then a
// rule stands before every rule that strictly contains it, and a rule that is
// added changes only calls that it matches.
func specificFirst(reaches []reach) (order []int) {
	for i := range reaches {
		at := slices.IndexFunc(order, func(j int) bool { return reaches[i].strictlyWithin(reaches[j]) })
		if at < 0 {
			at = len(order)
		}
		order = slices.Insert(order, at, i)
	}
	return order
}

func reachesOf(rules []plan.Rule) []reach {
	out := make([]reach, len(rules))
	for i, r := range rules {
		out[i] = reachOf(r)
	}
	return out
}

// reach is the calls that a rule matches: a product of called numbers, callers
// and sources.
type reach struct {
	called, caller digits.Set
	from           []string // nil for every source
}

// every holds every number, the empty one too.
var every = func() digits.Set {
	p, err := digits.CompileExpression(".*")
	if err != nil {
		panic(err) // a constant
	}
	return p.Set()
}()

var nobody = func() digits.Set {
	s, err := digits.SetOf(digits.Number{})
	if err != nil {
		panic(err) // a constant
	}
	return s
}()

func reachOf(r plan.Rule) reach {
	return reach{
		called: part(r.Match.Called, r.Match.NoDigits),
		caller: caller(r.Match),
		from:   r.Match.From,
	}
}

func part(pattern string, none bool) digits.Set {
	switch {
	case none:
		return nobody
	case pattern == "":
		return every
	}
	return digits.MustCompile(pattern).Set() // validated
}

// caller is the callers that a rule takes: a pattern never takes a caller
// without a number.
func caller(m plan.Match) digits.Set {
	s := part(m.Caller, m.NoCaller)
	if m.Caller == "" {
		return s
	}
	numbers, err := s.Minus(nobody)
	if err != nil {
		return s // one number less needs one state more at most
	}
	return numbers
}

// strictlyWithin tells whether b takes every call that a takes, and others
// too.
func (a reach) strictlyWithin(b reach) bool {
	return a.within(b) && !b.within(a)
}

func (a reach) within(b reach) bool {
	return fromWithin(a.from, b.from) && a.called.Within(b.called) && a.caller.Within(b.caller)
}

func fromWithin(a, b []string) bool {
	if len(b) == 0 {
		return true
	}
	if len(a) == 0 {
		return false
	}
	return !slices.ContainsFunc(a, func(t string) bool { return !slices.Contains(b, t) })
}
