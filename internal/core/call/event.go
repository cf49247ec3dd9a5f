package call

import (
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Kind is what happened.
type Kind uint8

// What the far end of a leg does. The messages in brackets are those of Q.931 and of SIP.
const (
	Offered       Kind = iota // a call came in (SETUP, INVITE)
	Digits                    // more digits of its number came (INFORMATION, another INVITE by RFC 3578)
	Proceeding                // it works on the call (CALL PROCEEDING, 100)
	Alerting                  // it rings (ALERTING, 180)
	Progress                  // something came that is no ringing (PROGRESS, 183)
	Answered                  // it answered (CONNECT, 200)
	Confirmed                 // it acknowledged what it was told (CONNECT ACKNOWLEDGE, ACK, PRACK)
	Released                  // it refused the call, or hung up, or is out of reach
	Asked                     // it asks something of the other party (re-INVITE, UPDATE, INFO, HOLD)
	Replied                   // it replied to what it was asked
	Withdrawn                 // it does not want any more what it has asked for
	TransferAsked             // it wants the other party transferred (REFER)
	ReplaceAsked              // another leg came that wants its place (INVITE with Replaces)
	// What the plan says.
	Waiting  // more digits may come: wait for them
	Complete // the number is complete
	Chosen   // a trunk is to be tried
	Decided  // nothing is left to be tried
	// What other calls say.
	JoinAsked // another call was transferred to this one, and wants the party that talks with a leg
	Joined    // the party of another call came
	NotJoined // it did not
	// Timers that ran out.
	DigitTimeout
	NoResponseTimeout
	TryingTimeout
	RingingTimeout
	LongestTimeout
	RetryTimeout
	// Stopped: the switch stops.
	Stopped
	kinds
)

var kindNames = [...]string{
	"offered", "digits", "proceeding", "alerting", "progress", "answered", "confirmed", "released", "asked", "replied", "withdrawn", "transfer asked", "replace asked",
	"waiting", "complete", "chosen", "decided", "join asked", "joined", "not joined",
	"digit timeout", "no-response timeout", "trying timeout", "ringing timeout", "longest timeout", "retry timeout", "stopped",
}

func (k Kind) String() string { return kindNames[k] }

// ofLeg tells whether an event names a leg that the call has.
func (k Kind) ofLeg() bool { return k > Offered && k <= ReplaceAsked || k == JoinAsked }

// timer is the timer that ran out.
func (k Kind) timer() (t Timer, is bool) {
	if k < DigitTimeout || k > RetryTimeout {
		return 0, false
	}
	return Timer(k - DigitTimeout), true
}

// Timer is one that the machine wants run. At most one of each runs.
type Timer uint8

// The timers, in the order of their events.
const (
	DigitTimer      Timer = iota // the next digit
	NoResponseTimer              // from dialling: nothing came back at all
	TryingTimer                  // from dialling: nothing came back but that it is being tried
	RingingTimer                 // since it rings
	LongestTimer                 // the longest that a call may last
	RetryTimer                   // before a request is tried again that met one from the other side
	// Timers is how many there are.
	Timers
)

var timerNames = [...]string{"digit", "no-response", "trying", "ringing", "longest", "retry"}

func (t Timer) String() string { return timerNames[t] }

// Event is something that happened to a call.
type Event struct {
	Kind Kind
	// Leg is who did it: a leg of the call, or 0.
	Leg LegID
	// New is the leg that the event brings (Offered, ReplaceAsked, Joined): NewLeg of the call.
	New LegID
	// Media is what the far end says of its media; nil if it says nothing.
	Media *media.Session
	// Unfit says why Media cannot be passed on to the other party; empty if it can.
	Unfit string
	// Cause is why it was released, or how it replied.
	Cause cause.Said
	// Overlap: digits come bit by bit (Offered).
	Overlap bool
	// Wait is how long to wait for the next digit, in milliseconds (Waiting).
	Wait int
	// Ways is how many servers the chosen trunk has, at least 1, and Timers are those of its
	// path (Chosen). Longest is how long the call may last with it, in seconds.
	Ways    int
	Timers  plan.Timers
	Longest int
	// Own: what is chosen is the switch itself, which plays a tone (Chosen).
	Own bool
	// Refusal is more of a refusal (Released).
	Refusal Refusal
	// Number acknowledges, or is, the number of a progress that wants to be confirmed; 0 for
	// none (Progress, Alerting, Confirmed, Asked).
	Number uint32
	// Request is the asking carrier's own name for what it asks (Asked, Withdrawn), and of what
	// it confirms (Confirmed); 0 for the call itself. Ask is the name that the switch gave it
	// (Replied, Progress).
	Request uint32
	Ask     AskID
	Want    Want
	// Body is carried beside the call, unread.
	Body Body
	// As is the asking carrier's own name of the request, for a carrier that knows it (Asked).
	As string
	// How ends the call, where its carrier ended the leg by itself (Released).
	How How
	// Verdict is how it replied (Replied).
	Verdict Verdict
	// To is where the call is transferred; empty if to another call, which Call names for who
	// runs the machine (TransferAsked, JoinAsked).
	To   digits.Number
	Call string
	// Start tells which start of a timer ran out.
	Start uint32
}

// Refusal is more of a refusal than its cause.
type Refusal struct {
	// Unreachable: nothing could be sent to it. Silent: it did not respond until its carrier gave
	// up. Skip: nothing was sent, since what the call needs of the switch is not there.
	Unreachable, Silent bool
	Skip                trail.Skip
	// Credential: it did not take our credential, which says nothing of the call.
	Credential bool
	// To is where it wants the call to go, and Why in the words of RFC 5806.
	To  digits.Number
	Why string
}

// Want is what one party asks of the other.
type Want uint8

// What can be asked.
const (
	Change Want = iota // another description of the media: hold, retrieve, another codec
	Inform             // what is carried beside the call (RFC 6086)
)

// Body is what is carried beside a call, as it is.
type Body struct {
	Type  string
	Bytes []byte
}

// Verdict is how a request ended.
type Verdict uint8

// How a request ends.
const (
	Accepted Verdict = iota
	Refused          // with a cause
	Glare            // both sides asked at the same time: try again
	Soon             // another one of the same side is under way: try again
	Unheard          // no reply came
	Ended            // the call is over
)
