package decide

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Digits that come one by one are collected over the whole plan that the source can
// reach: what is typed is complete when rules take it to where the call goes, and it is
// worth waiting for more only while a longer number would be taken too. Rules of last
// resort have no say in that.

// Stage is how far the digits typed so far have come.
type Stage string

// The stages. Empty and Partial wait for more, Waiting has a number that can go and a
// longer one that could come, Complete goes at once, and Impossible can become nothing:
// the call is decided as it stands.
const (
	StageEmpty      Stage = "empty"
	StagePartial    Stage = "partial"
	StageWaiting    Stage = "waiting"
	StageComplete   Stage = "complete"
	StageImpossible Stage = "impossible"
)

// Collection is what the switch does after the digits typed so far.
type Collection struct {
	Stage  Stage         `json:"stage" enum:"empty,partial,waiting,complete,impossible"`
	Typed  digits.Number `json:"typed"`
	Timer  string        `json:"timer,omitempty" enum:"first,partial,critical" doc:"Running timer; none if the call is routed at once"`
	Millis int           `json:"ms" doc:"Its duration"`
	// Rule is the last rule that takes the digits as they are; nil if none does.
	Rule *trail.Ref `json:"rule,omitempty"`
	// Longer is the shortest longer number that would be taken, and Other the rule that
	// would take it last.
	Longer string     `json:"longer,omitempty"`
	Other  *trail.Ref `json:"other,omitempty"`
	Why    string     `json:"why"`
	// Tables are the tables that the digits pass, with the rules that are still in the
	// running in each.
	Tables []StillOpen `json:"tables" nullable:"false"`
}

// StillOpen is what is left of a table for the digits so far.
type StillOpen struct {
	Table  trail.Ref         `json:"table"`
	Called numbering.Written `json:"called" doc:"The digits in this table"`
	Rules  []OpenRule        `json:"rules" nullable:"false"`
	More   int               `json:"more" doc:"Number of others"`
}

// OpenRule is a rule that the digits match, or could with more of them.
type OpenRule struct {
	Rule    trail.Ref `json:"rule"`
	Pattern string    `json:"pattern" doc:"Empty: any number"`
	Matches bool      `json:"matches"`
	// GoesOn: more digits could match it too.
	GoesOn bool `json:"goesOn"`
	// Wins: it is the first that matches.
	Matched  bool `json:"matched"`
	CatchAll bool `json:"catchAll"`
}

// maxOpen bounds how many rules of a table a collection lists.
const maxOpen = 30

// Collect says what the switch does after the digits of a call that come one by one; ok
// is false if the snapshot has no such trunk.
func (s *Snapshot) Collect(c Call) (out Collection, ok bool) {
	e := &Evaluation{}
	if !s.Decide(e, c) {
		return out, false
	}
	out.Typed, out.Tables = c.Called, e.open()
	dialled, err := s.dialled(e, c)
	taken := e.taken()
	if taken {
		out.Rule = &e.last.Ref
	}
	longer, more := dialled.taken.Continues(c.Called)
	if err != nil { // too large to say: the first table alone decides
		more = len(out.Tables) > 0 && slices.ContainsFunc(out.Tables[0].Rules, func(r OpenRule) bool { return r.GoesOn && !r.CatchAll })
	} else if more {
		out.Longer = longer.String()
		at := c
		at.Called = longer
		if next := new(Evaluation); s.Decide(next, at) && next.last != nil {
			out.Other = &next.last.Ref
		}
	}
	out.stage(taken, more, dialled, c.Called, s.Trunks[c.Trunk].Overlap)
	return out, true
}

// stage judges what is taken and what could still come.
func (o *Collection) stage(taken, more bool, d dialled, typed digits.Number, set plan.Overlap) {
	set = set.OrDefault()
	run := func(stage Stage, timer string, millis int, why string) {
		o.Stage, o.Timer, o.Millis, o.Why = stage, timer, millis, why
	}
	switch {
	case typed.Empty() && (more || taken):
		run(StageEmpty, "first", set.FirstDigitMs, "no digit yet")
	case taken && d.once.Contains(typed):
		run(StageComplete, "", 0, fmt.Sprintf("rule %s connects at once", o.Rule.Name))
	case taken && d.timed.Contains(typed):
		run(StageWaiting, "critical", set.CriticalMs, fmt.Sprintf("rule %s is complete at timer expiry", o.Rule.Name))
	case taken && more && o.Other != nil && *o.Other == *o.Rule:
		run(StageWaiting, "critical", set.CriticalMs, fmt.Sprintf("rule %s matches, and longer numbers too, for example %s", o.Rule.Name, o.Longer))
	case taken && more && o.Other != nil:
		run(StageWaiting, "critical", set.CriticalMs, fmt.Sprintf("rule %s matches; rule %s matches the longer number %s", o.Rule.Name, o.Other.Name, o.Longer))
	case taken && more:
		run(StageWaiting, "critical", set.CriticalMs, fmt.Sprintf("rule %s matches, and a longer number may match", o.Rule.Name))
	case taken:
		run(StageComplete, "", 0, fmt.Sprintf("rule %s matches, and no longer number does", o.Rule.Name))
	case more:
		run(StagePartial, "partial", set.PartialMs, "more digits needed")
	default:
		run(StageImpossible, "", 0, "no matching rule, also for longer numbers")
	}
}

// taken tells whether rules took the call to where it goes, none of them as a last
// resort.
func (e *Evaluation) taken() bool { return e.last != nil && !e.last.GoesOn() && !e.resorted }

// open lists what is left of each table that the digits pass.
func (e *Evaluation) open() []StillOpen {
	out := []StillOpen{}
	for _, v := range e.visits[:e.passed] {
		still := StillOpen{Table: v.table.Ref, Called: v.entered, Rules: []OpenRule{}}
		before := *e
		before.callerHere = v.callerHere
		won := false
		var list []OpenRule
		v.table.Index.Find(v.entered.Number, func(place int, matches bool) bool {
			r := &v.table.Effective[place]
			if before.otherwise(r) != "" {
				return true
			}
			open := OpenRule{Rule: r.Ref, Pattern: r.Row.Match.Called, Matches: matches, GoesOn: r.Called == nil, CatchAll: r.Row.CatchAll}
			if r.Called != nil {
				switch d := r.Called.Dialled(v.entered.Number); d.State {
				case digits.Partial, digits.CompleteMayContinue:
					open.GoesOn = true
				}
			}
			if !open.Matches && !open.GoesOn {
				return true
			}
			open.Matched, won = matches && !won, won || matches
			list = append(list, open)
			return true
		})
		still.Rules = list[:min(len(list), maxOpen)]
		if still.Rules == nil {
			still.Rules = []OpenRule{}
		}
		still.More = len(list) - len(still.Rules)
		out = append(out, still)
	}
	return out
}

// dialled is the numbers that a source can dial, as sets: those that are taken, those
// of them that connect at once, those that are complete when the timer fires, and those
// of which a rule says that they wait.
type dialled struct{ taken, once, timed, waits digits.Set }

// dialledKey is all that the sets hang on: where and by whom, and the states of all
// calendars.
type dialledKey struct {
	trunk, states string
	caller        digits.Number
}

// maxDialled bounds how many sources a snapshot remembers the sets of: each takes up to
// some megabytes where tables are large.
const maxDialled = 64

// dialled computes the sets of a call's source, once.
func (s *Snapshot) dialled(e *Evaluation, c Call) (dialled, error) {
	var states strings.Builder
	for _, h := range s.Source.Calendars {
		states.WriteString(e.state(h.ID))
		states.WriteByte(0)
	}
	key := dialledKey{c.Trunk, states.String(), c.Caller.Number.Number}
	s.reached.Lock()
	known, ok := s.reached.sets[key]
	s.reached.Unlock()
	if ok {
		return known.dialled, known.err
	}
	start := &Evaluation{}
	s.Decide(start, c)
	var d dialled
	var err error
	if table := start.entered; table != nil {
		r := Reach{e: start, known: map[reachKey]dialled{}}
		d = r.table(table, start.received.caller, start.received.called.Format, 0)
		err = r.err
	}
	s.reached.Lock()
	defer s.reached.Unlock()
	if s.reached.sets == nil || len(s.reached.sets) >= maxDialled {
		s.reached.sets = map[dialledKey]remembered{}
	}
	s.reached.sets[key] = remembered{d, err}
	return d, err
}

type remembered struct {
	dialled dialled
	err     error
}
