package impact

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/trail"
)

// Past is a call that really happened.
type Past struct {
	ID      string
	Started time.Time
	Trail   []trail.Step
}

// Call reads out of a trail what came in, and what trunks and far ends then did: a trunk
// that was down is supposed to be down, and a far end that was busy to be busy. ok is
// false for calls that cannot be decided again: straight test calls, such as were refused
// before they were decided, and those that a far end sent on.
func (p Past) Call() (c decide.Call, s decide.Suppose, ok bool) {
	if len(p.Trail) == 0 || p.Trail[0].Received == nil {
		return c, s, false
	}
	r := p.Trail[0].Received
	if r.Trunk.ID == "" || r.CalledText != "" || len(r.Diverted) > 0 || r.Unbelieved > 0 {
		return c, s, false
	}
	c = decide.Call{Trunk: r.Trunk.ID, Called: r.Called.Number, Caller: r.Party(), At: p.Started, Overrides: r.Overrides}
	s = decide.Suppose{Down: map[string]bool{}, Full: map[string]bool{}, Hears: map[string]decide.Report{}}
	looked := false
	for _, step := range p.Trail {
		switch {
		case step.Redirected != nil || step.SetCalendar != nil:
			return c, s, false
		case step.LookedUp != nil:
			looked = true
		case step.Skipped != nil:
			switch step.Skipped.Reason {
			case trail.SkipFull, trail.SkipPorts:
				s.Full[step.Skipped.Trunk.ID] = true
			case trail.SkipOff, trail.SkipDown, trail.SkipAbsent:
				s.Down[step.Skipped.Trunk.ID] = true
			}
		case step.Heard != nil:
			h := step.Heard
			s.Hears[h.Trunk.ID] = decide.Report{Kind: h.What, Status: h.Cause.SIP, Reason: h.Cause.Q850, Detail: h.Detail}
		}
	}
	return c, s, looked
}

// Differing is how a draft treats a call otherwise than the live plan.
type Differing string

// The sorts of difference, the gravest first.
const (
	NowRefused   Differing = "refused"       // it went out, and would not
	NowThrough   Differing = "put-through"   // it was refused, and would not be
	Elsewhere    Differing = "elsewhere"     // by another trunk
	OtherCalled  Differing = "other-called"  // another number would be called
	OtherCaller  Differing = "other-caller"  // another number would be shown
	OtherOutcome Differing = "other-outcome" // it would end with another cause
)

var gravity = []Differing{NowRefused, NowThrough, Elsewhere, OtherCalled, OtherCaller, OtherOutcome}

// Group is calls that the draft treats otherwise in the same way.
type Group struct {
	What Differing `json:"what" enum:"refused,put-through,elsewhere,other-called,other-caller,other-outcome"`
	// From is the trunk by which they came; Before and After say where they went and would
	// go: a trunk, or a cause.
	From   string    `json:"from"`
	Before string    `json:"before"`
	After  string    `json:"after"`
	Count  int       `json:"count"`
	Calls  []Differs `json:"calls" nullable:"false" doc:"Latest calls"`
}

// Differs is one call that the draft treats otherwise.
type Differs struct {
	ID      string    `json:"id" doc:"Id of the record"`
	Started time.Time `json:"started"`
	Called  string    `json:"called"`
	Caller  string    `json:"caller"`
	// Happened is what did happen, and Would what would by the draft.
	Happened decide.Result `json:"happened"`
	Would    decide.Result `json:"would"`
}

// Again is what deciding past calls again came to.
type Again struct {
	Decided int `json:"decided"`
	// Left are those that cannot be decided again, by why.
	Left   int     `json:"left" doc:"Calls not replayed: straight test calls and forwarded calls"`
	Same   int     `json:"same"`
	Groups []Group `json:"groups" nullable:"false"`
}

// maxExamples bounds the calls that are listed of a group.
const maxExamples = 5

// Decide decides past calls, the newest first, by a draft, and groups those that it treats
// otherwise than the live plan does with the same trunks and far ends.
func Decide(live, draft *decide.Snapshot, calls []Past) Again {
	out := Again{Groups: []Group{}}
	at := map[[4]string]int{}
	for _, p := range calls {
		call, suppose, ok := p.Call()
		if !ok {
			out.Left++
			continue
		}
		is, err := live.Dry(call, suppose)
		if err != nil { // its trunk is gone already
			out.Left++
			continue
		}
		would, err := draft.Dry(call, suppose)
		if err != nil {
			would = decide.Result{Outcome: trail.Refused, Attempts: []trail.Attempt{}, Steps: []trail.Step{}}
		}
		out.Decided++
		what := compare(is, would)
		if what == "" {
			out.Same++
			continue
		}
		g := Group{What: what, From: call.Trunk, Before: wentTo(is, what), After: wentTo(would, what)}
		key := [4]string{string(g.What), g.From, g.Before, g.After}
		i, known := at[key]
		if !known {
			i = len(out.Groups)
			at[key] = i
			g.Calls = []Differs{}
			out.Groups = append(out.Groups, g)
		}
		out.Groups[i].Count++
		if len(out.Groups[i].Calls) < maxExamples {
			out.Groups[i].Calls = append(out.Groups[i].Calls, Differs{p.ID, p.Started, call.Called.String(), call.Caller.String(), decide.Summarize(p.Trail), would})
		}
	}
	slices.SortStableFunc(out.Groups, func(a, b Group) int {
		return cmp.Or(cmp.Compare(slices.Index(gravity, a.What), slices.Index(gravity, b.What)), cmp.Compare(b.Count, a.Count))
	})
	return out
}

// compare says in what the second result differs from the first, gravest first; empty if
// in nothing that anybody would notice.
func compare(is, would decide.Result) Differing {
	a, b := lastSent(is), lastSent(would)
	switch {
	case a.Trunk != "" && b.Trunk == "":
		return NowRefused
	case a.Trunk == "" && b.Trunk != "":
		return NowThrough
	case a.Trunk != b.Trunk:
		return Elsewhere
	case a.Called != b.Called:
		return OtherCalled
	case a.Caller != b.Caller:
		return OtherCaller
	case is.Outcome != would.Outcome || is.Cause != would.Cause:
		return OtherOutcome
	}
	return ""
}

func lastSent(r decide.Result) (last trail.Attempt) {
	for _, a := range r.Attempts {
		if !a.Skipped {
			last = a
		}
	}
	return last
}

// wentTo says where a call went, as far as a sort of difference is about that: names of
// trunks and numbers that are alike make a group, single numbers do not.
func wentTo(r decide.Result, what Differing) string {
	last := lastSent(r)
	switch what {
	case OtherCaller:
		return last.Trunk + ", " + shape(last.Caller)
	case OtherCalled:
		return last.Trunk + ", " + shape(last.Called)
	case OtherOutcome:
		return strings.TrimSpace(string(r.Outcome) + " " + r.Cause.Q850.Name())
	}
	if last.Trunk == "" {
		return r.Cause.Q850.Name()
	}
	return last.Trunk
}

// shape is a number with its last four digits left open.
func shape(n string) string {
	if n == "" {
		return "no number"
	}
	if len(n) <= 4 {
		return strings.Repeat("x", len(n))
	}
	return n[:len(n)-4] + "xxxx"
}
