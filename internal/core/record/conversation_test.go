package record

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

// a message of a leg, as a switch records it.
func sipMessage(sw string, ms int, out bool, start, cseq, callID, session string, within bool) Message {
	text := start + "\r\nCall-ID: " + callID + "\r\nCSeq: 1 " + cseq + "\r\nTo: <sip:1@127.0.10.1>"
	if within {
		text += ";tag=x"
	}
	text += "\r\n"
	if session != "" {
		text += "Session-ID: " + session + "\r\n"
	}
	return Message{
		Switch: sw, At: noon.Add(time.Duration(ms) * time.Millisecond), Out: out, Protocol: "sip",
		Local: "127.0.10.1:5060", Remote: "127.0.20.1:5060", Bytes: []byte(text + "\r\n"),
	}
}

const nobody = "00000000000000000000000000000000"

// Calls of any number of legs, over one or two switches, with repeats and in any interleaving, come
// apart as they were, and what each leg went through is told.
func TestConversationsAreTheCallsThatWere(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var streams [][]Message
		of := map[string]int{} // the call of each Call-ID
		type truth struct {
			status  int
			repeats int
		}
		legs := map[string]truth{}
		calls := rapid.IntRange(1, 5).Draw(t, "calls")
		for call := range calls {
			near, far := fmt.Sprintf("%031da", call+1), fmt.Sprintf("%031db", call+1)
			for leg := range rapid.IntRange(1, 4).Draw(t, "legs") {
				id := fmt.Sprintf("call-%d-leg-%d", call, leg)
				of[id] = call
				switches := []string{"quay"}
				if rapid.IntRange(0, 3).Draw(t, "joined") == 0 {
					switches = []string{"quay", "cape"} // a leg between two switches: each records it
				}
				status := rapid.SampledFrom([]int{200, 486, 503}).Draw(t, "status")
				repeats := rapid.IntRange(0, 2).Draw(t, "repeats")
				legs[id] = truth{status, repeats}
				for i, sw := range switches {
					out := i == 0
					var s []Message
					for range 1 + repeats {
						s = append(s, sipMessage(sw, 0, out, "INVITE sip:1@127.0.10.1 SIP/2.0", "INVITE", id, near+";remote="+nobody, false))
					}
					s = append(s,
						sipMessage(sw, 0, !out, "SIP/2.0 100 Trying", "INVITE", id, "", false),
						sipMessage(sw, 0, !out, "SIP/2.0 180 Ringing", "INVITE", id, far+";remote="+near, true),
						sipMessage(sw, 0, !out, fmt.Sprintf("SIP/2.0 %d Said", status), "INVITE", id, far+";remote="+near, true))
					if status == 200 {
						s = append(s, sipMessage(sw, 0, out, "BYE sip:1@127.0.10.1 SIP/2.0", "BYE", id, near+";remote="+far, true))
					}
					streams = append(streams, s)
				}
			}
		}
		var all []Message
		for at := 0; len(streams) > 0; at++ { // some order of the whole that keeps each stream's own
			i := rapid.IntRange(0, len(streams)-1).Draw(t, "next")
			m := streams[i][0]
			m.At = noon.Add(time.Duration(at) * time.Millisecond)
			all = append(all, m)
			if streams[i] = streams[i][1:]; len(streams[i]) == 0 {
				streams = slices.Delete(streams, i, i+1)
			}
		}
		given := slices.Clone(all)
		got := Conversations(all, nil)
		require.Equal(t, given, all, "what was given is as it was")
		require.Len(t, got, calls)
		count := 0
		for _, c := range got {
			count += len(c.Messages)
			require.True(t, slices.IsSortedFunc(c.Messages, func(a, b Said) int { return a.At.Compare(b.At) }))
			for _, m := range c.Messages {
				require.Equal(t, of[c.Legs[0].Key], of[m.Decoded.Key])
			}
			for _, l := range c.Legs {
				is := legs[l.Key]
				require.False(t, l.Began.IsZero())
				require.False(t, l.Ended.IsZero())
				require.Equal(t, is.status == 200, !l.Answered.IsZero())
				if is.status != 200 {
					require.Equal(t, is.status, l.Status)
				}
				repeats := map[string]int{}
				for _, m := range c.Messages {
					if m.Repeat && m.Leg == l.Leg {
						repeats[m.Switch]++
					}
				}
				for sw, n := range repeats {
					require.Equal(t, is.repeats, n, sw)
				}
			}
		}
		require.Len(t, all, count)
	})
}

func TestConversationsThatNothingJoins(t *testing.T) {
	stranger := Message{Switch: "quay", At: noon.Add(2 * time.Millisecond), Local: "127.0.10.1:5060", Remote: "127.0.66.1:5060", Bytes: []byte("?")}
	answer := Message{Switch: "quay", At: noon.Add(time.Second), Out: true, Local: "127.0.10.1:5060", Remote: "127.0.66.1:5060", Bytes: []byte("!")}
	list := Conversations([]Message{
		sipMessage("quay", 0, false, "OPTIONS sip:127.0.10.1 SIP/2.0", "OPTIONS", "a", "", false),
		sipMessage("quay", 1, false, "INVITE sip:127.0.10.1 SIP/2.0", "INVITE", "b", nobody+";remote="+nobody, false),
		stranger, answer,
	}, nil)
	require.Len(t, list, 3, "a Session-ID of nobody joins nothing (RFC 7989 section 5)")
	assert.Len(t, list[2].Messages, 2, "what names no leg is told apart by its ends")
	assert.Empty(t, Conversations(nil, nil))
}

// A challenge is no refusal, a CANCEL behind the answer ends nothing (RFC 3261 sections 9.1, 22.2).
func TestWhatEndsALeg(t *testing.T) {
	leg := func(messages ...Message) LegTold { return Conversations(messages, nil)[0].Legs[0] }
	invite := sipMessage("quay", 0, true, "INVITE sip:1@127.0.10.1 SIP/2.0", "INVITE", "a", "", false)
	asked := sipMessage("quay", 1, false, "SIP/2.0 407 Proxy Authentication Required", "INVITE", "a", "", true)
	answered := sipMessage("quay", 2, false, "SIP/2.0 200 OK", "INVITE", "a", "", true)
	cancel := sipMessage("quay", 3, true, "CANCEL sip:1@127.0.10.1 SIP/2.0", "CANCEL", "a", "", false)
	again := sipMessage("quay", 4, false, "SIP/2.0 491 Request Pending", "INVITE", "a", "", true)
	got := leg(invite, asked, answered, cancel, again)
	assert.True(t, got.Ended.IsZero())
	assert.Zero(t, got.Status)
	assert.Equal(t, answered.At, got.Answered)
	assert.Equal(t, cancel.At, leg(invite, cancel).Ended)
}

// A clock that is set back does not put a switch's messages into another order.
func TestMessagesOfASwitchKeepTheirOrder(t *testing.T) {
	first := sipMessage("quay", 500, true, "INVITE sip:1@127.0.10.1 SIP/2.0", "INVITE", "a", "", false)
	second := sipMessage("quay", 0, false, "SIP/2.0 486 Busy Here", "INVITE", "a", "", true)
	other := sipMessage("cape", 200, false, "INVITE sip:1@127.0.10.1 SIP/2.0", "INVITE", "a", "", false)
	var told []string
	for _, m := range Conversations([]Message{first, second, other}, nil)[0].Messages {
		told = append(told, m.Switch+" "+m.Label)
	}
	assert.Equal(t, []string{"cape INVITE", "quay INVITE", "quay 486 Busy Here"}, told)
}
