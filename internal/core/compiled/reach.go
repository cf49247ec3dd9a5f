package compiled

import (
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
)

// Reach is the calls that a rule matches: a product of called numbers, callers,
// sources and times.
type Reach struct {
	called *digits.Pattern // nil for every number
	caller callers
	from   []string // nil for every source
	when   plan.When
}

// callers are the callers that a rule takes: a pattern never takes a caller
// without a number.
type callers struct {
	nobody  bool            // a caller without a number
	numbers *digits.Pattern // nil for every number, if any
	any     bool            // some or all numbers
}

func reachOfRow(r plan.Rule, called *digits.Pattern, groups map[string][]string) Reach {
	numbers := optionalPattern(r.Match.Caller)
	if numbers != nil {
		numbers = numbers.Nonempty()
	}
	return Reach{
		called: called, from: sources(&r.Match, groups), when: r.Match.When,
		caller: callers{nobody: numbers == nil, any: !r.Match.NoCaller, numbers: numbers},
	}
}

// ReachOfNode is reachOf for a compiled rule.
func ReachOf(r *Rule) Reach {
	numbers := r.Caller
	if numbers != nil {
		numbers = numbers.Nonempty()
	}
	return Reach{
		called: r.Called, from: r.From, when: *r.When,
		caller: callers{nobody: numbers == nil, any: !r.NoCaller, numbers: numbers},
	}
}

func (a callers) within(b callers) bool {
	return (!a.nobody || b.nobody) && (!a.any || b.any && patternWithin(a.numbers, b.numbers))
}

// patternWithin is containment of the numbers of two fields, of which an absent
// one takes every number.
func patternWithin(a, b *digits.Pattern) bool {
	switch {
	case b == nil || a == b:
		return true
	case a == nil:
		return every.Within(b.Set())
	}
	return a.Within(b)
}

// strictlyWithin tells whether b takes every call that a takes, and others
// too.
func (a Reach) strictlyWithin(b Reach) bool {
	return a.Within(b) && !b.Within(a)
}

// Within tells whether b takes all that a takes.
func (a Reach) Within(b Reach) bool {
	return fromWithin(a.from, b.from) && whenWithin(a.when, b.when) && patternWithin(a.called, b.called) && a.caller.within(b.caller)
}

// Together tells whether some caller, source and time belong to both.
func (a Reach) Together(b Reach) bool {
	nobody := a.caller.nobody && b.caller.nobody
	numbers := a.caller.any && b.caller.any
	if numbers && a.caller.numbers != nil && b.caller.numbers != nil {
		_, numbers = a.caller.numbers.Meet(b.caller.numbers)
	}
	if !nobody && !numbers {
		return false
	}
	if len(a.from) > 0 && len(b.from) > 0 && !slices.ContainsFunc(a.from, func(t string) bool { return slices.Contains(b.from, t) }) {
		return false
	}
	if a.when.Calendar != "" && a.when.Calendar == b.when.Calendar {
		return slices.ContainsFunc(a.when.States, func(s string) bool { return slices.Contains(b.when.States, s) })
	}
	return true
}

// Beside tells whether b takes, the called number apart, all that a takes.
func (a Reach) Beside(b Reach) bool {
	return fromWithin(a.from, b.from) && whenWithin(a.when, b.when) && a.caller.within(b.caller)
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

// whenWithin: times contain each other only if one is always, or both are the same.
func whenWithin(a, b plan.When) bool {
	if b.Always() {
		return true
	}
	return a.Calendar == b.Calendar && len(a.States) == len(b.States) && fromWithin(a.States, b.States)
}

// Shortest is the shortest number of a pattern, of which nil takes every number.
func Shortest(p *digits.Pattern) (digits.Number, bool) {
	if p == nil {
		return digits.Number{}, true
	}
	return p.Shortest()
}

// every holds every number, the empty one too.
var every = func() digits.Set {
	p, err := digits.CompileExpression(".*")
	if err != nil {
		panic(err) // a constant
	}
	return p.Set()
}()
