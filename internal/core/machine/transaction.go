// Package machine holds call control state machines as pure steps: a state and
// an event give the next state and what is to be done. They know no socket, no
// clock and no message; who runs them sends, sets timers and tells what happened.
//
// Every pair of state and event is defined. What cannot happen is ignored, since
// on a network it does.
package machine

import "fmt"

// Kind is one of the four transactions of SIP (RFC 3261 section 17).
type Kind uint8

// The transactions.
const (
	InviteClient Kind = iota
	Client            // of any other request
	InviteServer
	Server
)

var kindNames = [...]string{"INVITE client", "client", "INVITE server", "server"}

func (k Kind) String() string { return kindNames[k] }

// State is where a transaction stands. Which states a kind has, the tables of
// RFC 3261 section 17 and RFC 6026 say.
type State uint8

// The states. Begun is before the first event.
const (
	Begun      State = iota
	Calling          // the request is out, nothing came back (17.1.1); Trying for other requests
	Proceeding       // a provisional response came, or was sent
	Accepted         // a 2xx to an INVITE came, or was sent (RFC 6026)
	Completed        // a final response came, or was sent
	Confirmed        // the ACK of a failure came (17.2.1)
	Terminated
	states // how many there are
)

var stateNames = [...]string{"begun", "calling", "proceeding", "accepted", "completed", "confirmed", "terminated"}

func (s State) String() string { return stateNames[s] }

// Event is what happened to a transaction.
type Event uint8

// The events. Received ones come from the network, Sent ones from the user of
// the transaction.
const (
	Start           Event = iota // client: the request is to be sent; server: it came
	GotProvisional               // client: 1xx
	GotSuccess                   // client: 2xx
	GotFailure                   // client: 300 to 699
	GotRequest                   // server: the request came again
	GotAck                       // INVITE server: ACK
	SentProvisional              // server: the user sends 1xx
	SentSuccess                  // server: 2xx
	SentFailure                  // server: 300 to 699
	TimerRepeat                  // A, E, G: send again
	TimerGiveUp                  // B, F, H: nobody answers
	TimerLinger                  // D, I, J, K, L, M: late repeats have died out
	TransportFailed              // what was sent could not be
	events                       // how many there are
)

var eventNames = [...]string{
	"start", "1xx", "2xx", "failure", "request again", "ACK", "send 1xx", "send 2xx", "send failure",
	"repeat timer", "give-up timer", "linger timer", "transport failed",
}

func (e Event) String() string { return eventNames[e] }

// Action is something to be done.
type Action uint8

// The actions.
const (
	SendRequest  Action = iota // client: send the request, again
	SendAck                    // INVITE client: acknowledge the failure
	SendResponse               // server: send the last response, again
	PassUp                     // hand what came to the user of the transaction
	SetRepeat                  // start the timer that sends again, doubled each time
	StopRepeat
	SetGiveUp
	StopGiveUp
	SetLinger
	TellTimeout   // tell the user that nobody answered
	TellTransport // tell the user that it could not be sent
	End           // forget the transaction; its timers with it
)

var actionNames = [...]string{
	"send request", "send ACK", "send response", "pass up", "set repeat", "stop repeat", "set give-up", "stop give-up",
	"set linger", "tell timeout", "tell transport failure", "end",
}

func (a Action) String() string { return actionNames[a] }

// Step is what follows from an event.
type Step struct {
	To State
	Do []Action
}

// Transaction is one transaction as a value: its kind, where it stands, and
// whether the transport repeats by itself what is lost.
type Transaction struct {
	Kind     Kind
	State    State
	Reliable bool
}

// On takes an event. The transaction that results replaces this one.
func (t Transaction) On(e Event) (Transaction, []Action) {
	step := tables[t.Kind][t.State][e]
	if t.Reliable {
		step = reliable(step)
	}
	t.State = step.To
	return t, step.Do
}

// reliable is a step on a transport that loses nothing: no request or response
// is repeated, and nothing lingers for repeats (timers A, E, G are not set, D,
// I, J, K are zero; L and M are not, since a 2xx is repeated end to end).
func reliable(s Step) Step {
	var do []Action
	for _, a := range s.Do {
		switch {
		case a == SetRepeat:
		case a == SetLinger && s.To != Accepted:
			s.To = Terminated
			do = append(do, End)
		default:
			do = append(do, a)
		}
	}
	s.Do = do
	return s
}

// table is a step for every state and event.
type table [states][events]Step

// tables are filled below, from rows that name only what does something; in
// every other pair the event is ignored.
var tables = [...]table{
	InviteClient: fill(
		// RFC 3261 figure 5, with RFC 6026 figure 2 for Accepted.
		row{Begun, Start, Calling, do(SendRequest, SetRepeat, SetGiveUp)},
		row{Calling, TimerRepeat, Calling, do(SendRequest, SetRepeat)},
		row{Calling, TimerGiveUp, Terminated, do(TellTimeout, End)},
		row{Calling, TransportFailed, Terminated, do(TellTransport, End)},
		row{Calling, GotProvisional, Proceeding, do(StopRepeat, StopGiveUp, PassUp)},
		row{Calling, GotSuccess, Accepted, do(StopRepeat, StopGiveUp, PassUp, SetLinger)},
		row{Calling, GotFailure, Completed, do(StopRepeat, StopGiveUp, SendAck, PassUp, SetLinger)},
		row{Proceeding, GotProvisional, Proceeding, do(PassUp)},
		row{Proceeding, GotSuccess, Accepted, do(PassUp, SetLinger)},
		row{Proceeding, GotFailure, Completed, do(SendAck, PassUp, SetLinger)},
		row{Accepted, GotSuccess, Accepted, do(PassUp)}, // repeated, or of another branch
		row{Accepted, TimerLinger, Terminated, do(End)},
		row{Completed, GotFailure, Completed, do(SendAck)},
		row{Completed, TransportFailed, Terminated, do(TellTransport, End)},
		row{Completed, TimerLinger, Terminated, do(End)},
	),
	Client: fill(
		// RFC 3261 figure 6; Calling is Trying there.
		row{Begun, Start, Calling, do(SendRequest, SetRepeat, SetGiveUp)},
		row{Calling, TimerRepeat, Calling, do(SendRequest, SetRepeat)},
		row{Calling, TimerGiveUp, Terminated, do(TellTimeout, End)},
		row{Calling, TransportFailed, Terminated, do(TellTransport, End)},
		row{Calling, GotProvisional, Proceeding, do(PassUp)},
		row{Calling, GotSuccess, Completed, do(StopRepeat, StopGiveUp, PassUp, SetLinger)},
		row{Calling, GotFailure, Completed, do(StopRepeat, StopGiveUp, PassUp, SetLinger)},
		row{Proceeding, TimerRepeat, Proceeding, do(SendRequest, SetRepeat)},
		row{Proceeding, TimerGiveUp, Terminated, do(TellTimeout, End)},
		row{Proceeding, TransportFailed, Terminated, do(TellTransport, End)},
		row{Proceeding, GotProvisional, Proceeding, do(PassUp)},
		row{Proceeding, GotSuccess, Completed, do(StopRepeat, StopGiveUp, PassUp, SetLinger)},
		row{Proceeding, GotFailure, Completed, do(StopRepeat, StopGiveUp, PassUp, SetLinger)},
		row{Completed, TimerLinger, Terminated, do(End)},
	),
	InviteServer: fill(
		// RFC 3261 figure 7, with RFC 6026 figure 1 for Accepted.
		row{Begun, Start, Proceeding, do(PassUp)},
		row{Proceeding, GotRequest, Proceeding, do(SendResponse)},
		row{Proceeding, SentProvisional, Proceeding, do(SendResponse)},
		row{Proceeding, SentSuccess, Accepted, do(SendResponse, SetLinger)},
		row{Proceeding, SentFailure, Completed, do(SendResponse, SetRepeat, SetGiveUp)},
		row{Proceeding, TransportFailed, Terminated, do(TellTransport, End)},
		row{Accepted, GotAck, Accepted, do(PassUp)},
		row{Accepted, SentSuccess, Accepted, do(SendResponse)}, // the user repeats a 2xx (13.3.1.4)
		row{Accepted, TransportFailed, Accepted, do(TellTransport)},
		row{Accepted, TimerLinger, Terminated, do(End)},
		row{Completed, GotRequest, Completed, do(SendResponse)},
		row{Completed, TimerRepeat, Completed, do(SendResponse, SetRepeat)},
		row{Completed, TimerGiveUp, Terminated, do(TellTimeout, End)},
		row{Completed, TransportFailed, Terminated, do(TellTransport, End)},
		row{Completed, GotAck, Confirmed, do(StopRepeat, StopGiveUp, SetLinger)},
		row{Confirmed, TimerLinger, Terminated, do(End)},
	),
	Server: fill(
		// RFC 3261 figure 8; Calling is Trying there.
		row{Begun, Start, Calling, do(PassUp)},
		row{Calling, SentProvisional, Proceeding, do(SendResponse)},
		row{Calling, SentSuccess, Completed, do(SendResponse, SetLinger)},
		row{Calling, SentFailure, Completed, do(SendResponse, SetLinger)},
		row{Proceeding, GotRequest, Proceeding, do(SendResponse)},
		row{Proceeding, SentProvisional, Proceeding, do(SendResponse)},
		row{Proceeding, SentSuccess, Completed, do(SendResponse, SetLinger)},
		row{Proceeding, SentFailure, Completed, do(SendResponse, SetLinger)},
		row{Proceeding, TransportFailed, Terminated, do(TellTransport, End)},
		row{Completed, GotRequest, Completed, do(SendResponse)},
		row{Completed, TransportFailed, Terminated, do(TellTransport, End)},
		row{Completed, TimerLinger, Terminated, do(End)},
	),
}

type row struct {
	from State
	on   Event
	to   State
	do   []Action
}

func do(actions ...Action) []Action { return actions }

// fill makes a table of rows; two rows for one pair are a mistake.
func fill(rows ...row) (t table) {
	for s := range states {
		for e := range events {
			t[s][e] = Step{To: s}
		}
	}
	for _, r := range rows {
		if t[r.from][r.on].Do != nil {
			panic(fmt.Sprintf("machine: two rows for %s on %s", r.from, r.on))
		}
		t[r.from][r.on] = Step{r.to, r.do}
	}
	return t
}
