// Package call is call control: one call over legs of any protocol, as a pure machine of
// (state, event) -> (state, actions). Events and actions are named in the words of ITU-T Q.931
// and Q.850, which every protocol of telephony can speak.
//
// It knows no protocol, no clock and no plan: which trunk is tried next, package decide says,
// and who runs the machine (package live/call) runs its timers and carries its actions out.
package call

import (
	"sync"

	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
)

// MaxAsks is how many requests of one side to the other wait for their reply at one time. What
// comes past it is refused.
const MaxAsks = 8

// LegID names a leg of a call. The caller's is 1; 0 is none.
type LegID uint16

// AskID names a request that the switch has sent on a leg; 0 is none.
type AskID uint16

// State is where a call stands.
type State uint8

// The states of a call, in the order in which it takes them.
const (
	Idle         State = iota // nothing came yet
	Collecting                // the called number comes bit by bit
	Choosing                  // the plan is asked for a trunk
	Dialling                  // a leg is dialled, and nothing came back
	Trying                    // the far end works on it
	Ringing                   // the far end rings, or gave early media
	Connected                 // answered on both sides
	Redirecting               // connected, and transferred: the plan is asked for a trunk
	Transferring              // connected, and transferred: a third leg is dialled
	TakingOver                // connected, and a new leg takes the place of one: the other one is told
	Fetching                  // connected, and transferred to another call: that one is asked for its party
	Joining                   // connected, and the party of another call is told of this one
	Over                      // ended; legs may still be on their way out
	states
)

var stateNames = [...]string{"idle", "collecting", "choosing", "dialling", "trying", "ringing", "connected", "redirecting", "transferring", "taking over", "fetching", "joining", "over"}

func (s State) String() string { return stateNames[s] }

// Role is what a leg is to its call.
type Role uint8

// The roles.
const (
	NoLeg  Role = iota // the event concerns no leg
	Near               // the caller, or who has come in the caller's place
	Far                // the called party, or who has come in its place
	Third              // who is to come in the place of one of them
	Former             // a leg that was released, or is none of this call
	roles
)

var roleNames = [...]string{"", "near", "far", "third", "former"}

func (r Role) String() string { return roleNames[r] }

// Call is one call as a value. The zero Call is idle.
type Call struct {
	State    State
	legs     [roles]leg // by role
	asks     [MaxAsks]ask
	last     LegID // given out
	lastAsk  AskID // given out
	attempt  attempt
	transfer transfer
	own      own
	timers   [Timers]timer
}

// leg is one party of a call. A leg that is released is none any more: its carrier sees to what
// still comes.
type leg struct {
	id LegID
	// inbound legs called the switch; the others were called by it.
	inbound bool
	// early: its far end has said something that requests can refer to.
	early bool
	// answered: it is connected, on its own side.
	answered bool
	// unconfirmed: it answered, and is told so when the other party has answered its offer.
	unconfirmed bool
	// offered: it came with a description of its media, so that what it is given is the answer.
	offered bool
	said    *media.Session // its own description, as it was said last
	parting How            // how the call ends when its far end hangs up
}

// attempt is a trunk that is tried: its servers in turn.
type attempt struct {
	ways, way   int
	timers      plan.Timers
	longest     int // seconds
	heard, rang bool
	own         bool // the switch itself answers, and the plan waits for no report
}

// transfer is a connected call of which one side is to be another: since it transfers the call,
// or since somebody takes its place.
type transfer struct {
	place Role
	left  bool // that side has hung up meanwhile
	body  Body // for the far end to which it goes
}

// timer counts its starts, so that one that was stopped or started anew is not taken for the
// one that runs.
type timer struct {
	starts  uint32
	running bool
}

// Leg is the leg in a role; 0 for none.
func (c Call) Leg(r Role) LegID { return c.legs[r].id }

// RoleOf says what a leg is to the call.
func (c Call) RoleOf(id LegID) Role {
	if id == 0 {
		return NoLeg
	}
	for r := Near; r <= Third; r++ {
		if c.legs[r].id == id {
			return r
		}
	}
	return Former
}

// NewLeg is the id for the next leg that comes to the call from outside: that of Event.New.
func (c Call) NewLeg() LegID { return c.last + 1 }

// Place is the place that a third leg is to take: Near or Far.
func (c Call) Place() Role { return c.transfer.place }

// opposite is the other side of a connected call.
func (r Role) opposite() Role {
	if r == Near {
		return Far
	}
	return Near
}

// On takes an event. The call that results replaces this one; the actions are to be carried
// out in their order.
func (c Call) On(e Event) (Call, []Action) {
	if t, is := e.Kind.timer(); is {
		if !c.timers[t].running || c.timers[t].starts != e.Start {
			return c, nil // it was stopped, or started anew, when it had already run out
		}
		c.timers[t].running = false
	}
	role := NoLeg
	if e.Kind.ofLeg() {
		role = c.RoleOf(e.Leg)
	}
	take := table[c.State][e.Kind][role].take
	if take == nil {
		return c, nil
	}
	s := steps.Get().(*step) //nolint:forcetypeassert // of our own
	*s = step{Call: c, e: e, role: role, out: make([]Action, 0, usualActions)}
	take(s)
	c, do := s.Call, s.out
	*s = step{}
	steps.Put(s)
	return c, do
}

// steps are used again: one is as large as a call, and each event takes one.
var steps = sync.Pool{New: func() any { return new(step) }}

// usualActions is how many actions follow from most events.
const usualActions = 5

// Ignored says why an event of a leg in a role changes nothing in a state; empty if it does.
func Ignored(s State, k Kind, r Role) string { return table[s][k][r].why }
