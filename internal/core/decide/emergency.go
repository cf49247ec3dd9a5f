package decide

import (
	"slices"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/trail"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// A call for help is one to an emergency number by somebody of ours: a phone, not a
// carrier. Groups, hours, classes, limits and contracts do not hold it back, and it goes
// on after anything but an answer.

// noteEmergency makes the call an emergency call if its number has become an emergency
// number. It stays one, whatever the number becomes later: a plan may send it to the
// number of a control room.
func (e *Evaluation) noteEmergency(n digits.Number) {
	if !e.emergency && e.source != nil && e.source.Ours && e.sw.Numbering.IsEmergency(n) {
		e.emergency = true
	}
}

// asked gives a call to an emergency service, by its URN, the number that the service
// has here. It is false where there is none, and the call over.
func (e *Evaluation) asked(urn string) bool {
	n, err := e.sw.Numbering.SOS(urn)
	if err != nil {
		e.refuse(cause.NoRule, err.Error)
		return false
	}
	before, after := e.called, numbering.As(n, numbering.AsDialled)
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{
			Number: "called", By: trail.Ref{Kind: "switch", ID: e.sw.ID, Name: e.sw.Name}, Label: urn + " is " + n.String() + " here",
			Before: before, After: after, Runs: digits.Rewritten(before.Number, n).Runs(),
		}})
	}
	e.called = after
	return true
}

// urgent is the rule that takes an emergency call at whatever hour, where no rule takes it
// at this one, or only one for wrong numbers; or which makes an emergency call of it, where
// the winner does not. ok is false for all other calls.
func (e *Evaluation) urgent(t *compiled.Table, winner *compiled.Rule) (r *compiled.Rule, ok bool) {
	if e.source == nil || !e.source.Ours || e.emergency && winner != nil && !winner.Row.CatchAll {
		return nil, false
	}
	t.Index.Find(e.called.Number, func(place int, matches bool) bool {
		if q := &t.Effective[place]; matches && !q.Row.CatchAll && e.apartFromHours(q) == "" {
			r = q
		}
		return r == nil
	})
	switch {
	case r == nil || r == winner:
		return nil, false
	case e.emergency:
		return r, true
	}
	return r, !e.looksAhead && e.becomesEmergency(r) && (winner == nil || !e.becomesEmergency(winner))
}

// becomesEmergency tells whether a call that a rule takes turns out to be an emergency
// call further on: the prefix before an emergency number is dropped by the rule, or by one
// behind it.
func (e *Evaluation) becomesEmergency(r *compiled.Rule) bool {
	if e.emergency || e.source == nil || !e.source.Ours {
		return e.emergency
	}
	ahead := *e // what lies ahead is looked at, and not told
	ahead.told, ahead.trail, ahead.looksAhead = false, nil, true
	ahead.hunt = hunt{}
	ahead.diverted = slices.Clone(e.diverted)
	if next := ahead.obey(r); next != nil {
		ahead.routeFrom(next, ahead.passed)
	}
	return ahead.emergency
}

// IsEmergencyCall tells whether a call is one for help, where the plan takes it.
func (s *Snapshot) IsEmergencyCall(c Call) bool {
	c.Refusal = nil
	e := &Evaluation{}
	return s.Decide(e, c) && e.emergency
}

// IsEmergencyNumber tells whether a number that came by a trunk is one for help as it is.
func (s *Snapshot) IsEmergencyNumber(trunk string, n digits.Number) bool {
	t := s.Trunks[trunk]
	return t != nil && t.Ours && t.On.Numbering.IsEmergency(n)
}
