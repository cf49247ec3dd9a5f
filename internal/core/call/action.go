package call

import (
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/media"
)

// Action is something that is to be done. Those of a leg are for its carrier; the others are
// for who runs the machine.
type Action interface{ action() }

// OfLeg is an action that the carrier of a leg carries out.
type OfLeg interface {
	Action
	On() LegID
}

// What the carrier of a leg does. Media is the other party's description; nil for none. Answer
// says that it answers what the leg's own far end described.
type (
	// Dial calls a server of the trunk that was chosen.
	Dial struct {
		Leg   LegID
		Way   int
		Media *media.Session
		// Own: the switch itself answers.
		Own bool
		// Body comes with a transfer, and is for the far end to which it goes.
		Body Body
	}
	// Proceed tells a caller that the call is being worked on.
	Proceed struct{ Leg LegID }
	// Alert tells a caller that it rings; Ring is false where it is progress of another sort.
	Alert struct {
		Leg    LegID
		Ring   bool
		Media  *media.Session
		Answer bool
		Number uint32     // wants to be confirmed; 0 if not
		Said   cause.Said // the words of the far end
		Ask    uint32     // progress of that request of the leg; 0 for the call itself
	}
	// Answer answers a call that came in.
	Answer struct {
		Leg    LegID
		Media  *media.Session
		Answer bool
	}
	// Confirm acknowledges what the leg's far end said: its answer, its reply to Ask, or its
	// progress Number.
	Confirm struct {
		Leg    LegID
		Ask    AskID
		Number uint32
		Media  *media.Session
	}
	// Release ends a leg. Its carrier says that it is gone with an event Released.
	Release struct {
		Leg   LegID
		Cause cause.Said
	}
	// Ask asks the far end of a leg something.
	Ask struct {
		Leg    LegID
		Ask    AskID
		Want   Want
		Media  *media.Session
		Body   Body
		Number uint32 // acknowledges that progress at once; 0 for none
		As     string // how a carrier that knows it asks
		// Own: the switch itself asks. Answer: Media answers what another leg described.
		Own, Answer bool
	}
	// Withdraw takes a request back that was not replied to.
	Withdraw struct {
		Leg LegID
		Ask AskID
	}
	// Reply replies to what the far end of a leg has asked.
	Reply struct {
		Leg     LegID
		Request uint32
		Want    Want
		Verdict Verdict
		Cause   cause.Said
		Media   *media.Session
		Answer  bool
		Body    Body
	}
	// TransferStatus tells the far end of a leg how its transfer goes. Accepted is the first,
	// and Last the last.
	TransferStatus struct {
		Leg            LegID
		Accepted, Last bool
		Rings          bool
		Done           bool
		Cause          cause.Said // where it failed
	}
	// RefuseTransfer refuses a transfer before it began.
	RefuseTransfer struct{ Leg LegID }
)

// What the plan is asked, and told.
type (
	// Collect asks whether more digits are to be waited for.
	Collect struct{}
	// Begin begins the decision with the digits that came; Timeout: none came any more.
	Begin struct{ Timeout bool }
	// Next asks for the next trunk.
	Next struct{}
	// NextServer tells that a server failed, and that the trunk's next is tried.
	NextServer struct{ Report decide.Report }
	// Report tells what came of a trunk.
	Report struct{ Report decide.Report }
	// Abandon tells that the caller gave up between two trunks.
	Abandon struct{}
	// Redirect begins the decision of where a leg transfers the call.
	Redirect struct {
		By   LegID
		To   digits.Number
		Body Body
	}
	// Forget gives back what was chosen and is not wanted any more.
	Forget struct{}
)

// What who runs the machine does.
type (
	// Start starts a timer, or starts it anew. Spread is added to it by chance, up to so many
	// milliseconds.
	Start struct {
		Timer          Timer
		Start          uint32
		Millis, Spread int
	}
	// Stop stops a timer.
	Stop struct{ Timer Timer }
	// Replace notes that a leg has come in the place of another.
	Replace struct {
		Leg   LegID
		Place Role // Near or Far
		How   Replacement
	}
	// Fetch asks another call for the party that talks with a leg of that call.
	Fetch struct {
		Call string
		By   LegID
	}
	// Give hands a leg over to the call that asked for it, which owns it from then on.
	Give struct {
		Leg  LegID
		Call string
	}
	// KeepParty tells a call that asked for a party that it does not get it.
	KeepParty struct{ Call string }
	// End says that the call is over.
	End struct{ How How }
)

// Replacement is how a leg came in the place of another.
type Replacement uint8

// How a leg comes in the place of another.
const (
	PickedUp    Replacement = iota // it answered a call that rang elsewhere
	TookOver                       // it took a connected call over
	Transferred                    // it answered a call that was transferred to it
	JoinedWith                     // it was the party of another call
)

// How is how a call ended.
type How string

// How a call ends; what a carrier adds stands behind it.
const (
	NotAnswered    How = "" // the trail says it
	CallerHungUp   How = "the caller hung up"
	CalledHungUp   How = "the called party hung up"
	TransferHungUp How = "the transfer target hung up"
	PickUpHungUp   How = "the picking-up party hung up"
	TakeOverHungUp How = "the replacing party hung up"
	TooLong        How = "max call duration reached"
	SwitchStopped  How = "the switch stopped"
	ToAnotherCall  How = "connected with another call"
	TransferFailed How = "transfer target did not answer"
	ReplacedIsGone How = "the party to replace is gone"
)

func (Dial) action()           {}
func (Proceed) action()        {}
func (Alert) action()          {}
func (Answer) action()         {}
func (Confirm) action()        {}
func (Release) action()        {}
func (Ask) action()            {}
func (Withdraw) action()       {}
func (Reply) action()          {}
func (TransferStatus) action() {}
func (RefuseTransfer) action() {}
func (Collect) action()        {}
func (Begin) action()          {}
func (Next) action()           {}
func (NextServer) action()     {}
func (Report) action()         {}
func (Abandon) action()        {}
func (Redirect) action()       {}
func (Forget) action()         {}
func (Start) action()          {}
func (Stop) action()           {}
func (Replace) action()        {}
func (Fetch) action()          {}
func (Give) action()           {}
func (KeepParty) action()      {}
func (End) action()            {}

// On is the leg that the action is for.
func (a Dial) On() LegID           { return a.Leg }
func (a Proceed) On() LegID        { return a.Leg }
func (a Alert) On() LegID          { return a.Leg }
func (a Answer) On() LegID         { return a.Leg }
func (a Confirm) On() LegID        { return a.Leg }
func (a Release) On() LegID        { return a.Leg }
func (a Ask) On() LegID            { return a.Leg }
func (a Withdraw) On() LegID       { return a.Leg }
func (a Reply) On() LegID          { return a.Leg }
func (a TransferStatus) On() LegID { return a.Leg }
func (a RefuseTransfer) On() LegID { return a.Leg }
