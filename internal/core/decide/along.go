package decide

import (
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// What becomes of sample numbers, for those who judge a plan.

// Along takes a number by one rule of a table, as if it had won there, and on from there. The
// trail begins behind the rule.
func (s *Snapshot) Along(t *compiled.Table, r *compiled.Rule, from *compiled.Trunk, called, caller numbering.Written) *Evaluation {
	e := &Evaluation{told: true, snap: s, sw: from.On, source: from, called: called, caller: caller}
	e.visits[0], e.passed = visit{table: t, called: called.Number, caller: caller.Number}, 1
	if next := e.obey(r); next != nil {
		e.routeFrom(next, 1)
	}
	return e
}

// Called is the called number as it stands.
func (e *Evaluation) Called() digits.Number { return e.called.Number }

// Class is the class of the call as it stands, and why.
func (e *Evaluation) Class() (numbering.Class, numbering.Why) {
	return e.class(e.hunt.path != nil && e.hunt.path.Inside())
}

// Leaves tells whether the call goes to trunks, and not to the last resort of anything.
func (e *Evaluation) Leaves() (leaves, resorted bool) { return e.hunt.path != nil, e.resorted }

// FirstRule is the rule that takes a call in the first table that it enters; nil if none does.
func (s *Snapshot) FirstRule(c Call) *compiled.Rule {
	var e Evaluation
	if !s.Decide(&e, c) || e.passed == 0 {
		return nil
	}
	first := &Evaluation{snap: s, sw: e.sw, source: e.source, called: e.visits[0].entered, caller: e.received.caller, callerHere: e.visits[0].callerHere}
	return first.winner(e.visits[0].table)
}
