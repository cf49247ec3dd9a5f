package live

import (
	"sync"
	"time"

	"switchback.example/switchback/internal/core/standing"
)

// hours is for how many hours it is remembered how often a rule matched.
const hours = 24

// RuleMatches counts how often rules matched in the last 24 hours. It is safe for concurrent use.
type RuleMatches struct {
	mu      sync.Mutex
	by      map[string]*matches
	changed map[string]bool // not kept yet
}

type matches struct {
	ring [hours]struct{ hour, calls int64 }
	last time.Time
}

// NewRuleMatches returns those that were kept.
func NewRuleMatches(kept []standing.RuleMatch) *RuleMatches {
	r := &RuleMatches{by: map[string]*matches{}, changed: map[string]bool{}}
	for _, k := range kept {
		m := r.of(k.Rule)
		s := &m.ring[hourOf(k.Hour)%hours]
		s.hour, s.calls = hourOf(k.Hour), k.Calls
		if k.Last.After(m.last) {
			m.last = k.Last
		}
	}
	return r
}

func hourOf(at time.Time) int64 { return at.Unix() / int64(time.Hour/time.Second) }

func (r *RuleMatches) of(rule string) *matches {
	m := r.by[rule]
	if m == nil {
		m = &matches{}
		r.by[rule] = m
	}
	return m
}

// Note counts a call at the rules that it matched.
func (r *RuleMatches) Note(rules []string, at time.Time) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, id := range rules {
		m := r.of(id)
		s := &m.ring[hourOf(at)%hours]
		if s.hour != hourOf(at) {
			s.hour, s.calls = hourOf(at), 0
		}
		s.calls++
		m.last = at
		r.changed[id] = true
	}
}

// Of is how often a rule matched in the last 24 hours, and when it did last; zero if it is not
// known that it ever did.
func (r *RuleMatches) Of(rule string, now time.Time) (calls int64, last time.Time) {
	r.mu.Lock()
	defer r.mu.Unlock()
	m := r.by[rule]
	if m == nil {
		return 0, last
	}
	for _, s := range m.ring {
		if s.hour > hourOf(now)-hours && s.hour <= hourOf(now) {
			calls += s.calls
		}
	}
	return calls, m.last
}

// Changed returns the present hours of rules that matched since it was asked last, to be kept.
func (r *RuleMatches) Changed() (list []standing.RuleMatch) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for id := range r.changed {
		m := r.by[id]
		s := m.ring[hourOf(m.last)%hours]
		list = append(list, standing.RuleMatch{Rule: id, Hour: time.Unix(s.hour*3600, 0).UTC(), Calls: s.calls, Last: m.last})
	}
	clear(r.changed)
	return list
}

// Again marks what could not be kept as changed.
func (r *RuleMatches) Again(list []standing.RuleMatch) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, k := range list {
		r.changed[k.Rule] = true
	}
}
