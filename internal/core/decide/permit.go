package decide

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Leave to call is not a match: it is asked after a rule has won, of the group of who
// answers for the call, and who lacks it is refused. No broader rule lets them through.

// state is that of a calendar now, as the call has it.
func (e *Evaluation) state(id string) string {
	if state, ok := e.overrides[id]; ok {
		return state
	}
	return e.snap.Calendar(id, e.sw.ID).At(e.at)
}

// holds tells whether it is such a time.
func (e *Evaluation) holds(w *plan.When) bool {
	return w.Always() || slices.Contains(w.States, e.state(w.Calendar))
}

// during says in which state a calendar is, and in which it would have to be.
func (e *Evaluation) during(w plan.When) string {
	return fmt.Sprintf("calendar %s is %s, needed: %s", e.snap.CalendarNames[w.Calendar], e.state(w.Calendar), strings.Join(w.States, " or "))
}

// sort is what a call is, as far as leave to make it goes, and why.
type sort struct {
	class numbering.Class
	why   numbering.Why
}

// inside is the sort of calls that stay at a phone system or an application, whatever
// their number looks like.
func (e *Evaluation) inside() sort { return sort{numbering.ClassInternal, toInside} }

// sortOf is that of a call to a number as it is sent.
func (e *Evaluation) sortOf(w numbering.Written) sort {
	class, why := e.sw.Numbering.Class(w)
	return sort{class, why}
}

// permit asks whether a call of a sort may be made at all, where a rule gave it to;
// it ends the call if not. Without a rule only the group is asked.
func (e *Evaluation) permit(r *compiled.Rule, what sort) bool {
	if len(e.snap.Groups) == 0 || e.straight || e.looksAhead {
		return true
	}
	if e.emergency && what.class != numbering.ClassEmergency {
		what = sort{numbering.ClassEmergency, wasEmergency}
	}
	if e.permitted {
		if e.told && e.group != nil {
			e.tell(trail.Step{Kind: trail.StepPermitted, Permitted: &trail.Permitted{Group: e.groupRef(), Class: what.class, Why: what.why.String(), Allowed: true, Detail: "simulated permission"}})
		}
		return true
	}
	ok, ground := e.may(what.class)
	if ok && r != nil && len(r.ForGroups) > 0 && !e.emergency && !slices.Contains(r.ForGroups, e.group) {
		return e.notFor(r, what)
	}
	if e.told && e.group != nil {
		e.tell(trail.Step{Kind: trail.StepPermitted, Permitted: &trail.Permitted{Group: e.groupRef(), Class: what.class, Why: what.why.String(), Allowed: ok, Detail: e.ground(ground, what.class)}})
	}
	if !ok {
		own := cause.NotPermitted
		if ground == notNow {
			own = cause.OutOfHours
		}
		e.refuse(own, func() string { return e.ground(ground, what.class) })
	}
	return ok
}

// permitPath asks for a path: what it sends is told by the steps of its choices, of which
// one that the caller may use is enough. The others are passed over in their turn.
func (e *Evaluation) permitPath(r *compiled.Rule) bool {
	var first sort
	found := false
	for i := range r.Path.Tries {
		c := &r.Path.Tries[i]
		if found && len(c.CalledSteps) == 0 && len(r.Path.Tries[0].CalledSteps) == 0 {
			continue // the same number, asked already
		}
		called, ok := e.asSent(c)
		if !ok {
			continue
		}
		e.noteEmergency(called.Number)
		what := e.inside()
		if !r.Path.Inside() {
			what = e.sortOf(called)
		}
		if may, _ := e.may(what.class); may {
			return e.permit(r, what)
		}
		if !found {
			first, found = what, true
		}
	}
	// Where no choice can send it, that is told where they are tried.
	return !found || e.permit(r, first)
}

// asSent is the called number behind the steps of a choice; ok is false where they cannot
// act.
func (e *Evaluation) asSent(c *compiled.Choice) (called numbering.Written, ok bool) {
	called = e.called
	for i := range c.CalledSteps {
		if called, ok = c.CalledSteps[i].Apply(&e.sw.Numbering, called); !ok {
			return called, false
		}
	}
	return called, true
}

// mayUse asks whether a rule that sends on to another table is for the caller's group.
// It is never asked of a call that turns out to be an emergency call behind it.
func (e *Evaluation) mayUse(r *compiled.Rule) bool {
	if len(r.ForGroups) == 0 || e.permitted || slices.Contains(r.ForGroups, e.group) || e.becomesEmergency(r) {
		return true
	}
	return e.notFor(r, e.sortOf(e.called))
}

// notFor refuses a caller whom a rule does not mean.
func (e *Evaluation) notFor(r *compiled.Rule, what sort) bool {
	detail := func() string {
		var names []string
		for _, g := range r.ForGroups {
			names = append(names, g.Name)
		}
		return fmt.Sprintf("rule %s is only for %s; the caller is in %s", r.Ref.Name, strings.Join(names, " and "), e.groupName())
	}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepPermitted, Permitted: &trail.Permitted{Group: e.groupRef(), Class: what.class, Why: what.why.String(), Rule: &r.Ref, Detail: detail()}})
	}
	e.refuse(cause.NotPermitted, detail)
	return false
}

// class is that of the call as it stands where it was decided.
func (e *Evaluation) class(inside bool) (numbering.Class, numbering.Why) {
	what := e.sortOf(e.called)
	if inside && what.class != numbering.ClassEmergency {
		what = e.inside()
	}
	return what.class, what.why
}

var (
	toInside     = numbering.Reason("destination is a phone system or application")
	wasEmergency = numbering.Reason("emergency number")
)

// leave is what the group says of a class; nil if nothing.
func (e *Evaluation) leave(class numbering.Class) *plan.Permission {
	if e.group == nil {
		return nil
	}
	for i := range e.group.Permissions {
		if e.group.Permissions[i].Class == class {
			return &e.group.Permissions[i]
		}
	}
	return nil
}

// ground is why a caller may make a call, or may not.
type ground uint8

const (
	everybody ground = iota // it is an emergency call
	noGroup                 // nothing holds the caller back
	hasLeave
	noLeave
	notNow
)

// may tells whether the caller's group may make calls of a class now.
func (e *Evaluation) may(class numbering.Class) (ok bool, why ground) {
	switch l := e.leave(class); {
	case e.emergency, e.permitted:
		return true, everybody
	case e.group == nil:
		return true, noGroup
	case l == nil:
		return false, noLeave
	case !e.holds(&l.When):
		return false, notNow
	}
	return true, hasLeave
}

// ground says in words why a call of a class may be made, or may not.
func (e *Evaluation) ground(why ground, class numbering.Class) string {
	switch {
	case why == everybody:
		return "emergency calls are always permitted"
	case why == noGroup:
		return "the caller is in no group"
	case why == noLeave && class == numbering.ClassUnknown:
		return e.group.Name + ": no permission for unallocated numbers"
	case why == noLeave:
		return fmt.Sprintf("%s: no permission for %s calls", e.group.Name, class)
	case why == notNow:
		return fmt.Sprintf("%s: no permission for %s calls now: %s", e.group.Name, class, e.during(e.leave(class).When))
	}
	return fmt.Sprintf("%s: permission for %s calls", e.group.Name, class)
}

func (e *Evaluation) groupRef() *trail.Ref {
	if e.group == nil {
		return nil
	}
	return &e.group.Ref
}

func (e *Evaluation) groupName() string {
	if e.group == nil {
		return "no group"
	}
	return e.group.Name
}
