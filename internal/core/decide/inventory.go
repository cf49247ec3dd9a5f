package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// askInventory delivers the call to what answers the called public number.
func (e *Evaluation) askInventory(r *compiled.Rule) {
	e.called = e.convert("called", e.called, numbering.E164, trail.Ref{Kind: "switch", ID: e.sw.ID, Name: e.sw.Name})
	row, ok := e.snap.Source.Numbers.Find(e.called.Number)
	if !ok {
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("%s is not in the inventory", e.called.Number.Shown()) })
		return
	}
	answers := e.snap.Destinations[row.Destination()]
	e.tellNumber(row, nil)
	switch {
	case !row.Answered():
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("%s is %s, not in service", row.Name(), row.State()) })
	case answers == nil:
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("%s has no destination", row.Name()) })
	case answers.To.On != e.sw:
		e.refuse(cause.NoNumber, func() string {
			return fmt.Sprintf("%s is on switch %s, not on %s", answers.Name, answers.To.On.Name, e.sw.Name)
		})
	default:
		e.number = row
		e.mapOnExtension(row)
		e.deliver(r, answers)
	}
}

// tellNumber tells which public number was found; instead is where the plan would have
// sent a call that stays inside.
func (e *Evaluation) tellNumber(row inventory.Entry, instead *trail.Ref) {
	if !e.told {
		return
	}
	found := &trail.FoundNumber{Number: numberRef(row), State: row.State(), NamePrefix: row.Tag(), AlertInfo: row.Ring(), Instead: instead}
	if answers := e.snap.Destinations[row.Destination()]; answers != nil {
		found.Answers = &answers.Ref
	}
	e.tell(trail.Step{Kind: trail.StepFoundNumber, FoundNumber: found})
}

// ownNumber finds the public number of our own that somebody of ours calls by way of the
// outside, where the switch answers it itself: such a call stays inside, unless the switch
// is told to send it out. to is where the plan sends it.
func (e *Evaluation) ownNumber(to trail.Ref, outside bool) (row inventory.Entry, own bool) {
	if !outside || e.emergency || e.looksAhead || e.source == nil || e.source.Outside || e.sw.OwnNumbers == plan.OwnNumbersOutside || e.snap.Source.Numbers.Len() == 0 {
		return row, false
	}
	read := e.sw.Numbering.Read(e.called.Number, e.called.Format)
	w, _ := e.sw.Numbering.Put(&read, numbering.E164)
	if w.Format != numbering.E164 {
		return row, false
	}
	row, ok := e.snap.Source.Numbers.Find(w.Number)
	if !ok || !row.Answered() {
		return row, false
	}
	answers := e.snap.Destinations[row.Destination()]
	if answers == nil || answers.To.On != e.sw || answers.Ref == to {
		return row, false
	}
	return row, true
}

// answerNumber delivers a call of ours to a number of our own.
func (e *Evaluation) answerNumber(r *compiled.Rule, row inventory.Entry, instead trail.Ref) {
	e.called = e.convert("called", e.called, numbering.E164, trail.Ref{Kind: "switch", ID: e.sw.ID, Name: e.sw.Name})
	e.tellNumber(row, &instead)
	e.number = row
	e.mapOnExtension(row)
	e.deliver(r, e.snap.Destinations[row.Destination()])
}

// mapOnExtension maps the called number on the extension at its place.
func (e *Evaluation) mapOnExtension(row inventory.Entry) {
	extension := row.Extension()
	if extension.Empty() {
		return
	}
	edit := digits.Shift(e.called.Number, row.First(), extension)
	if e.told {
		e.tell(e.renumbered(edit, numbering.Private, numberRef(row), fmt.Sprintf("map block %s to %s", row.Name(), extension)))
	}
	e.called = numbering.As(edit.After(), numbering.Private)
}

func numberRef(n inventory.Entry) trail.Ref {
	return trail.Ref{Kind: "number", ID: n.ID(), Name: n.Name()}
}

// knowNumber finds the public number that a call from outside was for, where a rule and
// not the inventory says who answers it: its tag and its second number are its own.
func (e *Evaluation) knowNumber() {
	if !e.number.Zero() || e.source == nil || !e.source.Outside || e.sentOn.by != nil || e.entered == nil || e.snap.Source.Numbers.Len() == 0 {
		return
	}
	read := e.sw.Numbering.Read(e.received.called.Number, e.received.called.Format)
	if w, _ := e.sw.Numbering.Put(&read, numbering.E164); w.Format == numbering.E164 {
		e.number, _ = e.snap.Source.Numbers.Find(w.Number)
	}
}
