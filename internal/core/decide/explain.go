package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/trail"
)

// maxLost bounds how many rules that lost a trail lists for one table. Of a
// larger table only those are listed that share their first digits with the
// number.
const maxLost = 50

// lookedUp tells a look-up: the winner, and why the others lost.
func (e *Evaluation) lookedUp(t *compiled.Table, winner *compiled.Rule) *trail.LookedUp {
	told := &trail.LookedUp{Table: t.Ref, Called: e.called, Caller: e.callerThere(t), Lost: []trail.Lost{}, Omitted: len(t.Effective)}
	if winner != nil {
		told.Winner, told.CatchAll = &winner.Ref, winner.Row.CatchAll
		told.Omitted--
	}
	passed := false
	add := func(place int) {
		r := &t.Effective[place]
		if r == winner {
			passed = true
			return
		}
		why, detail := e.mismatch(r)
		if why == "" {
			why, detail = "later", fmt.Sprintf("also matches, but %s precedes it", winner.Row.Name)
		} else if passed {
			return // behind the winner, a rule that does not match says nothing
		}
		if len(told.Lost) < maxLost {
			told.Lost = append(told.Lost, trail.Lost{Rule: r.Ref, Why: why, Detail: detail})
			told.Omitted--
		}
	}
	if len(t.Effective) <= maxLost {
		for place := range t.Effective {
			add(place)
		}
		told.Omitted = 0
		return told
	}
	t.Index.Find(e.called.Number, func(place int, _ bool) bool {
		add(place)
		return true
	})
	return told
}

// callerThere is the caller as a table has it.
func (e *Evaluation) callerThere(t *compiled.Table) numbering.Written {
	if e.callerHere == e.caller.Number {
		return e.caller
	}
	return numbering.As(e.callerHere, t.Format)
}

// mismatch returns the first reason why a rule does not match; why is empty if
// it does.
func (e *Evaluation) mismatch(r *compiled.Rule) (why, detail string) {
	called, caller, match := e.called.Number, e.callerHere, &r.Row.Match
	why = e.otherwise(r)
	switch {
	case why == "disabled":
		return why, "rule disabled"
	case match.NoDigits && !called.Empty():
		return "called", "only for an empty number"
	case r.Called != nil && !r.Called.Matches(called):
		return "called", against(called, r.Called)
	case why == "caller" && match.NoCaller:
		return why, "only for calls without calling number"
	case why == "caller" && caller.Empty():
		return why, "calling number needed, none present"
	case why == "caller":
		return why, "caller " + against(caller, r.Caller)
	case why == "trunk":
		return why, fmt.Sprintf("not for calls from %s", e.source.Name)
	case why == "calendar":
		return why, e.during(*r.When)
	}
	return "", ""
}

// against says how a number misses a pattern.
func against(n digits.Number, p *digits.Pattern) string {
	if p.Dialled(n).State == digits.Partial {
		return fmt.Sprintf("%s is too short for %s", n.Shown(), p)
	}
	return fmt.Sprintf("%s does not match %s", n.Shown(), p)
}
