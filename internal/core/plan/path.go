package plan

import "switchback.example/switchback/internal/core/rewrite"

// Path is trunks to try, in order, and when to go on to the next.
type Path struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	Switch  string   `json:"switch"`
	Choices []Choice `json:"choices" nullable:"false"`
	// Order is how the choices are put in turn for a call; empty: as listed.
	Order  string `json:"order,omitempty" enum:"as-listed,cheapest-first,by-weight,round-robin"`
	Timers Timers `json:"timers"`
	// GoOn and Stop are Q.850 causes on which the path departs from the
	// default: go on to the next choice, or end.
	GoOn []int `json:"goOn,omitempty"`
	Stop []int `json:"stop,omitempty"`
	// AfterRinging goes on even when ringing or early media was passed to the
	// caller.
	AfterRinging bool   `json:"afterRinging,omitempty"`
	MaxTries     int    `json:"maxTries,omitempty" doc:"0: every choice" maximum:"100"`
	Note         string `json:"note,omitempty"`
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
	Trunk  string         `json:"trunk"`
	Weight int            `json:"weight,omitempty" doc:"Of a path by weight: 1 to 1000; 0 is 1" minimum:"0" maximum:"1000"`
	Called []rewrite.Step `json:"called,omitempty"`
	Caller []rewrite.Step `json:"caller,omitempty"`
}

// Timers are how long a path waits for a far end, in milliseconds; 0 is the
// default.
type Timers struct {
	// NoResponse: nothing at all came back. Default 3 s.
	NoResponse int `json:"noResponseMs,omitempty" maximum:"32000"`
	// OnlyTrying: 100 came, and nothing else. Default 9 s.
	OnlyTrying int `json:"onlyTryingMs,omitempty" maximum:"180000"`
	// Unanswered: it rang, and nobody answered. Default 60 s.
	Unanswered int `json:"unansweredMs,omitempty" maximum:"600000"`
}

// Default timers of a path, in milliseconds: within 2 to 4 s, 8 to 10 s.
const (
	DefaultNoResponse = 3_000
	DefaultOnlyTrying = 9_000
	DefaultUnanswered = 60_000
)

// OrDefault fills in what is 0.
func (t Timers) OrDefault() Timers {
	fill := func(v *int, d int) {
		if *v == 0 {
			*v = d
		}
	}
	fill(&t.NoResponse, DefaultNoResponse)
	fill(&t.OnlyTrying, DefaultOnlyTrying)
	fill(&t.Unanswered, DefaultUnanswered)
	return t
}
