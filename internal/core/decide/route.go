package decide

import (
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

type visit struct {
	table          *compiled.Table
	called, caller digits.Number
	entered        numbering.Written // the called number in the table's own form
	callerHere     digits.Number     // the caller in that form
}

// again tells whether a visit was with the same numbers.
func (v visit) again(w visit) bool {
	return v.table == w.table && v.called == w.called && v.caller == w.caller
}

// route takes the call through tables until a rule gives it to a path or a
// destination, refuses it, or nothing takes it.
func (e *Evaluation) route(t *compiled.Table) { e.routeFrom(t, 0) }

// routeFrom is route for a call that passed some tables before.
func (e *Evaluation) routeFrom(t *compiled.Table, passed int) {
	for ; t != nil; passed++ {
		v := visit{table: t, called: e.called.Number, caller: e.caller.Number}
		if slices.ContainsFunc(e.visits[:passed], v.again) {
			e.refuse(cause.Loop, func() string { return fmt.Sprintf("loop: table %s with the same numbers", v.table.Name) })
			return
		}
		if passed == MaxTables {
			e.refuse(cause.Loop, func() string {
				return fmt.Sprintf("more than %d tables passed", MaxTables)
			})
			return
		}
		e.visits[passed] = v
		e.passed = passed + 1
		t = e.lookUp(t)
	}
}

// lookUp searches one table and does what its winner says; it returns the next
// table, if that is one.
func (e *Evaluation) lookUp(t *compiled.Table) *compiled.Table {
	e.enter(t)
	e.visits[e.passed-1].entered, e.visits[e.passed-1].callerHere = e.called, e.callerHere
	winner := e.winner(t)
	urgent, anyHour := e.urgent(t, winner)
	if anyHour {
		winner = urgent
	}
	if e.told {
		told := e.lookedUp(t, winner)
		told.AnyHour = anyHour
		e.tell(trail.Step{Kind: trail.StepLookedUp, LookedUp: told})
	}
	if winner != nil {
		return e.obey(winner)
	}
	if e.longerTaken(t) {
		e.refuse(cause.Incomplete, func() string {
			return fmt.Sprintf("table %s: %s is incomplete", t.Name, e.called.Number.Shown())
		})
	} else {
		e.refuse(cause.NoRule, func() string {
			return fmt.Sprintf("table %s: no matching rule for %s", t.Name, e.called.Number.Shown())
		})
	}
	return nil
}

// winner is the first rule in effective order that takes the call; nil if none
// does.
func (e *Evaluation) winner(t *compiled.Table) (winner *compiled.Rule) {
	t.Index.Find(e.called.Number, func(place int, matches bool) bool {
		if r := &t.Effective[place]; matches && e.otherwise(r) == "" {
			winner = r
		}
		return winner == nil
	})
	return winner
}

// enter gives the numbers the form in which the table's patterns are written:
// a known form is converted, an unknown one is taken to be it.
//
// The caller is matched in that form too, where it has one that can be converted, and
// travels on as it is: an extension stays an extension.
func (e *Evaluation) enter(t *compiled.Table) {
	e.seeCaller(t)
	if !t.Format.Public() {
		return
	}
	if !e.called.Format.Public() {
		e.called = numbering.As(e.called.Number, t.Format)
		return
	}
	e.called = e.convert("called", e.called, t.Format, t.Ref)
}

// seeCaller reads the caller in the form of a table.
func (e *Evaluation) seeCaller(t *compiled.Table) {
	e.callerHere = e.caller.Number
	if t.Format.Public() && e.caller.Format.Public() && e.caller.Format != t.Format {
		read := e.sw.Numbering.Read(e.caller.Number, e.caller.Format)
		there, _ := e.sw.Numbering.Put(&read, t.Format)
		e.callerHere = there.Number
	}
}

// convert puts a number into a form and tells so, if anything is to be told.
func (e *Evaluation) convert(which string, w numbering.Written, to numbering.Format, by trail.Ref) numbering.Written {
	read := e.sw.Numbering.Read(w.Number, w.Format)
	return e.put(which, w, &read, to, by)
}

// put is convert on a number that was read already.
func (e *Evaluation) put(which string, w numbering.Written, read *numbering.Reading, to numbering.Format, by trail.Ref) numbering.Written {
	if w.Format == to {
		return w
	}
	after, why := e.sw.Numbering.Put(read, to)
	after = numbering.As(after.Number, after.Format)
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{
			Number: which, By: by, Label: "convert to " + string(to),
			Before: w, After: after, Runs: digits.Rewritten(w.Number, after.Number).Runs(), Note: why.String(),
		}})
	}
	return after
}

// otherwise returns the first reason, called numbers apart, why a rule does not
// match; empty if it does.
func (e *Evaluation) otherwise(r *compiled.Rule) (why string) {
	if why = e.apartFromHours(r); why == "" && !e.holds(r.When) {
		why = "calendar"
	}
	return why
}

// apartFromHours is otherwise at whatever hour.
func (e *Evaluation) apartFromHours(r *compiled.Rule) (why string) {
	caller := e.callerHere
	switch {
	case r.Disabled:
		return "disabled"
	case r.NoCaller && !caller.Empty(), r.Caller != nil && (caller.Empty() || !r.Caller.Matches(caller)):
		return "caller"
	case len(r.From) > 0 && !slices.Contains(r.From, e.source.ID):
		return "trunk"
	}
	return ""
}

// obey runs the winner's digit steps and goes where it says; the next table, if
// it says so.
func (e *Evaluation) obey(r *compiled.Rule) *compiled.Table {
	if r.Table != nil && !e.looksAhead && !e.mayUse(r) {
		return nil
	}
	if !e.rewrite("called", &e.called, r.CalledSteps, &r.Ref) {
		return nil
	}
	e.noteEmergency(e.called.Number)
	e.last, e.resorted = r, e.resorted || r.Row.CatchAll
	// A caller ID that cannot be made does not cost the call: it stays as it
	// was, and the trail says so.
	e.rewrite("caller", &e.caller, r.CallerSteps, &r.Ref)
	switch {
	case r.Table != nil:
		if e.told {
			e.tell(trail.Step{Kind: trail.StepWentOn, WentOn: &trail.WentOn{Table: r.Table.Ref}})
		}
		return r.Table
	case r.Path != nil:
		if row, own := e.ownNumber(r.Path.Ref, !r.Path.Inside()); own {
			e.answerNumber(r, row, r.Path.Ref)
		} else if e.permitPath(r) {
			e.takePath(r.Path)
		}
	case r.Destination != nil:
		e.deliver(r, r.Destination)
	case r.Inventory:
		e.askInventory(r)
	case r.Row.Then.SetCalendar != nil:
		if e.permit(r, e.inside()) {
			e.setHours(*r.Row.Then.SetCalendar)
		}
	default:
		q := cause.Q850(r.Row.Then.RejectCause)
		e.close(trail.Ended{Outcome: trail.Refused, Cause: cause.Cause{Q850: q, SIP: refusalStatus(q)}, Name: q.Name()},
			func() string { return fmt.Sprintf("rule %s rejects the call", r.Row.Name) })
	}
	return nil
}

// refusalStatus is the SIP status of a cause that a rule refuses with; cause 16
// has none in RFC 3398.
func refusalStatus(q cause.Q850) int {
	if q == cause.NormalClearing {
		return 480
	}
	return cause.ToSIP(q)
}

// rewrite runs digit steps on w in order, telling each. At the first that cannot
// act it stops and puts w back to what it was at the start; of a called number, that
// ends the call where a rule rewrites it. A caller without a number gets none by steps
// that only add to one.
func (e *Evaluation) rewrite(which string, w *numbering.Written, steps []rewrite.Compiled, by *trail.Ref) bool {
	before, was := *w, e.numberBy
	for i := range steps {
		step := &steps[i]
		if which == "caller" && w.Number.Empty() && step.Op != rewrite.ReplaceAll {
			if e.told {
				e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{
					Number: which, By: *by, Label: step.Label(), Before: *w, After: *w, Runs: []digits.Run{}, Note: "no calling number",
				}})
			}
			continue
		}
		after, ok := step.Apply(&e.sw.Numbering, *w)
		if e.told {
			told := e.rewrote(which, by, step, *w, ok)
			if !ok && before != *w {
				told.Note += fmt.Sprintf("; the %s number returns to %s", which, before.Number.Shown())
				told.After, told.Runs = before, digits.Rewritten(w.Number, before.Number).Runs()
			}
			e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: told})
		}
		if !ok {
			failed := *w
			*w = before
			if which == "caller" {
				e.numberBy = was
			}
			if which == "called" && by.Kind == "rule" {
				e.refuse(cause.Incomplete, func() string {
					return fmt.Sprintf("rule %s: %s", by.Name, step.Err(step.Explain(&e.sw.Numbering, failed)))
				})
			}
			return false
		}
		if which == "caller" && after.Number != w.Number && step.Op != rewrite.ConvertTo {
			e.numberBy = by
		}
		*w = after
	}
	return true
}

func (e *Evaluation) rewrote(which string, by *trail.Ref, step *rewrite.Compiled, before numbering.Written, ok bool) *trail.Rewrote {
	res := step.Explain(&e.sw.Numbering, before)
	told := &trail.Rewrote{Number: which, By: *by, Label: step.Label(), Before: before, After: res.After, Runs: res.Edit.Runs(), Note: res.Note.String()}
	if !ok {
		told.After, told.Note, told.Failed = before, step.Err(res).Error(), true
	}
	return told
}
