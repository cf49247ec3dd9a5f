package decide

import (
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// Where no rule takes a number, a longer one might be: then the number is incomplete, and
// not wrong.

// longerTaken tells whether rules would take a longer number of this caller now, all the
// way to where it goes. Rules for wrong numbers do not count.
func (e *Evaluation) longerTaken(t *compiled.Table) bool {
	if e.looksAhead || !e.couldBeLonger(t) {
		return false
	}
	d, known := e.snap.longer(e, t)
	if !known {
		return true // too much to work out: some rule could, by its pattern
	}
	return d.GoesOn(e.called.Number)
}

// couldBeLonger tells whether a rule that can take this call has a pattern which matches
// longer numbers.
func (e *Evaluation) couldBeLonger(t *compiled.Table) bool {
	for i := range t.Effective {
		r := &t.Effective[i]
		if r.Row.CatchAll || e.otherwise(r) != "" {
			continue
		}
		if r.Called == nil {
			return true
		}
		switch r.Called.Dialled(e.called.Number).State {
		case digits.Partial, digits.CompleteMayContinue:
			return true
		}
	}
	return false
}

// longerKey is all that the numbers which a table takes hang on. The states of the
// calendars are told by their hash.
type longerKey struct {
	table  *compiled.Table
	source *compiled.Trunk
	caller digits.Number
	form   numbering.Format
	depth  int
	states uint64
}

// Bounds of what a snapshot works out and remembers of longer numbers, so that calls to
// wrong numbers cost little, however many there are and whatever callers they give.
const (
	maxLonger      = 256
	maxLongerRules = 5000
)

// longer is the numbers that a table takes for the call of an evaluation; known is false
// where that is too much to work out.
func (s *Snapshot) longer(e *Evaluation, t *compiled.Table) (taken digits.Set, known bool) {
	key := longerKey{table: t, source: e.source, form: e.called.Format, depth: e.passed - 1, states: e.states()}
	if s.AsksCaller {
		key.caller = e.caller.Number
	}
	s.reached.Lock()
	taken, known = s.reached.longer[key]
	full := len(s.reached.longer) >= maxLonger
	s.reached.Unlock()
	if known || full || s.rulesBehind(t) > maxLongerRules {
		return taken, known
	}
	ahead := *e
	ahead.told, ahead.trail = false, nil
	r := Reach{e: &ahead, known: map[reachKey]dialled{}}
	taken = r.table(t, e.caller, e.called.Format, e.passed-1).taken
	if r.err != nil {
		return taken, false
	}
	s.reached.Lock()
	defer s.reached.Unlock()
	if s.reached.longer == nil {
		s.reached.longer = map[longerKey]digits.Set{}
	}
	s.reached.longer[key] = taken
	return taken, true
}

// states is a hash of the states of all calendars (FNV-1a, 64 bits).
func (e *Evaluation) states() uint64 {
	h := uint64(14695981039346656037)
	for i := range e.snap.Source.Calendars {
		for _, c := range []byte(e.state(e.snap.Source.Calendars[i].ID)) {
			h = (h ^ uint64(c)) * 1099511628211
		}
		h *= 1099511628211
	}
	return h
}

// rulesBehind counts the rules of a table and of all tables that it leads to.
func (s *Snapshot) rulesBehind(t *compiled.Table) (count int) {
	seen := map[*compiled.Table]bool{nil: true}
	for queue := []*compiled.Table{t}; len(queue) > 0; queue = queue[1:] {
		if t := queue[0]; !seen[t] {
			seen[t] = true
			count += len(t.Effective)
			for _, next := range t.SendsTo {
				queue = append(queue, s.Tables[next])
			}
		}
	}
	return count
}
