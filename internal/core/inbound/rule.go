package inbound

import (
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

// RuleMapped is what the digit steps of a rule do to all the numbers that it takes.
type RuleMapped struct {
	// First and Last of the numbers, in the form of the rule's table.
	First digits.Number `json:"first"`
	Last  digits.Number `json:"last"`
	Mapped
}

// MapRule works the digit steps of a rule out over the whole block of numbers that it
// takes. ok is false of rules that map no block: whose numbers are none, that do not
// deliver to a destination with many numbers, or that change no digits.
func MapRule(p plan.Plan, tableID string, rule plan.Rule) (out RuleMapped, ok bool, err error) {
	index := plan.NewIndex(p)
	table, d := index.Tables[tableID], index.Destinations[rule.Then.Destination]
	changes := slices.ContainsFunc(rule.CalledSteps, func(s rewrite.Step) bool { return s.Op != rewrite.InterpretAs })
	if rule.Match.Called == "" || table == nil || index.Switches[table.Switch] == nil || d == nil || d.NumberPattern == "" || !changes {
		return out, false, nil
	}
	pattern, err := digits.Compile(rule.Match.Called)
	if err != nil {
		return out, false, err
	}
	block, ok := pattern.Block()
	if !ok {
		return out, false, nil
	}
	w, err := over(p, block, d.ID)
	if err != nil {
		return out, false, err
	}
	if w.region, err = index.Switches[table.Switch].Region.Compile(); err != nil {
		return out, false, err
	}
	w.given = func(n digits.Number) numbering.Written { return numbering.As(n, table.Format) }
	if err := w.compile(rule.CalledSteps); err != nil {
		return out, false, err
	}
	w.findTaken(w.takesBefore())
	return RuleMapped{block.First, block.Last, w.mapped()}, true, nil
}

// takesBefore tells of which rows of the inventory the rule takes calls: these clash with
// nothing, since the rule is asked first.
func (w *workings) takesBefore() func(e inventory.Entry) bool {
	inE164 := func(n digits.Number) digits.Number {
		read := w.region.Read(w.given(n).Number, w.given(n).Format)
		e164, _ := w.region.Put(&read, numbering.E164)
		return e164.Number
	}
	own := digits.Block{First: inE164(w.block.First), Last: inE164(w.block.Last)}
	return func(e inventory.Entry) bool {
		whole := digits.Block{First: e.First(), Last: e.Last()}
		return own.Contains(e.First()) || own.Contains(e.Last()) || whole.Contains(own.First)
	}
}
