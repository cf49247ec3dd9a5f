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
type Reach struct {
	e     *Evaluation // the source; its numbers are set as the tables are followed
	known map[reachKey]dialled
	// wanted, if it is set, says which of the rules that end the way count; the others
	// take numbers away from those behind them.
	wanted func(*compiled.Rule) bool
	leads  map[*compiled.Table]bool
	// unions are the numbers that runs of plain rules match, shared between questions
	// about the same source; nil to forget them.
	unions map[unionKey]digits.Set
	err    error
}

// ReachFrom looks at what tables take of the calls that come by a trunk.
func (s *Snapshot) ReachFrom(t *compiled.Trunk) *Reach {
	return &Reach{e: &Evaluation{snap: s, sw: t.On, source: t}, known: map[reachKey]dialled{}}
}

// ReachOn looks at rules of a switch, whoever calls.
func (s *Snapshot) ReachOn(sw *compiled.Switch) *Reach {
	return &Reach{e: &Evaluation{snap: s, sw: sw}, known: map[reachKey]dialled{}}
}

// Wanting is the same source, where of the rules that end the way some alone count: the others
// take numbers away from those behind them. What runs of plain rules match is shared between all
// that are made so.
func (r *Reach) Wanting(rule func(*compiled.Rule) bool) *Reach {
	if r.unions == nil {
		r.unions = map[unionKey]digits.Set{}
	}
	return &Reach{e: r.e, known: map[reachKey]dialled{}, wanted: rule, unions: r.unions}
}

// Takes is the numbers that a table takes of a caller's, as they are written where it is entered,
// so many tables deep.
func (r *Reach) Takes(t *compiled.Table, caller numbering.Written, form numbering.Format, depth int) digits.Set {
	return r.table(t, caller, form, depth).taken
}

// CallerAfter is the caller behind the steps of a rule.
func (r *Reach) CallerAfter(rule *compiled.Rule, caller numbering.Written) numbering.Written {
	r.e.caller = caller
	r.e.rewrite("caller", &r.e.caller, rule.CallerSteps, &rule.Ref)
	return r.e.caller
}

// Failed is what could not be worked out, which makes all else worthless: digits.ErrTooLarge.
func (r *Reach) Failed() error { return r.err }

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

func (r *Reach) Keep(s digits.Set, err error) digits.Set {
	if err != nil && r.err == nil {
		r.err = err
	}
	return s
}

func (r *Reach) union(a, b digits.Set) digits.Set     { return r.Keep(a.Union(b)) }
func (r *Reach) Intersect(a, b digits.Set) digits.Set { return r.Keep(a.Intersect(b)) }
func (r *Reach) Minus(a, b digits.Set) digits.Set     { return r.Keep(a.Minus(b)) }

// table is the numbers that a table takes, as they are written where it is entered.
func (r *Reach) table(t *compiled.Table, caller numbering.Written, form numbering.Format, depth int) (d dialled) {
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
	d.once = r.union(d.once, r.Minus(r.Intersect(d.taken, r.emergency()), d.waits))
	if t.Format.Public() && form.Public() && form != t.Format {
		d.taken = r.Keep(rewrite.BeforeConversion(&r.e.sw.Numbering, d.taken, form, t.Format))
		d.once = r.Keep(rewrite.BeforeConversion(&r.e.sw.Numbering, d.once, form, t.Format))
		d.timed = r.Keep(rewrite.BeforeConversion(&r.e.sw.Numbering, d.timed, form, t.Format))
		d.waits = r.Keep(rewrite.BeforeConversion(&r.e.sw.Numbering, d.waits, form, t.Format))
	}
	r.known[key] = d
	return d
}

// isPlain tells whether all that a rule matches ends there and waits for longer numbers.
func (r *Reach) isPlain(rule *compiled.Rule, form numbering.Format) bool {
	if rule.GoesOn() || rule.Row.Complete == plan.CompleteAtOnce || rule.Called != nil && !rule.Called.Timed().Empty() {
		return false
	}
	return !rule.CanFail() || rule.Matched().Within(r.Before(rule, digits.Any(), form))
}

// plain adds what plain rules take.
func (r *Reach) plain(run []*compiled.Rule, form numbering.Format, earlier digits.Set, d *dialled) digits.Set {
	matched := make([]digits.Set, len(run))
	for i, rule := range run {
		matched[i] = rule.Matched()
		if !r.counts(rule) {
			continue
		}
		if rule.Row.Complete == plan.CompleteWait {
			d.waits = r.union(d.waits, r.Minus(matched[i], r.union(earlier, r.All(matched[:i]))))
		}
		if now := r.emergencies(rule, form); !now.Empty() {
			d.once = r.union(d.once, r.Minus(now, r.union(earlier, r.All(matched[:i]))))
		}
	}
	key := unionKey{run[0], len(run)}
	all, known := r.unions[key]
	if !known {
		if all = r.All(matched); r.unions != nil {
			r.unions[key] = all
		}
	}
	if r.wanted == nil {
		d.taken = r.union(d.taken, r.Minus(all, earlier))
		return r.union(earlier, all)
	}
	for i, rule := range run {
		if r.counts(rule) {
			d.taken = r.union(d.taken, r.Minus(r.Minus(matched[i], r.All(matched[:i])), earlier))
		}
	}
	return r.union(earlier, all)
}

func (r *Reach) counts(rule *compiled.Rule) bool { return r.wanted == nil || r.wanted(rule) }

// ends adds what a rule takes that ends the way through the tables.
func (r *Reach) ends(rule *compiled.Rule, form numbering.Format, earlier digits.Set, d *dialled) digits.Set {
	match := rule.Matched()
	if !r.counts(rule) {
		return r.union(earlier, match)
	}
	taken := r.Minus(r.Intersect(match, r.Before(rule, digits.Any(), form)), earlier)
	d.taken = r.union(d.taken, taken)
	if rule.Row.Complete == plan.CompleteAtOnce {
		d.once = r.union(d.once, taken)
	} else {
		d.once = r.union(d.once, r.Intersect(taken, r.emergencies(rule, form)))
	}
	if rule.Row.Complete == plan.CompleteWait {
		d.waits = r.union(d.waits, taken)
	}
	if rule.Called != nil {
		d.timed = r.union(d.timed, r.Intersect(taken, rule.Called.Timed()))
	}
	return r.union(earlier, match)
}

// emergencies are the numbers that a rule makes emergency calls of and that wait for no
// longer one, unless the rule says so.
func (r *Reach) emergencies(rule *compiled.Rule, form numbering.Format) digits.Set {
	if rule.Row.Complete != "" {
		return digits.Set{}
	}
	return r.Intersect(rule.Matched(), r.Before(rule, r.emergency(), form))
}

// goesOn adds what a rule takes that sends on to another table.
func (r *Reach) goesOn(rule *compiled.Rule, caller numbering.Written, form numbering.Format, earlier digits.Set, d *dialled, depth int) digits.Set {
	match := rule.Matched()
	if !r.leadsOn(rule.Table) {
		return r.union(earlier, match)
	}
	caller = r.CallerAfter(rule, caller)
	next := r.table(rule.Table, caller, rule.Leaves(form), depth+1)
	own := r.Minus(match, earlier)
	taken := r.Intersect(own, r.Before(rule, next.taken, form))
	d.taken = r.union(d.taken, taken)
	d.once = r.union(d.once, r.Intersect(own, r.Before(rule, next.once, form)))
	d.timed = r.union(d.timed, r.Intersect(own, r.Before(rule, next.timed, form)))
	d.waits = r.union(d.waits, r.Intersect(own, r.Before(rule, next.waits, form)))
	if rule.Called != nil {
		d.timed = r.union(d.timed, r.Intersect(taken, rule.Called.Timed()))
	}
	return r.union(earlier, match)
}

// leadsOn tells whether a table, or one behind it, has a rule that counts: what does not is not
// worth following.
func (r *Reach) leadsOn(t *compiled.Table) bool {
	if r.wanted == nil {
		return true
	}
	leads, known := r.leads[t]
	if known {
		return leads
	}
	if r.leads == nil {
		r.leads = map[*compiled.Table]bool{}
	}
	seen := map[*compiled.Table]bool{}
	leads = r.findsWanted(t, seen)
	r.leads[t] = leads
	if !leads {
		for other := range seen {
			r.leads[other] = false
		}
	}
	return leads
}

// findsWanted looks for a rule that counts, in a table and those behind it that were not seen.
func (r *Reach) findsWanted(t *compiled.Table, seen map[*compiled.Table]bool) bool {
	if seen[t] || r.leads[t] {
		return r.leads[t]
	}
	seen[t] = true
	for i := range t.Effective {
		rule := &t.Effective[i]
		if rule.GoesOn() && r.findsWanted(rule.Table, seen) || !rule.GoesOn() && r.wanted(rule) {
			return true
		}
	}
	return false
}

// Before is the preimage of a set under the called steps of a rule.
func (r *Reach) Before(rule *compiled.Rule, s digits.Set, form numbering.Format) digits.Set {
	forms := make([]numbering.Format, len(rule.CalledSteps))
	for i := range rule.CalledSteps {
		forms[i] = form
		form = rule.CalledSteps[i].Leaves(form)
	}
	for i := len(rule.CalledSteps) - 1; i >= 0; i-- {
		s = r.Keep(rule.CalledSteps[i].Before(&r.e.sw.Numbering, s, forms[i]))
	}
	return s
}

// All is the union of many sets, two by two, so that none grows before it must.
func (r *Reach) All(list []digits.Set) digits.Set {
	switch len(list) {
	case 0:
		return digits.Set{}
	case 1:
		return list[0]
	}
	half := len(list) / 2
	return r.union(r.All(list[:half]), r.All(list[half:]))
}

// emergency is the emergency numbers of the source, if it is one of ours.
func (r *Reach) emergency() digits.Set {
	if r.e.source != nil && !r.e.source.Ours {
		return digits.Set{}
	}
	return r.Keep(digits.SetOf(r.e.sw.Numbering.Emergency()...))
}
