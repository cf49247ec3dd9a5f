package judge

import (
	"net/netip"
	"time"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/targets"
)

// Refusals are what was refused for want of a right credential, since the last time that it
// was right. The zero Refusals are none.
type Refusals struct {
	Count int
	Last  time.Time
	Why   string
	From  string // the address; empty where it is the far end that refused
}

// Add counts one.
func (r *Refusals) Add(at time.Time, why, from string) {
	r.Count++
	r.Last, r.Why, r.From = at, why, from
}

// Hold is a trunk that is passed over for a while. The zero Hold holds nothing.
type Hold struct {
	Until time.Time
	Why   string
}

// Watch is what asking the far end by OPTIONS has shown. The zero Watch says
// that it was never asked.
type Watch struct {
	Asked    time.Time // the last time that an answer came or was given up
	Answers  bool
	Since    time.Time // since when Answers is what it is
	RoundMs  float64   // of the last answer
	Misses   int       // in a row
	Evidence string    // the status line, or that none came
}

// MissesUntilDown is how many OPTIONS in a row must go unanswered before no
// call is offered to the trunk.
const MissesUntilDown = 2

// CallCounts counts calls over a trunk since the process started.
type CallCounts struct {
	In       int64 `json:"in"`
	Out      int64 `json:"out"`
	Answered int64 `json:"answered"`
	Failed   int64 `json:"failed"`
	TooFast  int64 `json:"tooFast" doc:"Refused since too many began in one second"`
}

// TrunkState is a copy of one trunk's state.
type TrunkState struct {
	InUse    int
	Use      plan.Use
	Service  standing.Service
	LastSeen time.Time
	LastWhat string
	Watch    Watch
	Calls    CallCounts
	Held     Hold
	// LastIn is when a call came in last, and LastOut when one that we sent was
	// answered last; zero before the first in this process.
	LastIn, LastOut time.Time
	Lookup          Lookup
	// Refused are requests of its far end that we refused, and Unproven those of ours that
	// it refused, for want of a right credential.
	Refused, Unproven Refusals
	// Sources are the addresses from which something came.
	Sources map[netip.Addr]Sighting
}

// Sighting is what came last from one address of a far end.
type Sighting struct {
	At   time.Time
	What string
}

// Lookup is what a far end's name stands for. The zero Lookup says that it was never
// looked up.
type Lookup struct {
	Targets []targets.Target // the last that were found, also when the last look-up failed
	At      time.Time        // of the last look-up
	Next    time.Time        // when it is looked up again
	Err     string           // why the last look-up failed; empty if it did not
}

// Shown is the certificate that a far end showed when a connection over TLS was made
// to it, or why it was not believed.
type Shown struct {
	At    time.Time
	Names []string
	Until time.Time // when it expires; zero where nothing could be read
	Err   string    // empty if it was believed
}

// ExpiresSoon is how long before its end a certificate is warned of.
const ExpiresSoon = 30 * 24 * time.Hour

// Warning says what is wrong with a certificate, or soon will be; empty if nothing.
func (s Shown) Warning(now time.Time) string {
	switch {
	case s.Err != "":
		return s.Err
	case s.Until.IsZero():
		return ""
	case now.After(s.Until):
		return "its certificate expired on " + s.Until.Format(time.DateOnly) + ": the next connection is refused"
	case now.Add(ExpiresSoon).After(s.Until):
		return "its certificate expires on " + s.Until.Format(time.DateOnly)
	}
	return ""
}
