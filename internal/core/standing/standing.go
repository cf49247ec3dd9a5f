// Package standing is what stands beside the plan and outlasts the process: registrations, what
// trunks were, what is out of service or set for a while, who did what. Values alone: who keeps
// them, and who changes them, is elsewhere.
package standing

import "time"

// Word says what was proved about a trunk, never more.
type Word string

// The words. A trunk that needs no registration is never called registered.
const (
	Registered Word = "registered"
	Answers    Word = "answers"  // OPTIONS
	SeenOnly   Word = "seen"     // traffic came
	Unproven   Word = "unproven" // trusted, and nothing was seen
	Failing    Word = "failing"
	Off        Word = "off"
	Draining   Word = "draining"
	Stopped    Word = "stopped" // Switchback itself was not running
)

// Proved tells whether the word says that the far end is there.
func (w Word) Proved() bool { return w == Registered || w == Answers || w == SeenOnly }

// Service is a trunk that an operator took out of service.
type Service struct {
	Trunk string
	Word  Word // Off or Draining
	Since time.Time
	Until time.Time // zero: until somebody puts it back
	Why   string
	By    string
}

// TrunkState is a state of a trunk that began.
type TrunkState struct {
	Trunk string
	At    time.Time
	Word  Word
	Cause string
}

// HistoryFor is how long it is remembered what trunks were.
const HistoryFor = 24 * time.Hour

// Override is a state that an operator, or a dialled code, put a calendar in. It is operational state: it acts
// at once and is in no revision of the plan.
type Override struct {
	Hours string // id of the calendar
	State string
	Since time.Time
	Until time.Time // zero: until it is cleared
	Why   string
	By    string    // who did it: a user, or the number that dialled a code
	Ended time.Time // when it was cleared, ran out or was replaced; zero while it holds
}

// Holds tells whether the override acts at a moment.
func (o Override) Holds(at time.Time) bool {
	return !at.Before(o.Since) && (o.Until.IsZero() || at.Before(o.Until)) && (o.Ended.IsZero() || at.Before(o.Ended))
}

// Scope is whose calls a trial decides: those that come by a trunk, or whose caller is a
// number or of a group. Exactly one is set.
type Scope struct {
	Trunk     string `json:"trunk,omitempty" maxLength:"63"`
	Group     string `json:"group,omitempty" maxLength:"63"`
	Extension string `json:"extension,omitempty" maxLength:"40" doc:"The caller's number, as its phone system gives it"`
}

// Clock is how far a clock elsewhere is from ours: Ahead is positive where it goes
// before. The zero Clock was not seen yet.
type Clock struct {
	Ahead time.Duration
	At    time.Time // when it was seen
}

// Deed is who did what to operational state.
type Deed struct {
	At   time.Time
	Who  string
	What string
}
