package decide

import (
	"fmt"
	"slices"
	"strconv"
	"time"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Checked is what came of a check that was run dry.
type Checked struct {
	Passed bool `json:"passed"`
	// Differences are what is not as it was expected.
	Differences []Difference `json:"differences" nullable:"false"`
	Result      Result       `json:"result"`
}

// Difference is one thing that a check expected and that came otherwise.
type Difference struct {
	What     string `json:"what" enum:"from,suppose,outcome,trunk,called,caller,cause"`
	Expected string `json:"expected"`
	Actual   string `json:"actual"`
}

// Check runs a check of the snapshot's plan. now is the moment of a check that names
// none.
func (s *Snapshot) Check(c plan.Check, now time.Time) Checked {
	for _, id := range slices.Concat(c.Simulate.Down, c.Simulate.Full) {
		if s.Trunks[id] == nil {
			return unplaced("simulate", id, "unknown trunk")
		}
	}
	for id, state := range c.Simulate.Overrides {
		if why := s.unlikely(id, state); why != "" {
			return unplaced("simulate", id, why)
		}
	}
	res, err := s.checkCall(c, now)
	if err != nil {
		return unplaced("from", c.From, err.Error())
	}
	out := Checked{Differences: []Difference{}, Result: res}
	differ := func(what, wanted, came string) {
		if wanted != "" && wanted != came {
			out.Differences = append(out.Differences, Difference{what, wanted, came})
		}
	}
	differ("outcome", c.Expected.Outcome, string(res.Outcome))
	if c.Expected.Cause != 0 {
		differ("cause", strconv.Itoa(c.Expected.Cause), strconv.Itoa(int(res.Cause.Q850)))
	}
	differ("trunk", c.Expected.TrunkOut, res.lastTrunk())
	differ("called", plainNumber(c.Expected.CalledOut), res.Called)
	differ("caller", plainNumber(c.Expected.CallerOut), res.Caller)
	out.Passed = len(out.Differences) == 0
	return out
}

// unlikely says why a calendar cannot be in a state; empty if it can.
func (s *Snapshot) unlikely(id, state string) string {
	for _, h := range s.Source.Calendars {
		if h.ID == id {
			if !slices.Contains(h.States(), state) {
				return fmt.Sprintf("%s has no state %q", h.Name, state)
			}
			return ""
		}
	}
	return "unknown calendar"
}

// unplaced is a check whose call could not even be placed.
func unplaced(what, wanted, came string) Checked {
	return Checked{Differences: []Difference{{what, wanted, came}}, Result: Result{Attempts: []trail.Attempt{}, Steps: []trail.Step{}}}
}

func (s *Snapshot) checkCall(c plan.Check, now time.Time) (Result, error) {
	call, err := s.CallFrom(c.From, c.Called, c.Caller)
	if err != nil {
		return Result{}, err
	}
	call.At, call.Overrides = now, c.Simulate.Overrides
	if at, err := time.Parse(time.RFC3339, c.Simulate.Time); err == nil {
		call.At = at
	}
	suppose := Suppose{Down: map[string]bool{}, Full: map[string]bool{}}
	for _, id := range c.Simulate.Down {
		suppose.Down[id] = true
	}
	for _, id := range c.Simulate.Full {
		suppose.Full[id] = true
	}
	return s.Dry(call, suppose)
}

// lastTrunk is the trunk by which the call left last; empty if it never left.
func (r Result) lastTrunk() string {
	for _, a := range slices.Backward(r.Attempts) {
		if !a.Skipped {
			return a.Trunk
		}
	}
	return ""
}

func plainNumber(text string) string {
	n, _ := digits.ParseNumber(text) // validated
	return n.String()
}

// Expect is what a call that came as it should is expected to come to again.
func Expect(r Result) plan.Expected {
	out := plan.Expected{Outcome: string(r.Outcome), TrunkOut: r.lastTrunk()}
	if out.TrunkOut != "" {
		out.CalledOut, out.CallerOut = r.Called, r.Caller
	}
	if r.Outcome != trail.Answered {
		out.Cause = int(r.Cause.Q850)
	}
	return out
}

// Passed are the objects of the plan that had a part in a trail, each once: whatever
// changes in them can change what becomes of the call. A table stands for all of its
// rules.
func Passed(steps []trail.Step) []plan.Key {
	var out []plan.Key
	add := func(kind plan.Kind, id string) {
		if k := (plan.Key{Kind: kind, ID: id}); id != "" && !slices.Contains(out, k) {
			out = append(out, k)
		}
	}
	ref := func(r trail.Ref) {
		switch r.Kind {
		case "contract":
			add(plan.KindTrunk, r.ID)
		case "rule": // its table has it
		default:
			add(plan.Kind(r.Kind), r.ID)
		}
	}
	for _, s := range steps {
		add(plan.KindSwitch, s.Switch)
		switch {
		case s.Received != nil:
			ref(s.Received.Trunk)
			ref(s.Received.FarEnd)
		case s.LookedUp != nil:
			ref(s.LookedUp.Table)
		case s.Rewrote != nil:
			ref(s.Rewrote.By)
		case s.Permitted != nil && s.Permitted.Group != nil:
			ref(*s.Permitted.Group)
		case s.FoundNumber != nil:
			ref(s.FoundNumber.Number)
		case s.Resorted != nil:
			ref(s.Resorted.Of)
			ref(s.Resorted.Destination)
		case s.SetCalendar != nil:
			ref(s.SetCalendar.Calendar)
		case s.Delivered != nil:
			ref(s.Delivered.Destination)
			ref(s.Delivered.Trunk)
		case s.TookPath != nil:
			ref(s.TookPath.Path)
		case s.Skipped != nil:
			ref(s.Skipped.Trunk)
		case s.Sent != nil:
			ref(s.Sent.Trunk)
		}
	}
	return out
}

// Why says in a line how a result came about: for lists of calls.
func (r Result) Why() string {
	for _, s := range slices.Backward(r.Steps) {
		if s.Ended != nil {
			return s.Ended.Why
		}
	}
	return ""
}

// Deciding is the rule that a call went by last, and the class that its number had; nil
// and empty where the trail has none.
func (r Result) Deciding() (rule *trail.Ref, class string) {
	for _, s := range r.Steps {
		switch {
		case s.LookedUp != nil && s.LookedUp.Winner != nil:
			rule = s.LookedUp.Winner
		case s.Permitted != nil:
			class = string(s.Permitted.Class)
		}
	}
	return rule, class
}

// String names what differs in words.
func (d Difference) String() string {
	if d.Expected == "" {
		return fmt.Sprintf("%s: %s", d.What, d.Actual)
	}
	return fmt.Sprintf("%s: expected %s, actual %s", d.What, d.Expected, d.Actual)
}
