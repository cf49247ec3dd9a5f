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

// What becomes of calls whose number nobody answers, or whose one who answers is busy.

// resort gives a call to the last resort of its trunk, or of its switch, where nobody
// answers its number. A call that was offered to somebody, or sent on, stays as it is: a
// last resort is no second try.
func (e *Evaluation) resort(own cause.Own, why func() string) bool {
	if own != cause.NoRule && own != cause.NoNumber && own != cause.Incomplete {
		return false
	}
	if e.source == nil || e.straight || e.atResort || e.sentOn.by != nil || e.hunt.tried > 0 || e.entered == nil {
		return false
	}
	of, id := e.source.Ref, e.source.LastResort
	if id == "" && e.source.Outside {
		of, id = trail.Ref{Kind: "switch", ID: e.sw.ID, Name: e.sw.Name}, e.sw.LastResort
	}
	d := e.snap.Destinations[id]
	if d == nil || e.emergency || e.looksAhead {
		return false
	}
	e.atResort = true
	if e.told {
		e.tell(trail.Step{Kind: trail.StepResorted, Resorted: &trail.Resorted{Of: of, Destination: d.Ref, Why: why()}})
	}
	e.deliver(nil, d)
	return true
}

// hasSecond tells whether the call goes on to the second number of the one that was
// called, since who answers is busy.
func (e *Evaluation) hasSecond(r *Report, q cause.Q850) bool {
	return r.Kind == trail.ReportRefused && q == cause.UserBusy && !e.number.Zero() && e.number.Busy() != "" && e.sentOn.by == nil &&
		!e.emergency && e.hunt.path == &e.single
}

// callSecond calls the second number, for who is busy and with what that one may call.
func (e *Evaluation) callSecond(t *compiled.Trunk) {
	to, _ := digits.ParseNumber(e.number.Busy()) // validated
	e.sentOn.planned = true
	if t.SentOn == nil {
		e.refuse(cause.NotPermitted, func() string {
			return fmt.Sprintf("%s has no inbound routing table for forwarded calls", t.Name)
		})
		return
	}
	e.sendOn(t, to, "user-busy")
}

// alert is that of a call as it is offered to a trunk: only phones and applications are
// told; the number's own wins over that of the trunk by which the call came.
func (e *Evaluation) alert(to *compiled.Trunk) (a trail.Alert) {
	if to.Outside || to.OppositeTrunk != "" || e.straight {
		return a
	}
	tag, ring := "", ""
	if !e.number.Zero() {
		tag, ring = e.number.Tag(), e.number.Ring()
	}
	from := e.source
	if tag == "" && ring == "" && from.NamePrefix == "" && from.AlertInfo == "" {
		return a
	}
	by := func(own, trunk string) (string, *trail.Ref) {
		switch {
		case own == "" && trunk == "":
			return "", nil
		case own == "":
			return trunk, &from.Ref
		}
		if trunk != "" && e.told {
			a.Over = &from.Ref
		}
		if !e.told {
			return own, nil
		}
		ref := numberRef(e.number)
		return own, &ref
	}
	a.NamePrefix, a.NamePrefixBy = by(tag, from.NamePrefix)
	a.AlertInfo, a.AlertInfoBy = by(ring, from.AlertInfo)
	return a
}

// setHours answers for the switch itself: the edge does what the trail says.
func (e *Evaluation) setHours(set plan.SetCalendar) {
	state := set.State
	if set.Toggle && e.overrides[set.Calendar] == state {
		state = ""
	}
	e.sets = &trail.CalendarSet{Calendar: trail.Ref{Kind: "calendar", ID: set.Calendar, Name: e.snap.CalendarNames[set.Calendar]}, State: state, Minutes: set.Minutes}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepSetHours, SetCalendar: e.sets})
	}
	e.close(trail.Ended{Outcome: trail.Answered, Cause: cause.Answered, Name: cause.NormalClearing.Name()}, func() string { return "the switch answers with a tone" })
}

// Sets is what the call puts a calendar in; nil for calls that do not.
func (e *Evaluation) Sets() *trail.CalendarSet { return e.sets }

// makeWhole puts before the called number what its trunk leaves out.
func (e *Evaluation) makeWhole() {
	edit, ok := e.source.Whole(e.called)
	if !ok {
		return
	}
	after := numbering.As(edit.After(), numbering.E164)
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{
			Number: "called", By: e.source.Ref, Label: "add prefix " + e.source.Before.String(), Before: e.called, After: after, Runs: edit.Runs(),
		}})
	}
	e.called = after
}
