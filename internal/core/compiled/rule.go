package compiled

import (
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

// Rule holds beside one another what a decision reads of a rule; the
// plan's own row is only read to tell it.
type Rule struct {
	Row            *plan.Rule
	Ref            trail.Ref
	Disabled       bool
	NoCaller       bool
	Inventory      bool
	From           []string // trunks, those of groups among them
	When           *plan.When
	ForGroups      []*Group // who alone may use it; empty for all
	Called, Caller *digits.Pattern
	CalledSteps    []rewrite.Compiled
	CallerSteps    []rewrite.Compiled
	// Where it goes: at most one is set.
	Table       *Table
	Path        *Path
	Destination *Destination
}

// sources are the trunks that a rule names, itself or by their groups; empty for all.
func sources(m *plan.Match, groups map[string][]string) []string {
	if len(m.TrunkGroups) == 0 {
		return m.Trunks
	}
	out := slices.Clone(m.Trunks)
	for _, g := range m.TrunkGroups {
		for _, t := range groups[g] {
			if !slices.Contains(out, t) {
				out = append(out, t)
			}
		}
	}
	return out
}

// GoesOn tells whether a rule sends calls to another table.
func (r *Rule) GoesOn() bool { return r.Table != nil }

// CanFail tells whether some step on the called number cannot act on every number, or
// can leave none.
func (r *Rule) CanFail() bool {
	return slices.ContainsFunc(r.CalledSteps, func(s rewrite.Compiled) bool { return s.Op != rewrite.InterpretAs && s.Op != rewrite.ConvertTo })
}

// Matched is the called numbers that the rule matches.
func (r *Rule) Matched() digits.Set {
	if r.Called == nil {
		return digits.Any()
	}
	return r.Called.Set()
}

// Rule is a rule by its id; nil if the table has none.
func (t *Table) Rule(id string) *Rule {
	for i := range t.Effective {
		if t.Effective[i].Ref.ID == id {
			return &t.Effective[i]
		}
	}
	return nil
}

// SampleOf is a public number in E.164 that a rule of a table matches; empty if it matches
// none, or if nobody knows in which form its numbers are.
func (s *Graph) SampleOf(table, rule string) (n digits.Number) {
	t := s.Tables[table]
	if t == nil || t.Rule(rule) == nil {
		return n
	}
	sw := s.Switches[t.Switch]
	r := t.Rule(rule)
	var list []digits.Number
	if r.Called != nil {
		list = r.Called.Samples(20)
	}
	for _, sample := range list {
		w := numbering.As(sample, t.Format)
		read := sw.Numbering.Read(w.Number, w.Format)
		if w, _ = sw.Numbering.Put(&read, numbering.E164); w.Format == numbering.E164 && w.Number.Plus() && w.Number.Len() > 8 {
			return w.Number
		}
	}
	return n
}

// Leaves is the form of called numbers behind the rule's steps.
func (r *Rule) Leaves(form numbering.Format) numbering.Format {
	for i := range r.CalledSteps {
		form = r.CalledSteps[i].Leaves(form)
	}
	return form
}
