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
	c := newContainment(t.Rules)
	order := c.specificFirst()
	place := make([]int, len(order))
	for at, i := range order {
		place[i] = at
	}
	for _, i := range order {
		p := Placed{Rule: t.Rules[i].ID}
		next := -1
		for _, j := range c.containers(i) {
			if place[j] > place[i] && (next < 0 || place[j] < place[next]) {
				next = j
			}
		}
		if next >= 0 {
			p.Before = t.Rules[next].ID
			p.Example = digits.Compare(c.reaches[i].called, c.reaches[next].called).Both
		}
		out = append(out, p)
	}
	return out
}

// containment finds the rules that strictly contain a rule without comparing
// every pair: whoever contains a rule takes its shortest number too.
type containment struct {
	reaches []reach
	index   *digits.Index
}

func newContainment(rules []plan.Rule) containment {
	c := containment{reaches: make([]reach, len(rules))}
	patterns := make([]*digits.Pattern, len(rules))
	for i, r := range rules {
		patterns[i] = calledPattern(r)
		c.reaches[i] = reachOf(r, patterns[i])
	}
	c.index = digits.NewIndex(patterns)
	return c
}

// containers returns the rules that strictly contain rule i, in list order.
func (c containment) containers(i int) []int {
	var out []int
	ask := func(j int) {
		if c.reaches[i].strictlyWithin(c.reaches[j]) {
			out = append(out, j)
		}
	}
	shortest, ok := c.reaches[i].called.Shortest()
	if !ok { // no number is short enough for it: every rule contains it
		for j := range c.reaches {
			ask(j)
		}
		return out
	}
	places, _ := c.index.Candidates(shortest)
	for _, j := range places {
		ask(int(j))
	}
	return out
}

// specificFirst orders rules: each, in list order, is put directly before the
// first rule already placed that strictly contains it, else at the end. Then a
// rule stands before every rule that strictly contains it, and a rule that is
// added changes only calls that it matches.
func (c containment) specificFirst() (order []int) {
	for i := range c.reaches {
		at := len(order)
		if containers := c.containers(i); len(containers) > 0 {
			first := slices.IndexFunc(order, func(j int) bool {
				_, found := slices.BinarySearch(containers, j)
				return found
			})
			if first >= 0 {
				at = first
			}
		}
		order = slices.Insert(order, at, i)
	}
	return order
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

func reachOf(r plan.Rule, called *digits.Pattern) reach {
	return reach{called: part(called), caller: caller(r.Match), from: r.Match.From}
}

// calledPattern is the called numbers of a validated rule; nil for all.
func calledPattern(r plan.Rule) *digits.Pattern {
	if r.Match.NoDigits {
		return noDigits
	}
	return optionalPattern(r.Match.Called)
}

// part is the numbers of a field; an absent one takes every number.
func part(p *digits.Pattern) digits.Set {
	if p == nil {
		return every
	}
	return p.Set()
}

// caller is the callers that a rule takes: a pattern never takes a caller
// without a number.
func caller(m plan.Match) digits.Set {
	if m.NoCaller {
		return noDigits.Set()
	}
	s := part(optionalPattern(m.Caller))
	if m.Caller == "" {
		return s
	}
	numbers, err := s.Minus(noDigits.Set())
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
