package call

import "fmt"

// The table has a row for every event of a leg in every role, in every state: what is done, or
// why nothing is. There is no other way through the machine.

type cell struct {
	take func(*step)
	why  string // it is ignored
}

var table = fill()

// row is a rule for all of its states, kinds and roles.
type row struct {
	states []State
	kinds  []Kind
	roles  []Role
	cell
}

var (
	setup      = []State{Dialling, Trying, Ringing}
	seeking    = []State{Redirecting, Transferring, Fetching, Joining, TakingOver} // connected, and somebody else is to come
	talking    = append([]State{Connected}, seeking...)
	everywhere = allStates()
	pair       = []Role{Near, Far}
	legEvents  = []Kind{Digits, Proceeding, Alerting, Progress, Answered, Confirmed, Released, Asked, Replied, Withdrawn, TransferAsked, ReplaceAsked, JoinAsked}
)

func allStates() (list []State) {
	for s := range states {
		list = append(list, s)
	}
	return list
}

func but(list []State, not ...State) (out []State) {
	for _, s := range list {
		keep := true
		for _, n := range not {
			keep = keep && s != n
		}
		if keep {
			out = append(out, s)
		}
	}
	return out
}

func on(s []State, k []Kind, r []Role, take func(*step)) row { return row{s, k, r, cell{take: take}} }

func never(s []State, k []Kind, r []Role, why string) row { return row{s, k, r, cell{why: why}} }

func one[T any](list ...T) []T { return list }

func rows() []row {
	none := one(NoLeg)
	return []row{
		// Setting up.
		on(one(Idle), one(Offered), none, offered),
		never(but(everywhere, Idle), one(Offered), none, "the call was offered already"),
		on(one(Collecting), one(Digits), one(Near), moreDigits),
		never(but(everywhere, Idle, Collecting, Over), one(Digits), one(Near), "the number is complete"),
		on(one(Collecting), one(Waiting), none, waitForDigits),
		on(one(Collecting), one(Complete), none, complete),
		on(one(Collecting), one(DigitTimeout), none, noMoreDigits),
		never(but(everywhere, Collecting), one(Waiting, Complete, DigitTimeout), none, "no digits are waited for"),
		on(one(Choosing), one(Chosen), none, chosen),
		on(one(Choosing), one(Decided), none, decided),
		on(one(Redirecting), one(Chosen), none, chosenForTransfer),
		on(one(Redirecting), one(Decided), none, decidedForTransfer),
		on(but(everywhere, Choosing, Redirecting), one(Chosen), none, forget),
		never(but(everywhere, Choosing, Redirecting), one(Decided), none, "the plan was not asked"),
		on(one(Collecting, Choosing), one(Released), one(Near), gaveUpEarly),
		on(one(Collecting, Choosing), one(Stopped), none, stoppedEarly),
		never(one(Idle, Over), one(Stopped), none, "there is no call"),

		// A trunk is tried.
		on(one(Dialling), one(Proceeding), one(Far), proceeding),
		never(one(Trying, Ringing), one(Proceeding), one(Far), "it is known to be there"),
		on(setup, one(Alerting, Progress), one(Far), progress),
		on(setup, one(Answered), one(Far), answered),
		on(setup, one(Released), one(Far), refused),
		on(setup, one(Released), one(Near), gaveUp),
		on(setup, one(Stopped), none, stoppedTrying),
		on(one(Dialling), one(NoResponseTimeout), none, timedOut),
		on(one(Dialling, Trying), one(TryingTimeout), none, timedOut),
		on(one(Ringing), one(RingingTimeout), none, timedOut),
		on(one(Transferring), one(NoResponseTimeout, TryingTimeout, RingingTimeout), none, timedOut),
		never(but(everywhere, Dialling, Transferring), one(NoResponseTimeout), none, "something was heard, or nothing is tried"),
		never(but(everywhere, Dialling, Trying, Transferring), one(TryingTimeout), none, "it rang, or nothing is tried"),
		never(but(everywhere, Ringing, Transferring), one(RingingTimeout), none, "nothing rings"),
		on(setup, one(Confirmed), one(Near), confirmed),
		never(setup, one(Confirmed), one(Far), "it was told nothing that it could acknowledge"),
		on(setup, one(Asked), pair, asked),
		on(setup, one(Replied), pair, replied),
		on(setup, one(Withdrawn), pair, withdrawn),
		on(setup, one(TransferAsked), pair, refuseTransfer),
		on(one(Ringing), one(ReplaceAsked), one(Far), pickedUp),
		on(one(Dialling, Trying), one(ReplaceAsked), one(Far), nothingToReplace),
		on(setup, one(ReplaceAsked), one(Near), nothingToReplace), // RFC 3891 section 3: an early call that did not begin here
		on(setup, one(JoinAsked), pair, keepParty),
		never(setup, one(Digits), one(Far), "who is called dials nothing"),
		never(setup, one(Proceeding, Alerting, Progress, Answered), one(Near), "who called does not answer"),

		// Connected.
		on(one(Connected), one(Released), pair, hungUp),
		on(talking, one(LongestTimeout), none, tooLong),
		on(talking, one(Stopped), none, stopped),
		never(but(everywhere, talking...), one(LongestTimeout), none, "the call is not connected"),
		on(talking, one(Confirmed), pair, confirmed),
		on(talking, one(Asked), pair, asked),
		on(talking, one(Replied), pair, replied),
		on(talking, one(Withdrawn), pair, withdrawn),
		on(talking, one(Progress, Alerting), pair, progressOfAsk),
		never(talking, one(Proceeding), pair, "it has answered"),
		never(talking, one(Answered), pair, "it has answered; its carrier ends what other branches of a fork answer"),
		never(talking, one(Digits), one(Far), "what is dialled in a call is media"),
		on(one(Connected), one(TransferAsked), pair, transferAsked),
		on(seeking, one(TransferAsked), pair, refuseTransfer),
		on(one(Connected), one(ReplaceAsked), pair, replaceAsked),
		on(seeking, one(ReplaceAsked), pair, refuseReplace),
		on(one(Connected), one(JoinAsked), pair, handOver),
		on(seeking, one(JoinAsked), pair, keepParty),
		on(one(Connected, TakingOver, Joining), one(RetryTimeout), none, askAgain),
		never(but(everywhere, Connected, TakingOver, Joining), one(RetryTimeout), none, "the switch asks nothing of a party"),

		// Somebody else is to come.
		on(seeking, one(Released), pair, transferorLeft),
		on(one(Transferring), one(Proceeding), one(Third), proceeding),
		on(one(Transferring), one(Alerting, Progress), one(Third), thirdProgress),
		on(one(Transferring), one(Answered), one(Third), thirdAnswered),
		on(one(Transferring), one(Released), one(Third), refused),
		never(one(Transferring), one(Confirmed, Replied, Withdrawn, Digits), one(Third), "it has not answered"),
		on(one(TakingOver), one(Released), one(Third), takerLeft),
		never(one(TakingOver), one(Digits, Proceeding, Alerting, Progress, Answered, Confirmed, Replied, Withdrawn), one(Third), "it was not answered"),
		on(one(Joining), one(Released), one(Third), thirdLeft),
		on(one(Joining), one(Replied), one(Third), replied),
		never(one(Joining), one(Digits, Proceeding, Alerting, Progress, Answered, Confirmed, Withdrawn), one(Third), "it is connected, and was asked for its media alone"),
		on(one(Transferring, TakingOver, Joining), one(Asked), one(Third), askedTooSoon),
		on(one(Transferring, TakingOver, Joining), one(TransferAsked), one(Third), refuseTransfer),
		on(one(Transferring, TakingOver, Joining), one(ReplaceAsked), one(Third), refuseReplace),
		on(one(Transferring, TakingOver, Joining), one(JoinAsked), one(Third), keepParty),
		never(but(everywhere, Transferring, TakingOver, Joining), legEvents, one(Third), "there is no third leg"),
		on(one(Fetching), one(Joined), none, fetched),
		on(one(Fetching), one(NotJoined), none, notFetched),
		on(but(everywhere, Fetching), one(Joined), none, tooLate),
		never(but(everywhere, Fetching), one(NotJoined), none, "no party was asked for"),

		// Nothing, or nothing any more.
		never(one(Idle, Over), legEvents, pair, "there is no call"),
		never(one(Collecting, Choosing), legEvents, one(Far), "no outbound leg yet"),
		never(one(Collecting, Choosing), one(Proceeding, Alerting, Progress, Answered), one(Near), "who called does not answer"),
		never(one(Collecting, Choosing), one(Confirmed, Replied, Withdrawn), one(Near), "it was told nothing, and asked nothing"),
		on(one(Collecting, Choosing), one(Asked), one(Near), askedTooSoon),
		on(one(Collecting, Choosing), one(TransferAsked), one(Near), refuseTransfer),
		on(one(Collecting, Choosing), one(ReplaceAsked), one(Near), nothingToReplace),
		on(one(Collecting, Choosing), one(JoinAsked), one(Near), keepParty),
		on(everywhere, one(Answered), one(Former), releaseAgain),
		on(everywhere, one(Asked), one(Former), replyEnded),
		on(everywhere, one(TransferAsked), one(Former), refuseTransfer),
		on(everywhere, one(ReplaceAsked), one(Former), nothingToReplace),
		on(everywhere, one(JoinAsked), one(Former), keepParty),
		never(everywhere, one(Digits, Proceeding, Alerting, Progress, Confirmed, Released, Replied, Withdrawn), one(Former), "it was released"),
	}
}

// fill sets the table up, and stops a program whose table has a gap, or two rules for one case:
// that is a fault of this file.
func fill() (t [states][kinds][roles]cell) {
	for _, r := range rows() {
		for _, s := range r.states {
			for _, k := range r.kinds {
				for _, role := range r.roles {
					c := &t[s][k][role]
					if c.take != nil || c.why != "" {
						panic(fmt.Sprintf("call: two rows for %s of %s when %s", k, role, s))
					}
					*c = r.cell
				}
			}
		}
	}
	for s := range states {
		for k := range kinds {
			for r := range roles {
				if c := t[s][k][r]; c.take == nil && c.why == "" && k.ofLeg() == (r != NoLeg) {
					panic(fmt.Sprintf("call: no row for %s of %s when %s", k, r, s))
				}
			}
		}
	}
	return t
}
