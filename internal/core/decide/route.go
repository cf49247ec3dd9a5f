package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

// maxLost bounds how many rules that lost a trail lists for one table.
const maxLost = 50

type visit struct {
	table          string
	called, caller digits.Number
}

// route takes the call through tables until a rule gives it to a path or a
// destination, refuses it, or nothing takes it.
func (e *Evaluation) route(tableID string) {
	seen := map[visit]bool{}
	for passed := 0; ; passed++ {
		t := e.snap.tables[tableID]
		v := visit{tableID, e.called.Number, e.caller.Number}
		if seen[v] {
			e.end(Refused, cause.Loop, fmt.Sprintf("table %s was entered twice with the same numbers", t.Name))
			return
		}
		if passed == MaxTables {
			e.end(Refused, cause.Loop, fmt.Sprintf("the call passed %d tables and was sent on to another", MaxTables))
			return
		}
		seen[v] = true
		next, goOn := e.lookUp(t)
		if !goOn {
			return
		}
		tableID = next
	}
}

// lookUp searches one table and does what its winner says. goOn is true if
// that is another table.
func (e *Evaluation) lookUp(t *tableNode) (next string, goOn bool) {
	e.enter(t)
	looked := &LookedUp{Table: t.ref, Called: e.called, Caller: e.caller, Lost: []Lost{}}
	var winner *ruleNode
	places, short := t.candidates(e.called.Number)
	looked.Omitted = len(t.rules) - len(places)
	for _, i := range places {
		r := &t.rules[i]
		why, detail := e.mismatch(r)
		switch {
		case why == "" && winner == nil:
			winner = r
			looked.Winner = &r.ref
			continue
		case why == "":
			why, detail = "later", fmt.Sprintf("matches too, but %s stands before it", winner.Name)
		case winner != nil:
			continue // behind the winner, a rule that does not match says nothing
		}
		short = short || why == "called" && e.tooShort(r)
		if len(looked.Lost) < maxLost {
			looked.Lost = append(looked.Lost, Lost{r.ref, why, detail})
		} else {
			looked.Omitted++
		}
	}
	e.add(Step{Kind: StepLookedUp, LookedUp: looked})
	switch {
	case winner == nil && short:
		e.end(Refused, cause.Incomplete, fmt.Sprintf("no rule of table %s takes %s, but one would take a longer number", t.Name, shown(e.called.Number)))
		return "", false
	case winner == nil:
		e.end(Refused, cause.NoRule, fmt.Sprintf("no rule of table %s takes %s", t.Name, shown(e.called.Number)))
		return "", false
	}
	return e.obey(winner)
}

// enter gives the numbers the form in which the table's patterns are written:
// a known form is converted, an unknown one is taken to be it.
func (e *Evaluation) enter(t *tableNode) {
	if !t.Form.Public() {
		return
	}
	if !e.called.Form.Public() {
		e.called = numbering.As(e.called.Number, t.Form)
		return
	}
	e.called = e.convert("called", e.called, t.Form, t.ref)
}

// convert puts a number into a form and tells so, if anything is to be told.
func (e *Evaluation) convert(which string, w numbering.Written, to numbering.Form, by Ref) numbering.Written {
	if w.Form == to {
		return w
	}
	c := e.sw.region.Convert(w.Number, w.Form, to)
	after := numbering.As(c.Edit.After(), c.Form)
	e.add(Step{Kind: StepRewrote, Rewrote: &Rewrote{
		Number: which, By: by, Label: "to form " + string(to),
		Before: w, After: after, Runs: runs(c.Edit), Note: c.Unchanged,
	}})
	return after
}

func runs(e digits.Edit) []digits.Run {
	if e.Runs == nil {
		return []digits.Run{}
	}
	return e.Runs
}

// mismatch returns the first reason why a rule does not match; why is empty if
// it does.
func (e *Evaluation) mismatch(r *ruleNode) (why, detail string) {
	called, caller := e.called.Number, e.caller.Number
	switch {
	case r.Disabled:
		return "disabled", "the rule is disabled"
	case r.Match.NoDigits && !called.Empty():
		return "called", "wants that no digit was dialled"
	case r.called != nil && !r.called.Matches(called):
		return "called", against(called, r.called)
	case r.Match.NoCaller && !caller.Empty():
		return "caller", "wants a caller without a number"
	case r.caller != nil && caller.Empty():
		return "caller", "wants a caller number, and there is none"
	case r.caller != nil && !r.caller.Matches(caller):
		return "caller", "caller " + against(caller, r.caller)
	case len(r.Match.From) > 0 && !contains(r.Match.From, e.source.ID):
		return "from", fmt.Sprintf("is not for calls from %s", e.source.Name)
	}
	return "", ""
}

// tooShort tells whether more digits could still make the rule's pattern match.
func (e *Evaluation) tooShort(r *ruleNode) bool {
	return r.called != nil && r.called.Dialled(e.called.Number).State == digits.Partial
}

// against says how a number misses a pattern.
func against(n digits.Number, p *digits.Pattern) string {
	if p.Dialled(n).State == digits.Partial {
		return fmt.Sprintf("%s is too short for %s", shown(n), p)
	}
	return fmt.Sprintf("%s does not match %s", shown(n), p)
}

func shown(n digits.Number) string {
	if n.Empty() {
		return "the empty number"
	}
	return n.String()
}

func contains(list []string, s string) bool {
	for _, v := range list {
		if v == s {
			return true
		}
	}
	return false
}

// obey runs the winner's digit steps and goes where it says.
func (e *Evaluation) obey(r *ruleNode) (next string, goOn bool) {
	called, err := e.rewrite("called", e.called, r.calledSteps, r.ref)
	if err != nil {
		e.end(Refused, cause.Incomplete, fmt.Sprintf("rule %s: %s", r.Name, err))
		return "", false
	}
	e.called = called
	// A caller ID that cannot be made does not cost the call: it stays as it
	// was, and the trail says so.
	if caller, err := e.rewrite("caller", e.caller, r.callerSteps, r.ref); err == nil {
		e.caller = caller
	}
	switch then := r.Then; {
	case then.Table != "":
		e.add(Step{Kind: StepWentOn, WentOn: &WentOn{e.snap.tables[then.Table].ref}})
		return then.Table, true
	case then.Path != "":
		e.takePath(e.snap.paths[then.Path])
	case then.Destination != "":
		e.deliver(e.snap.destinations[then.Destination])
	default:
		q := cause.Q850(then.Refuse)
		e.close(Ended{Outcome: Refused, Cause: cause.Cause{Q850: q, SIP: refusalStatus(q)}, Name: q.Name(), Why: fmt.Sprintf("rule %s refuses the call", r.Name)})
	}
	return "", false
}

// refusalStatus is the SIP status of a cause that a rule refuses with; cause 16
// has none in RFC 3398.
func refusalStatus(q cause.Q850) int {
	if q == cause.NormalClearing {
		return 480
	}
	return cause.ToSIP(q)
}

// rewrite runs digit steps in order, telling each; it stops at the first that
// cannot act.
func (e *Evaluation) rewrite(which string, w numbering.Written, steps []rewrite.Compiled, by Ref) (numbering.Written, error) {
	for _, step := range steps {
		res, err := step.Apply(e.sw.region, w)
		told := &Rewrote{Number: which, By: by, Label: step.Label(), Before: w, After: w}
		if err != nil {
			told.Runs, told.Note, told.Failed = runs(digits.Rewritten(w.Number, w.Number)), err.Error(), true
			e.add(Step{Kind: StepRewrote, Rewrote: told})
			return w, err
		}
		told.After, told.Runs, told.Note = res.After, runs(res.Edit), res.Note
		e.add(Step{Kind: StepRewrote, Rewrote: told})
		w = res.After
	}
	return w, nil
}

// deliver gives the call to a destination: a path of one choice.
func (e *Evaluation) deliver(d *destinationNode) {
	if d.number != (digits.Number{}) && d.number != e.called.Number {
		edit, _ := digits.ReplaceWith(e.called.Number, d.number) // cannot fail: a number replaces a number
		after := numbering.As(d.number, numbering.Private)
		e.add(Step{Kind: StepRewrote, Rewrote: &Rewrote{
			Number: "called", By: d.ref, Label: "replace with " + d.number.String(),
			Before: e.called, After: after, Runs: runs(edit),
		}})
		e.called = after
	}
	if d.numbers != nil && !d.numbers.Matches(e.called.Number) {
		e.end(Refused, cause.NoNumber, fmt.Sprintf("%s has no number %s; its numbers are %s", d.Name, shown(e.called.Number), d.numbers))
		return
	}
	e.add(Step{Kind: StepDelivered, Delivered: &Delivered{d.ref, d.trunk.ref}})
	e.hunt = &hunt{path: &pathNode{
		Path: plan.Path{Name: d.Name, Timers: plan.Timers{}.OrDefault()}, ref: d.ref,
		choices: []choiceNode{{trunk: d.trunk}},
	}}
}
