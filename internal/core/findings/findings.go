// Package findings says what in a plan its author may not have meant, and what follows from where
// it stands: rules that never fire, numbers that nobody reaches, groups that never act, the outside
// lines that a trunk can reach, the trunk that a stranger may be. Each finding has a witness.
//
// It decides no call itself: it asks package decide what becomes of one.
package findings

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/trail"
)

// Finding is something about a rule that its author may not have meant, with a number
// as witness.
type Finding struct {
	Rule string `json:"rule" doc:"Id of the rule; empty: the table itself"`
	// Kind: covered (other rules take all its calls), contested (it and another want the
	// same calls, and neither takes all of the other's), empty (no number matches it),
	// steps (its steps cannot act on some of its numbers), no-digits (they leave none),
	// loop, no-rule (the table that it sends to takes none of its numbers), class (its
	// numbers are of another class than it says), unentered (nothing enters the table).
	Kind string `json:"kind" enum:"covered,overlaps,empty,steps,no-digits,loop,no-rule,class,unentered"`
	// Grave findings are mistakes wherever they stand; the others may be meant.
	Grave bool `json:"grave"`
	// Other are the rules that are concerned too.
	Other   []trail.Ref    `json:"other" nullable:"false"`
	Example *digits.Number `json:"example,omitempty" doc:"A called number as the table gets it"`
	Text    string         `json:"text"`
}

// maxFindings bounds the findings of one rule: of one kind, the first ones.
const maxFindings = 8

// FindInTable looks at every rule of a table; only, if it is not empty, names the one
// rule that is looked at.
func InTable(s *decide.Snapshot, id, only string) []Finding {
	t := s.Tables[id]
	if t == nil {
		return nil
	}
	f := finder{s: s, t: t, only: only, found: []Finding{}}
	f.sources = sourcesOf(s.Graph, t)
	if len(f.sources) == 0 && only == "" {
		f.add(Finding{Kind: "unentered", Text: "table not used: no trunk, caller group or reachable rule names it"})
	}
	f.overlaps()
	for i := range t.Effective {
		if r := &t.Effective[i]; !r.Disabled && f.wants(r) {
			f.alone(r)
		}
	}
	places := map[string]int{}
	for i := range t.Effective {
		places[t.Effective[i].Ref.ID] = i + 1
	}
	slices.SortStableFunc(f.found, func(a, b Finding) int {
		return cmp.Or(places[a.Rule]-places[b.Rule], grave(b)-grave(a))
	})
	return f.found
}

// finder looks at one table.
type finder struct {
	s       *decide.Snapshot
	t       *compiled.Table
	only    string
	sources []*compiled.Trunk
	found   []Finding
	// left are the numbers of a rule that none before it takes, where some of them are
	// taken.
	left map[*compiled.Rule]digits.Set
}

func (f *finder) wants(r *compiled.Rule) bool { return f.only == "" || f.only == r.Ref.ID }

func (f *finder) add(x Finding) {
	if x.Other == nil {
		x.Other = []trail.Ref{}
	}
	f.found = append(f.found, x)
}

// grave orders mistakes before what may be meant.
func grave(x Finding) int {
	if x.Grave {
		return 1
	}
	return 0
}

// overlaps finds which rules want the same calls as others before them.
func (f *finder) overlaps() {
	rules := f.t.Effective
	if f.only != "" {
		var others []int
		me := slices.IndexFunc(rules, func(r compiled.Rule) bool { return r.Ref.ID == f.only })
		for j := range rules {
			if j != me && !rules[j].Disabled {
				others = append(others, j)
			}
		}
		if me >= 0 && !rules[me].Disabled {
			f.against(me, others)
		}
		return
	}
	patterns := make([]*digits.Pattern, len(rules))
	for i := range rules {
		if patterns[i] = rules[i].Called; rules[i].Disabled {
			patterns[i] = digits.Nothing()
		}
	}
	for i, before := range digits.Pairs(patterns) {
		slices.Sort(before)
		f.against(i, before)
	}
}

// against holds a rule against others that can want the same numbers.
func (f *finder) against(i int, others []int) {
	r := &f.t.Effective[i]
	mine := compiled.ReachOf(r)
	var covering []trail.Ref
	var covered []digits.Set
	contested := 0
	for _, j := range others {
		q := &f.t.Effective[j]
		if !f.wants(r) && !f.wants(q) || r.Row.CatchAll != q.Row.CatchAll {
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
		if j < i && mine.Beside(theirs) {
			covering, covered = append(covering, q.Ref), append(covered, q.Matched())
		}
		if !mine.Within(theirs) && !theirs.Within(mine) {
			if contested++; contested <= maxFindings {
				winner := f.t.Effective[min(i, j)].Ref.Name
				f.add(Finding{Rule: r.Ref.ID, Kind: "overlaps", Other: []trail.Ref{q.Ref}, Example: &example,
					Text: fmt.Sprintf("%s and %s both match %s; %s precedes and applies", r.Ref.Name, q.Ref.Name, example.Shown(), winner)})
			}
		}
	}
	if !f.wants(r) || len(covering) == 0 {
		return
	}
	var all decide.Reach
	left := all.Minus(r.Matched(), all.All(covered))
	switch {
	case all.Failed() != nil:
	case left.Empty():
		f.coveredBy(r, covering)
	default:
		if f.left == nil {
			f.left = map[*compiled.Rule]digits.Set{}
		}
		f.left[r] = left
	}
}

func (f *finder) coveredBy(r *compiled.Rule, covering []trail.Ref) {
	example, _ := compiled.Shortest(r.Called)
	var by []trail.Ref // without those that the others cover together
	for _, ref := range covering {
		by = append(by, ref)
		if len(by) == 1 {
			q := f.t.Rule(ref.ID)
			if left, err := r.Matched().Minus(q.Matched()); err == nil && left.Empty() {
				break
			}
		}
	}
	names := make([]string, 0, maxFindings)
	for _, ref := range by[:min(len(by), maxFindings)] {
		names = append(names, ref.Name)
	}
	f.add(Finding{Rule: r.Ref.ID, Kind: "covered", Grave: true, Other: by, Example: &example,
		Text: fmt.Sprintf("its calls, for example to %s, match %s first", example.Shown(), strings.Join(names, ", "))})
}

// alone finds what is wrong with a rule by itself and with where it sends calls.
func (f *finder) alone(r *compiled.Rule) {
	region := &f.s.Switches[f.t.Switch].Numbering
	if _, some := compiled.Shortest(r.Called); !some {
		f.add(Finding{Rule: r.Ref.ID, Kind: "empty", Grave: true, Text: "no number matches the pattern"})
		return
	}
	if !r.GoesOn() && r.Row.Class == "" && !r.CanFail() {
		return // nothing of what follows can be: most rules of large tables are so
	}
	match := r.Matched()
	form := f.form()
	if r.CanFail() {
		back := f.s.ReachOn(f.s.Switches[f.t.Switch])
		able := back.Before(r, digits.Any(), form)
		if left := back.Minus(match, able); back.Failed() == nil && !left.Empty() {
			example, _ := left.Shortest()
			f.add(Finding{Rule: r.Ref.ID, Kind: "steps", Grave: true, Example: &example,
				Text: fmt.Sprintf("steps fail on %s: %s", example.Shown(), whyNot(region, r, numbering.As(example, form)))})
		}
		nothing, _ := digits.SetOf(digits.Number{})
		if bare := back.Intersect(match, back.Before(r, nothing, form)); back.Failed() == nil && !bare.Empty() {
			example, _ := bare.Shortest()
			f.add(Finding{Rule: r.Ref.ID, Kind: "no-digits", Grave: true, Example: &example, Text: fmt.Sprintf("steps remove all digits of %s", example.Shown())})
		}
	}
	f.follow(r, match)
}

// whyNot says which step cannot act on a number.
func whyNot(region *numbering.Region, r *compiled.Rule, w numbering.Written) string {
	for i := range r.CalledSteps {
		step := &r.CalledSteps[i]
		after, ok := step.Apply(region, w)
		if !ok {
			return step.Err(step.Explain(region, w)).Error()
		}
		w = after
	}
	return ""
}

// follow tries sample numbers of a rule, of those that come to it, and looks at what
// becomes of them behind it.
func (f *finder) follow(r *compiled.Rule, match digits.Set) {
	if left, some := f.left[r]; some {
		match = left
	}
	samples := match.Samples(12)
	told := map[string]bool{}
	once := func(x Finding) {
		if x.Rule = r.Ref.ID; !told[x.Kind] {
			told[x.Kind] = true
			f.add(x)
		}
	}
	for i := range samples {
		n := samples[i]
		e := f.send(r, n)
		if e == nil {
			continue
		}
		end, ended := e.Ended()
		switch {
		case ended && end.Own == cause.Loop:
			once(Finding{Kind: "loop", Grave: true, Example: &n, Text: fmt.Sprintf("loop for %s: %s", n.Shown(), end.Why)})
		case r.Row.Class != "" && r.Row.Then.RejectCause == 0 && !r.GoesOn():
			class, why := e.Class()
			if class != r.Row.Class && class != numbering.ClassUnknown {
				once(Finding{Kind: "class", Example: &n, Text: fmt.Sprintf("class %s, but %s is %s: %s", r.Row.Class, e.Called(), class, why)})
			}
		}
	}
	if r.GoesOn() && !told["loop"] && f.takesNone(r, match) {
		n := samples[0]
		once(Finding{Kind: "no-rule", Example: &n, Text: fmt.Sprintf("no matching rule in table %s for its numbers, for example %s", r.Table.Name, n.Shown())})
	}
}

// takesNone tells whether no source's number finds a rule in the table that a rule sends
// on to, those of last resort apart.
func (f *finder) takesNone(r *compiled.Rule, match digits.Set) bool {
	for i := range r.Table.Effective {
		next := &r.Table.Effective[i]
		if next.Row.CatchAll && !next.Disabled || next.Caller != nil || next.NoCaller || !next.When.Always() {
			return false // it hangs on more than the number
		}
	}
	for _, t := range f.sources {
		back := f.s.ReachFrom(t)
		form := f.form()
		next := back.Takes(r.Table, back.CallerAfter(r, f.callerOf(r, t)), r.Leaves(form), 1)
		if some := back.Intersect(match, back.Before(r, next, form)); back.Failed() != nil || !some.Empty() {
			return false
		}
	}
	return len(f.sources) > 0
}

// form is that in which the table's patterns are written.
func (f *finder) form() numbering.Format { return cmp.Or(f.t.Format, numbering.AsDialled) }

// callerOf is the shortest caller that a rule takes, as one of a source: written in the
// form of the table, if that has one.
func (f *finder) callerOf(r *compiled.Rule, t *compiled.Trunk) numbering.Written {
	n, _ := compiled.Shortest(r.Caller)
	if f.t.Format.Public() {
		return numbering.As(n, f.t.Format)
	}
	return numbering.As(n, t.In.CallerFormat)
}

// send takes a number by a rule from the first source that may use it; nil if none may.
func (f *finder) send(r *compiled.Rule, n digits.Number) *decide.Evaluation {
	for _, t := range f.sources {
		if len(r.From) > 0 && !slices.Contains(r.From, t.ID) {
			continue
		}
		return f.s.Along(f.t, r, t, numbering.As(n, f.form()), f.callerOf(r, t))
	}
	return nil
}

// sourcesOf are the trunks from which calls can come to a table.
func sourcesOf(s *compiled.Graph, t *compiled.Table) []*compiled.Trunk {
	var out []*compiled.Trunk
	for i := range s.Source.Trunks {
		n := s.Trunks[s.Source.Trunks[i].ID]
		starts := []*compiled.Table{n.Entry}
		if n.Services.SendsOn() {
			starts = append(starts, n.SentOn)
		}
		for _, g := range s.Groups {
			if len(g.Trunks) == 0 || slices.Contains(g.Trunks, n.ID) {
				starts = append(starts, g.Table)
			}
		}
		if n.Entry != nil && leadTo(s, starts, t) {
			out = append(out, n)
		}
	}
	return out
}

// leadTo tells whether some table is the wanted one or sends on to it.
func leadTo(s *compiled.Graph, starts []*compiled.Table, wanted *compiled.Table) bool {
	seen := map[*compiled.Table]bool{nil: true}
	for queue := starts; len(queue) > 0; queue = queue[1:] {
		if t := queue[0]; !seen[t] {
			if t == wanted {
				return true
			}
			seen[t] = true
			for _, next := range t.SendsTo {
				queue = append(queue, s.Tables[next])
			}
		}
	}
	return false
}

// meet is Pattern.Meet where nil matches every number.
func meet(p, q *digits.Pattern) (digits.Number, bool) {
	switch {
	case p == nil:
		return compiled.Shortest(q)
	case q == nil:
		return compiled.Shortest(p)
	}
	return p.Meet(q)
}
