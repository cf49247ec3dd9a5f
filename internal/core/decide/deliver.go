package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// deliver gives the call to a destination, a path of one choice, if the caller may call
// there; r is the rule that says so, nil for a last resort.
func (e *Evaluation) deliver(r *ruleNode, d *destinationNode) {
	e.knowNumber()
	if !d.trunk.outside && !e.permit(r, e.inside()) {
		return
	}
	if !d.number.Empty() && d.number != e.called.Number {
		edit := digits.ReplaceWith(e.called.Number, d.number)
		if e.told {
			e.tell(e.renumbered(edit, d.form, d.ref, "replace all by "+d.number.String()))
		}
		e.called = numbering.As(d.number, d.form)
		e.noteEmergency(d.number)
	}
	if d.numbers != nil && !d.numbers.Matches(e.called.Number) {
		e.refuse(cause.NoNumber, func() string {
			return fmt.Sprintf("%s has no number %s; its numbers are %s", d.Name, shown(e.called.Number), d.numbers)
		})
		return
	}
	if row, own := e.ownNumber(d.ref, d.trunk.outside); own {
		e.answerNumber(r, row, d.ref)
		return
	}
	if d.trunk.outside && !e.permit(r, e.sortOf(e.called)) { // what is sent says what call it is
		return
	}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepDelivered, Delivered: &trail.Delivered{Destination: d.ref, Trunk: d.trunk.ref}})
	}
	e.only[0] = choiceNode{trunk: d.trunk}
	e.single = pathNode{Path: plan.Path{Name: d.Name, Timers: plan.Timers{}.OrDefault()}, ref: d.ref, choices: e.only[:]}
	e.hunt.path = &e.single
}

// renumbered tells that the called number became that of who answers.
func (e *Evaluation) renumbered(edit digits.Edit, form numbering.Format, by trail.Ref, label string) trail.Step {
	return trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{
		Number: "called", By: by, Label: label,
		Before: e.called, After: numbering.As(edit.After(), form), Runs: edit.Runs(),
	}}
}
