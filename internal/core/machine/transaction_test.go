package machine

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// allowed are the states of each kind, after RFC 3261 figures 5 to 8 and RFC 6026.
var allowed = map[Kind][]State{
	InviteClient: {Begun, Calling, Proceeding, Accepted, Completed, Terminated},
	Client:       {Begun, Calling, Proceeding, Completed, Terminated},
	InviteServer: {Begun, Proceeding, Accepted, Completed, Confirmed, Terminated},
	Server:       {Begun, Calling, Proceeding, Completed, Terminated},
}

// Every pair of state and event is walked, on both sorts of transport: it leads
// to a state of the kind, ends exactly when it terminates, sets no timer behind
// the end, and what is over stays over.
func TestEveryStateAndEvent(t *testing.T) {
	for kind, has := range allowed {
		for _, from := range has {
			for e := range events {
				for _, reliable := range []bool{false, true} {
					name := fmt.Sprintf("%s %s on %s", kind, from, e)
					next, actions := Transaction{kind, from, reliable}.On(e)
					require.Contains(t, has, next.State, name)
					ends := strings.Contains(fmt.Sprint(actions), "end]")
					require.Equal(t, next.State == Terminated && from != Terminated, ends, name)
					if from == Terminated {
						require.Empty(t, actions, name)
					}
					if ends {
						require.NotContains(t, actions, SetRepeat, name)
						require.NotContains(t, actions, SetGiveUp, name)
						require.NotContains(t, actions, SetLinger, name)
					}
					if reliable {
						require.NotContains(t, actions, SetRepeat, name)
					}
				}
			}
		}
	}
}

// Whatever happens in whatever order, at most one final is passed up but for
// 2xx to an INVITE, and the user is told of a timeout at most once.
func TestReachableFromBegun(t *testing.T) {
	for kind, has := range allowed {
		reached := map[State]bool{Begun: true}
		for queue := []State{Begun}; len(queue) > 0; queue = queue[1:] {
			for e := range events {
				next, _ := Transaction{Kind: kind, State: queue[0]}.On(e)
				if !reached[next.State] {
					reached[next.State] = true
					queue = append(queue, next.State)
				}
			}
		}
		assert.Len(t, reached, len(has), "%s: no state is there for nothing", kind)
	}
}

// walk tells what a transaction does, event by event.
func walk(t Transaction, list ...Event) (told []string, end State) {
	for _, e := range list {
		var actions []Action
		t, actions = t.On(e)
		told = append(told, fmt.Sprint(actions))
	}
	return told, t.State
}

// Source: RFC 3261 section 17.1.1.2 and figure 5; RFC 6026 section 7.2.
func TestInviteClient(t *testing.T) {
	told, end := walk(Transaction{Kind: InviteClient}, Start, TimerRepeat, GotProvisional, TimerRepeat, GotFailure, GotFailure, GotSuccess, TimerLinger)
	assert.Equal(t, []string{
		"[send request set repeat set give-up]", "[send request set repeat]", "[stop repeat stop give-up pass up]", "[]",
		"[send ACK pass up set linger]", "[send ACK]", "[]", "[end]",
	}, told)
	assert.Equal(t, Terminated, end)

	told, end = walk(Transaction{Kind: InviteClient}, Start, GotSuccess, GotSuccess, GotFailure)
	assert.Equal(t, []string{"[send request set repeat set give-up]", "[stop repeat stop give-up pass up set linger]", "[pass up]", "[]"}, told)
	assert.Equal(t, Accepted, end)

	told, end = walk(Transaction{Kind: InviteClient, Reliable: true}, Start, GotFailure)
	assert.Equal(t, []string{"[send request set give-up]", "[stop repeat stop give-up send ACK pass up end]"}, told)
	assert.Equal(t, Terminated, end)

	_, end = walk(Transaction{Kind: InviteClient, Reliable: true}, Start, GotSuccess)
	assert.Equal(t, Accepted, end, "a 2xx may be repeated end to end on any transport")
}

// Source: RFC 3261 section 17.2.1 and figure 7; RFC 6026 section 7.1.
func TestInviteServer(t *testing.T) {
	told, end := walk(Transaction{Kind: InviteServer}, Start, SentProvisional, GotRequest, SentFailure, TimerRepeat, GotRequest, GotAck, TimerRepeat, TimerLinger)
	assert.Equal(t, []string{
		"[pass up]", "[send response]", "[send response]", "[send response set repeat set give-up]", "[send response set repeat]",
		"[send response]", "[stop repeat stop give-up set linger]", "[]", "[end]",
	}, told)
	assert.Equal(t, Terminated, end)

	told, end = walk(Transaction{Kind: InviteServer}, Start, SentSuccess, GotRequest, SentSuccess, GotAck, SentFailure)
	assert.Equal(t, []string{"[pass up]", "[send response set linger]", "[]", "[send response]", "[pass up]", "[]"}, told)
	assert.Equal(t, Accepted, end)

	_, end = walk(Transaction{Kind: InviteServer}, Start, SentFailure, TimerGiveUp)
	assert.Equal(t, Terminated, end, "without an ACK the user is told")
}

// Source: RFC 3261 sections 17.1.2.2 and 17.2.2, figures 6 and 8.
func TestOtherRequests(t *testing.T) {
	told, end := walk(Transaction{Kind: Client}, Start, GotProvisional, TimerRepeat, GotSuccess, GotSuccess, TimerLinger)
	assert.Equal(t, []string{
		"[send request set repeat set give-up]", "[pass up]", "[send request set repeat]", "[stop repeat stop give-up pass up set linger]", "[]", "[end]",
	}, told)
	assert.Equal(t, Terminated, end)
	told, end = walk(Transaction{Kind: Server}, Start, GotRequest, SentSuccess, GotRequest, TimerLinger)
	assert.Equal(t, []string{"[pass up]", "[]", "[send response set linger]", "[send response]", "[end]"}, told)
	assert.Equal(t, Terminated, end)
}

// Source: the send times of RFC 3261 sections 17.1.1.2, 17.1.2.2 and 13.3.1.4
// with T1 500 ms and T2 4 s, worked out: 0, 0.5, 1.5, 3.5, 7.5, 15.5, 31.5 for an
// INVITE, then given up at 32; 0, 0.5, 1.5, 3.5, 7.5, 11.5 … 31.5 for others.
func TestSendTimes(t *testing.T) {
	times := func(tx Transaction) (out []float64) {
		at := 0
		for sent := 1; at < B; sent++ {
			out = append(out, float64(at)/1000)
			at += tx.Repeat(sent)
		}
		return out
	}
	assert.Equal(t, []float64{0, 0.5, 1.5, 3.5, 7.5, 15.5, 31.5}, times(Transaction{Kind: InviteClient, State: Calling}))
	others := []float64{0, 0.5, 1.5, 3.5, 7.5, 11.5, 15.5, 19.5, 23.5, 27.5, 31.5}
	assert.Equal(t, others, times(Transaction{Kind: Client, State: Calling}))
	assert.Equal(t, others, times(Transaction{Kind: InviteServer, State: Completed}), "a failure without its ACK")
	assert.Equal(t, T2, Transaction{Kind: Client, State: Proceeding}.Repeat(1))
	for tx, want := range map[Transaction]int{
		{Kind: InviteClient, State: Completed}: D, {Kind: InviteClient, State: Accepted}: 64 * T1, {Kind: InviteServer, State: Accepted}: 64 * T1,
		{Kind: InviteServer, State: Confirmed}: T4, {Kind: Client, State: Completed}: T4, {Kind: Server, State: Completed}: 64 * T1,
	} {
		assert.Equal(t, want, tx.Linger(), "%s %s", tx.Kind, tx.State)
	}
}
