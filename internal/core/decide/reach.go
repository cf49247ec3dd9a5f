package decide

import (
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

// reaching computes which numbers the rules of tables take, backwards through their
// digit steps: what a table takes is the numbers that one of its rules wins and that,
// where the rule sends on, the next table takes once they are rewritten. The source is
// one caller by one trunk at one moment, so that all but the called number is known.
type reaching struct {
	e     *Evaluation // the source; its numbers are set as the tables are followed
	known map[reachKey]dialled
	// wanted, if it is set, says which of the rules that end the way count; the others
	// take numbers away from those behind them.
	wanted func(*compiled.Rule) bool
	// unions are the numbers that runs of plain rules match, shared between questions
	// about the same source; nil to forget them.
	unions map[unionKey]digits.Set
	err    error
}

// unionKey is a run of rules: its first one, and how many.
type unionKey struct {
	first *compiled.Rule
	count int
}

type reachKey struct {
	table  *compiled.Table
	caller numbering.Written
	form   numbering.Format
	depth  int
}

// maxReach bounds how many tables deep the rules are followed; a call may pass more, and
// a number that only reaches its end there is not waited for.
const maxReach = 6

func (r *reaching) keep(s digits.Set, err error) digits.Set {
	if err != nil && r.err == nil {
		r.err = err
	}
	return s
}

func (r *reaching) union(a, b digits.Set) digits.Set     { return r.keep(a.Union(b)) }
func (r *reaching) intersect(a, b digits.Set) digits.Set { return r.keep(a.Intersect(b)) }
func (r *reaching) minus(a, b digits.Set) digits.Set     { return r.keep(a.Minus(b)) }

// table is the numbers that a table takes, as they are written where it is entered.
func (r *reaching) table(t *compiled.Table, caller numbering.Written, form numbering.Format, depth int) (d dialled) {
	if depth == maxReach || r.err != nil {
		return dialled{}
	}
	key := reachKey{t, caller, form, depth}
	if known, ok := r.known[key]; ok {
		return known
	}
	inside := form
	if t.Format.Public() {
		inside = t.Format
	}
	var earlier digits.Set
	var run []*compiled.Rule // plain rules, one after another, of which it does not matter which takes a number
	flush := func() {
		if len(run) > 0 {
			earlier = r.plain(run, inside, earlier, &d)
			run = nil
		}
	}
	for i := range t.Effective {
		rule := &t.Effective[i]
		r.e.caller = caller
		r.e.seeCaller(t)
		if rule.Row.CatchAll || r.e.otherwise(rule) != "" {
			continue
		}
		if r.isPlain(rule, inside) {
			run = append(run, rule)
			continue
		}
		flush()
		if rule.GoesOn() {
			earlier = r.goesOn(rule, caller, inside, earlier, &d, depth)
		} else {
			earlier = r.ends(rule, inside, earlier, &d)
		}
	}
	flush()
	// An emergency number waits for no longer one, unless the rule says so.
	d.once = r.union(d.once, r.minus(r.intersect(d.taken, r.emergency()), d.waits))
	if t.Format.Public() && form.Public() && form != t.Format {
		d.taken = r.keep(rewrite.BeforeConversion(&r.e.sw.Numbering, d.taken, form, t.Format))
		d.once = r.keep(rewrite.BeforeConversion(&r.e.sw.Numbering, d.once, form, t.Format))
		d.timed = r.keep(rewrite.BeforeConversion(&r.e.sw.Numbering, d.timed, form, t.Format))
		d.waits = r.keep(rewrite.BeforeConversion(&r.e.sw.Numbering, d.waits, form, t.Format))
	}
	r.known[key] = d
	return d
}

// isPlain tells whether all that a rule matches ends there and waits for longer numbers.
func (r *reaching) isPlain(rule *compiled.Rule, form numbering.Format) bool {
	if rule.GoesOn() || rule.Row.Complete == plan.CompleteAtOnce || rule.Called != nil && !rule.Called.Timed().Empty() {
		return false
	}
	return !rule.CanFail() || rule.Matched().Within(r.before(rule, digits.Any(), form))
}

// plain adds what plain rules take.
func (r *reaching) plain(run []*compiled.Rule, form numbering.Format, earlier digits.Set, d *dialled) digits.Set {
	matched := make([]digits.Set, len(run))
	for i, rule := range run {
		matched[i] = rule.Matched()
		if !r.counts(rule) {
			continue
		}
		if rule.Row.Complete == plan.CompleteWait {
			d.waits = r.union(d.waits, r.minus(matched[i], r.union(earlier, r.all(matched[:i]))))
		}
		if now := r.emergencies(rule, form); !now.Empty() {
			d.once = r.union(d.once, r.minus(now, r.union(earlier, r.all(matched[:i]))))
		}
	}
	key := unionKey{run[0], len(run)}
	all, known := r.unions[key]
	if !known {
		if all = r.all(matched); r.unions != nil {
			r.unions[key] = all
		}
	}
	if r.wanted == nil {
		d.taken = r.union(d.taken, r.minus(all, earlier))
		return r.union(earlier, all)
	}
	for i, rule := range run {
		if r.counts(rule) {
			d.taken = r.union(d.taken, r.minus(r.minus(matched[i], r.all(matched[:i])), earlier))
		}
	}
	return r.union(earlier, all)
}

func (r *reaching) counts(rule *compiled.Rule) bool { return r.wanted == nil || r.wanted(rule) }

// ends adds what a rule takes that ends the way through the tables.
func (r *reaching) ends(rule *compiled.Rule, form numbering.Format, earlier digits.Set, d *dialled) digits.Set {
	match := rule.Matched()
	if !r.counts(rule) {
		return r.union(earlier, match)
	}
	taken := r.minus(r.intersect(match, r.before(rule, digits.Any(), form)), earlier)
	d.taken = r.union(d.taken, taken)
	if rule.Row.Complete == plan.CompleteAtOnce {
		d.once = r.union(d.once, taken)
	} else {
		d.once = r.union(d.once, r.intersect(taken, r.emergencies(rule, form)))
	}
	if rule.Row.Complete == plan.CompleteWait {
		d.waits = r.union(d.waits, taken)
	}
	if rule.Called != nil {
		d.timed = r.union(d.timed, r.intersect(taken, rule.Called.Timed()))
	}
	return r.union(earlier, match)
}

// emergencies are the numbers that a rule makes emergency calls of and that wait for no
// longer one, unless the rule says so.
func (r *reaching) emergencies(rule *compiled.Rule, form numbering.Format) digits.Set {
	if rule.Row.Complete != "" {
		return digits.Set{}
	}
	return r.intersect(rule.Matched(), r.before(rule, r.emergency(), form))
}

// goesOn adds what a rule takes that sends on to another table.
func (r *reaching) goesOn(rule *compiled.Rule, caller numbering.Written, form numbering.Format, earlier digits.Set, d *dialled, depth int) digits.Set {
	match := rule.Matched()
	r.e.caller = caller
	r.e.rewrite("caller", &r.e.caller, rule.CallerSteps, &rule.Ref)
	after := form
	for i := range rule.CalledSteps {
		after = rule.CalledSteps[i].Leaves(after)
	}
	next := r.table(rule.Table, r.e.caller, after, depth+1)
	own := r.minus(match, earlier)
	taken := r.intersect(own, r.before(rule, next.taken, form))
	d.taken = r.union(d.taken, taken)
	d.once = r.union(d.once, r.intersect(own, r.before(rule, next.once, form)))
	d.timed = r.union(d.timed, r.intersect(own, r.before(rule, next.timed, form)))
	d.waits = r.union(d.waits, r.intersect(own, r.before(rule, next.waits, form)))
	if rule.Called != nil {
		d.timed = r.union(d.timed, r.intersect(taken, rule.Called.Timed()))
	}
	return r.union(earlier, match)
}

// before is the preimage of a set under the called steps of a rule.
func (r *reaching) before(rule *compiled.Rule, s digits.Set, form numbering.Format) digits.Set {
	forms := make([]numbering.Format, len(rule.CalledSteps))
	for i := range rule.CalledSteps {
		forms[i] = form
		form = rule.CalledSteps[i].Leaves(form)
	}
	for i := len(rule.CalledSteps) - 1; i >= 0; i-- {
		s = r.keep(rule.CalledSteps[i].Before(&r.e.sw.Numbering, s, forms[i]))
	}
	return s
}

// all is the union of many sets, two by two, so that none grows before it must.
func (r *reaching) all(list []digits.Set) digits.Set {
	switch len(list) {
	case 0:
		return digits.Set{}
	case 1:
		return list[0]
	}
	half := len(list) / 2
	return r.union(r.all(list[:half]), r.all(list[half:]))
}

// emergency is the emergency numbers of the source, if it is one of ours.
func (r *reaching) emergency() digits.Set {
	if r.e.source != nil && !r.e.source.Ours {
		return digits.Set{}
	}
	return r.keep(digits.SetOf(r.e.sw.Numbering.Emergency()...))
}
