package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// deliver gives the call to a destination, a path of one choice, if the caller may call
// there; r is the rule that says so, nil for a last resort.
func (e *Evaluation) deliver(r *compiled.Rule, d *compiled.Destination) {
	e.knowNumber()
	if !d.To.Outside && !e.permit(r, e.inside()) {
		return
	}
	if !d.Digits.Empty() && d.Digits != e.called.Number {
		edit := digits.ReplaceWith(e.called.Number, d.Digits)
		if e.told {
			e.tell(e.renumbered(edit, d.Form, d.Ref, "replace all: "+d.Digits.String()))
		}
		e.called = numbering.As(d.Digits, d.Form)
		e.noteEmergency(d.Digits)
	}
	if d.Pattern != nil && !d.Pattern.Matches(e.called.Number) {
		e.refuse(cause.NoNumber, func() string {
			return fmt.Sprintf("%s has no number %s; its numbers: %s", d.Name, e.called.Number.Shown(), d.Pattern)
		})
		return
	}
	if row, own := e.ownNumber(d.Ref, d.To.Outside); own {
		e.answerNumber(r, row, d.Ref)
		return
	}
	if d.To.Outside && !e.permit(r, e.sortOf(e.called)) { // what is sent says what call it is
		return
	}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepDelivered, Delivered: &trail.Delivered{Destination: d.Ref, Trunk: d.To.Ref}})
	}
	e.only[0] = compiled.Choice{Trunk: d.To}
	e.single = compiled.Path{Path: plan.Path{Name: d.Name, Timers: plan.Timers{}.OrDefault()}, Ref: d.Ref, Tries: e.only[:]}
	e.hunt.path = &e.single
}

// renumbered tells that the called number became that of who answers.
func (e *Evaluation) renumbered(edit digits.Edit, form numbering.Format, by trail.Ref, label string) trail.Step {
	return trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{
		Number: "called", By: by, Label: label,
		Before: e.called, After: numbering.As(edit.After(), form), Runs: edit.Runs(),
	}}
}
