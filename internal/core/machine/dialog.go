package machine

import "fmt"

// Dialog is one side of a call as a value: where it stands, and what may happen
// next (RFC 3261 sections 12 to 15, RFC 3311, RFC 6141). It is the same for the
// side that called and the side that was called.
type Dialog struct{ State DialogState }

// DialogState is where a dialog stands. Asked by one side means that a new
// description of the session is under way from there.
type DialogState uint8

// The states. A dialog begins Early, with the first tag of the other side.
const (
	Early          DialogState = iota
	EarlyTheyAsked             // UPDATE from them before the answer
	EarlyWeAsked
	Answered // the 2xx was sent or came; its ACK was not yet
	Settled  // acknowledged
	TheyAsked
	WeAsked
	Ended
	dialogStates
)

var dialogStateNames = [...]string{"early", "early, remote request", "early, local request", "answered", "settled", "remote request", "local request", "ended"}

func (s DialogState) String() string { return dialogStateNames[s] }

// DialogEvent is what happened to a dialog.
type DialogEvent uint8

// The events. They is the far end of this dialog.
const (
	Answer       DialogEvent = iota // the 2xx of the first INVITE
	Acknowledged                    // its ACK
	TheyAsk                         // a re-INVITE, or an UPDATE with a description, came
	WeAsk                           // one is to be sent
	Done                            // its final answer was given and, of an INVITE, acknowledged
	TheyEnd                         // BYE came
	WeEnd                           // BYE is to be sent
	Lost                            // 408 or 481 within the dialog, or the session expired
	dialogEvents
)

var dialogEventNames = [...]string{"answer", "ACK", "remote request", "local request", "done", "remote end", "local end", "lost"}

func (e DialogEvent) String() string { return dialogEventNames[e] }

// DialogAction is what is to be done.
type DialogAction uint8

// The actions.
const (
	Take          DialogAction = iota + 1 // go on with what was asked
	RefusePending                         // 491: the other side's own change is under way (RFC 3261 section 14.2)
	RefuseSoon                            // 500 with Retry-After: their last one is not over (section 14.2, RFC 3311 section 5.2)
	RefuseGone                            // 481: there is no such dialog any more
	SendBye
	TellEnd // tell the call that this side is gone
)

var dialogActionNames = [...]string{"", "take", "refuse with 491", "refuse with 500", "refuse with 481", "send BYE", "tell the end"}

func (a DialogAction) String() string { return dialogActionNames[a] }

// DialogStep is what follows from an event. Do is 0 if there is nothing to do.
type DialogStep struct {
	To DialogState
	Do DialogAction
}

// On takes an event. The dialog that results replaces this one.
func (d Dialog) On(e DialogEvent) (Dialog, DialogAction) {
	step := dialogTable[d.State][e]
	return Dialog{step.To}, step.Do
}

type dialogRow struct {
	from DialogState
	on   DialogEvent
	to   DialogState
	do   DialogAction
}

// dialogTable is a step for every state and event; what is in no row is ignored.
var dialogTable = fillDialog(
	dialogRow{Early, Answer, Answered, 0},
	dialogRow{Early, TheyAsk, EarlyTheyAsked, Take},
	dialogRow{Early, WeAsk, EarlyWeAsked, Take},
	dialogRow{EarlyTheyAsked, Answer, Answered, 0}, // the UPDATE is answered beside it
	dialogRow{EarlyTheyAsked, TheyAsk, EarlyTheyAsked, RefuseSoon},
	dialogRow{EarlyTheyAsked, WeAsk, EarlyTheyAsked, RefusePending},
	dialogRow{EarlyTheyAsked, Done, Early, 0},
	dialogRow{EarlyWeAsked, Answer, Answered, 0},
	dialogRow{EarlyWeAsked, TheyAsk, EarlyWeAsked, RefusePending},
	dialogRow{EarlyWeAsked, WeAsk, EarlyWeAsked, RefusePending},
	dialogRow{EarlyWeAsked, Done, Early, 0},
	dialogRow{Answered, Acknowledged, Settled, 0},
	dialogRow{Answered, TheyAsk, Answered, RefuseSoon}, // the first exchange is not over
	dialogRow{Answered, WeAsk, Answered, RefusePending},
	dialogRow{Settled, TheyAsk, TheyAsked, Take},
	dialogRow{Settled, WeAsk, WeAsked, Take},
	dialogRow{TheyAsked, Acknowledged, Settled, 0}, // theirs was a re-INVITE, and its answer arrived
	dialogRow{TheyAsked, TheyAsk, TheyAsked, RefuseSoon},
	dialogRow{TheyAsked, WeAsk, TheyAsked, RefusePending},
	dialogRow{TheyAsked, Done, Settled, 0},
	dialogRow{WeAsked, TheyAsk, WeAsked, RefusePending},
	dialogRow{WeAsked, WeAsk, WeAsked, RefusePending},
	dialogRow{WeAsked, Done, Settled, 0},
	dialogRow{Ended, TheyAsk, Ended, RefuseGone},
	dialogRow{Ended, WeAsk, Ended, RefuseGone},
)

func fillDialog(rows ...dialogRow) (t [dialogStates][dialogEvents]DialogStep) {
	for s := range dialogStates {
		for e := range dialogEvents {
			t[s][e] = DialogStep{To: s}
		}
		if s == Ended {
			continue
		}
		t[s][TheyEnd] = DialogStep{Ended, TellEnd}
		t[s][Lost] = DialogStep{Ended, TellEnd}
		t[s][WeEnd] = DialogStep{Ended, SendBye}
	}
	for _, r := range rows {
		if t[r.from][r.on] != (DialogStep{To: r.from}) {
			panic(fmt.Sprintf("machine: two rows for %s on %s", r.from, r.on))
		}
		t[r.from][r.on] = DialogStep{r.to, r.do}
	}
	return t
}
