package plan

import "switchback.example/switchback/internal/core/rewrite"

// Path is trunks to try, in order, and when to go on to the next.
type Path struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	Switch  string   `json:"switch" ref:"switch"`
	Choices []Choice `json:"choices" nullable:"false"`
	// Order is how the choices are put in turn for a call; empty: as listed.
	Order  string `json:"order,omitempty" enum:"as-listed,cheapest-first,by-weight,round-robin"`
	Timers Timers `json:"timers"`
	// GoOn and Stop are Q.850 causes on which the path departs from the
	// default: go on to the next choice, or end.
	FailoverCauses []int `json:"failoverCauses,omitempty"`
	StopCauses     []int `json:"stopCauses,omitempty"`
	// AfterRinging goes on even when ringing or early media was passed to the
	// caller.
	FailoverAfterRinging bool   `json:"failoverAfterRinging,omitempty"`
	MaxAttempts          int    `json:"maxAttempts,omitempty" doc:"0: every choice" maximum:"100"`
	Note                 string `json:"note,omitempty"`
}

// The orders of a path. Under ByWeight a choice comes first as often as its share
// of the weights, and so on among the rest; under RoundRobin each call begins one
// further on. MaxChoices bounds all of them.
const (
	ChoicesAsListed = "as-listed"
	CheapestFirst   = "cheapest-first"
	ByWeight        = "by-weight"
	RoundRobin      = "round-robin"
	MaxChoices      = 32
)

// Choice is one trunk of a path with digit steps of its own.
type Choice struct {
	Trunk       string         `json:"trunk" ref:"trunk"`
	Weight      int            `json:"weight,omitempty" doc:"Of a path by weight: 1 to 1000; 0 is 1" minimum:"0" maximum:"1000"`
	CalledSteps []rewrite.Step `json:"calledSteps,omitempty"`
	CallerSteps []rewrite.Step `json:"callerSteps,omitempty"`
}

// Timers are how long a path waits for a far end, in milliseconds; 0 is the
// default.
type Timers struct {
	// NoResponse: nothing at all came back. Default 3 s.
	NoResponseMs int `json:"noResponseMs,omitempty" maximum:"32000"`
	// OnlyTrying: 100 came, and nothing else. Default 9 s.
	Only100Ms int `json:"only100Ms,omitempty" maximum:"180000"`
	// Unanswered: it rang, and nobody answered. Default 60 s.
	RingingMs int `json:"ringingMs,omitempty" maximum:"600000"`
}

// Default timers of a path, in milliseconds: within 2 to 4 s, 8 to 10 s.
const (
	DefaultNoResponseMs = 3_000
	DefaultOnly100Ms    = 9_000
	DefaultRingingMs    = 60_000
)

// OrDefault fills in what is 0.
func (t Timers) OrDefault() Timers {
	fill := func(v *int, d int) {
		if *v == 0 {
			*v = d
		}
	}
	fill(&t.NoResponseMs, DefaultNoResponseMs)
	fill(&t.Only100Ms, DefaultOnly100Ms)
	fill(&t.RingingMs, DefaultRingingMs)
	return t
}
