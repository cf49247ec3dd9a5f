package compiled

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
// are tried, each with the reason for its place. groups are the trunks of each group.
func EffectiveOrder(t plan.Table, groups map[string][]string) []Placed {
	out := []Placed{}
	if t.Order != plan.SpecificFirst {
		for _, r := range t.Rules {
			out = append(out, Placed{Rule: r.ID})
		}
		return resortsLast(t, out)
	}
	patterns := make([]*digits.Pattern, len(t.Rules))
	for i := range t.Rules {
		patterns[i] = calledPattern(t.Rules[i])
	}
	c := newContainment(t.Rules, patterns, groups)
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
			// Every number of the narrower rule is an example; the shortest is told.
			if example, ok := Shortest(c.reaches[i].called); ok {
				p.Example = &example
			}
		}
		out = append(out, p)
	}
	return resortsLast(t, out)
}

// resortsLast puts rules of last resort behind all others; they stand before none.
func resortsLast(t plan.Table, placed []Placed) []Placed {
	resort := map[string]bool{}
	for _, r := range t.Rules {
		resort[r.ID] = r.CatchAll
	}
	slices.SortStableFunc(placed, func(a, b Placed) int {
		switch {
		case resort[a.Rule] == resort[b.Rule]:
			return 0
		case resort[a.Rule]:
			return 1
		}
		return -1
	})
	for i, p := range placed {
		if p.Before != "" && resort[p.Rule] && !resort[p.Before] {
			placed[i].Before, placed[i].Example = "", nil
		}
	}
	return placed
}

// containment finds the rules that strictly contain a rule without comparing
// every pair: whoever contains a rule takes its shortest number too.
//
// Only rules that are tried together are compared: one that is disabled, or for wrong
// numbers, must not change the order of the others.
type containment struct {
	reaches []Reach
	index   *digits.Index
	among   []among
}

// among says with which other rules of its table a rule is tried.
type among uint8

const (
	ordinary among = iota
	resorts
	unused
)

func amongOf(r plan.Rule) among {
	switch {
	case r.Disabled:
		return unused
	case r.CatchAll:
		return resorts
	}
	return ordinary
}

func newContainment(rules []plan.Rule, patterns []*digits.Pattern, groups map[string][]string) containment {
	c := containment{reaches: make([]Reach, len(rules)), index: digits.NewIndex(patterns), among: make([]among, len(rules))}
	for i, r := range rules {
		c.reaches[i], c.among[i] = reachOfRow(r, patterns[i], groups), amongOf(r)
	}
	return c
}

// containers returns the rules that strictly contain rule i, in list order.
func (c containment) containers(i int) []int {
	if c.among[i] == unused {
		return nil
	}
	var out []int
	ask := func(j int) {
		if c.among[j] == c.among[i] && c.reaches[i].strictlyWithin(c.reaches[j]) {
			out = append(out, j)
		}
	}
	number, ok := Shortest(c.reaches[i].called)
	if !ok { // no number is short enough for it: every rule contains it
		for j := range c.reaches {
			ask(j)
		}
		return out
	}
	c.index.Find(number, func(place int, matches bool) bool {
		if matches && place != i {
			ask(place)
		}
		return true
	})
	return out
}

// specificFirst orders rules: each, in list order, is put directly before the
// first rule already placed that strictly contains it, else at the end. Then a
// rule stands before every rule that strictly contains it, and a rule that is
// added changes only calls that it matches.
func (c containment) specificFirst() []int {
	placed := newSequence(len(c.reaches))
	for i := range c.reaches {
		first := none
		for _, j := range c.containers(i) {
			if j < i && (first == none || placed.before(j, first)) {
				first = j
			}
		}
		placed.insert(i, first)
	}
	return placed.order()
}
