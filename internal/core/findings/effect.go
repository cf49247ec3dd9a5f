package findings

import (
	"slices"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// RuleEffect is what a rule does where it stands: beside the fields in which it is
// edited.
type RuleEffect struct {
	Findings []Finding `json:"findings" nullable:"false"`
	// Takes are rules behind it that want some of its numbers too, and Yields those
	// before it that get some of them.
	Takes  []Shared `json:"takes" nullable:"false"`
	Yields []Shared `json:"yields" nullable:"false"`
	// Classes are the classes of its sample numbers as they would leave.
	Classes []ClassOf `json:"classes" nullable:"false"`
	// Of a rule whose digits can come one by one: Delayed are numbers of it that wait for
	// longer ones, as it is; CutOff are longer numbers that it would keep from being
	// dialled if it connected at once.
	Overlap bool      `json:"overlap"`
	Delayed []Outgrow `json:"delayed" nullable:"false"`
	CutOff  []Outgrow `json:"cutOff" nullable:"false"`
}

// Shared is a rule with which another shares numbers, and one of them.
type Shared struct {
	Rule    trail.Ref     `json:"rule"`
	Example digits.Number `json:"example"`
	// All: every call of the one behind goes to the one before.
	All bool `json:"all"`
}

// ClassOf is the class of a number that a rule sends out.
type ClassOf struct {
	Class   numbering.Class `json:"class" enum:"emergency,internal,service,local,national,mobile,freephone,shared-cost,premium,international,unknown"`
	Example digits.Number   `json:"example" doc:"As the table gets it"`
	Leaves  string          `json:"leaves"`
	Why     string          `json:"why"`
}

// Outgrow is a number and a longer one that begins with it.
type Outgrow struct {
	Number digits.Number `json:"number"`
	Longer digits.Number `json:"longer"`
}

// mostShared bounds the rules and numbers that an effect lists.
const mostShared = 20

// Effect says what a rule of a table does; ok is false if there is none.
func Effect(s *decide.Snapshot, table, rule string) (out RuleEffect, ok bool) {
	t := s.Tables[table]
	if t == nil || t.Rule(rule) == nil {
		return out, false
	}
	r := t.Rule(rule)
	out = RuleEffect{Findings: InTable(s, table, rule), Takes: []Shared{}, Yields: []Shared{}, Classes: []ClassOf{}, Delayed: []Outgrow{}, CutOff: []Outgrow{}}
	if r.Disabled {
		return out, true
	}
	f := finder{s: s, t: t, only: rule, sources: sourcesOf(s.Graph, t)}
	out.shares(f, r)
	out.classes(f, r)
	out.outgrown(f, r)
	return out, true
}

func (o *RuleEffect) shares(f finder, r *compiled.Rule) {
	mine := compiled.ReachOf(r)
	passed := false
	for i := range f.t.Effective {
		q := &f.t.Effective[i]
		if q == r {
			passed = true
			continue
		}
		if q.Disabled || len(o.Takes) == mostShared && len(o.Yields) == mostShared {
			continue
		}
		example, ok := meet(r.Called, q.Called)
		if !ok {
			continue
		}
		theirs := compiled.ReachOf(q)
		if !mine.Together(theirs) {
			continue
		}
		if passed && len(o.Takes) < mostShared {
			o.Takes = append(o.Takes, Shared{q.Ref, example, theirs.Within(mine)})
		} else if !passed && len(o.Yields) < mostShared {
			o.Yields = append(o.Yields, Shared{q.Ref, example, mine.Within(theirs)})
		}
	}
}

func (o *RuleEffect) classes(f finder, r *compiled.Rule) {
	known := map[numbering.Class]bool{}
	for _, n := range f.taken(r).Samples(40) {
		e := f.send(r, n)
		if e == nil {
			continue
		}
		if leaves, resorted := e.Leaves(); !leaves || resorted && !r.Row.CatchAll {
			continue
		}
		class, why := e.Class()
		if !known[class] {
			known[class] = true
			o.Classes = append(o.Classes, ClassOf{class, n, e.Called().String(), why.String()})
		}
	}
}

// taken is the numbers of a rule that are taken to where they go; all of them where that
// cannot be said.
func (f *finder) taken(r *compiled.Rule) digits.Set {
	if !r.GoesOn() || len(f.sources) == 0 {
		return r.Matched()
	}
	t := f.sources[0]
	back := f.s.ReachFrom(t)
	if some := back.Intersect(r.Matched(), back.Takes(f.t, f.callerOf(r, t), f.form(), 0)); back.Failed() == nil && !some.Empty() {
		return some
	}
	return r.Matched()
}

// outgrown compares the rule's numbers with the longer ones that its table takes.
func (o *RuleEffect) outgrown(f finder, r *compiled.Rule) {
	var source *compiled.Trunk
	for _, t := range f.sources {
		if t.Overlap.Enabled && (len(r.From) == 0 || slices.Contains(r.From, t.ID)) {
			source = t
		}
	}
	if source == nil || r.Row.CatchAll {
		return
	}
	o.Overlap = true
	back := f.s.ReachFrom(source)
	all := back.Takes(f.t, f.callerOf(r, source), f.form(), 0)
	mine := back.Intersect(r.Matched(), all)
	longer := back.Intersect(all, back.Keep(mine.Longer()))
	shorter := back.Intersect(mine, back.Keep(all.Shorter()))
	if back.Failed() != nil {
		return
	}
	for _, n := range shorter.Samples(mostShared) {
		if m, ok := longer.Continues(n); ok {
			o.Delayed = append(o.Delayed, Outgrow{n, m})
		}
	}
	for _, m := range longer.Samples(mostShared) {
		for k := m.Len() - 1; k >= 0; k-- {
			if n := m.First(k); mine.Contains(n) {
				o.CutOff = append(o.CutOff, Outgrow{n, m})
				break
			}
		}
	}
	if r.Row.Complete == plan.CompleteAtOnce {
		o.Delayed = []Outgrow{}
	}
}
