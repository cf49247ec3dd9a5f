package record

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// drawn is the ladder of messages that are all of one call.
func drawn(messages []Message, name func(string) string) Ladder {
	return Conversations(messages, func(string) string { return "call" })[0].Ladder(name)
}

func TestLadder(t *testing.T) {
	start := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	message := func(ms int, out bool, remote, text string) Message {
		return Message{At: start.Add(time.Duration(ms) * time.Millisecond), Out: out, Local: "127.0.10.1:5060", Remote: remote, Bytes: []byte(text)}
	}
	const phones, carrier = "127.0.20.1:5060", "127.0.30.1:5060"
	invite := "INVITE sip:9@127.0.10.1 SIP/2.0\r\nCall-ID: a\r\nCSeq: 1 INVITE\r\n\r\n"
	l := drawn([]Message{
		message(0, false, phones, invite),
		message(1, true, phones, "SIP/2.0 100 Trying\r\nCall-ID: a\r\nCSeq: 1 INVITE\r\n\r\n"),
		message(2, true, carrier, "INVITE sip:1@127.0.30.1 SIP/2.0\r\nCall-ID: b\r\nCSeq: 1 INVITE\r\n\r\n"),
		message(500, false, phones, invite),
		message(501, false, carrier, "SIP/2.0 48"),
	}, func(address string) string { return "name of " + address })

	assert.Equal(t, []Party{{phones, "name of " + phones}, {"127.0.10.1:5060", "name of 127.0.10.1:5060"}, {carrier, "name of " + carrier}}, l.Parties)
	var told []string
	for _, a := range l.Arrows {
		told = append(told, a.Label)
	}
	assert.Equal(t, []string{"INVITE", "100 Trying", "INVITE", "INVITE", "unreadable"}, told)
	assert.Equal(t, [2]int{1, 2}, [2]int{l.Arrows[2].From, l.Arrows[2].To})
	assert.True(t, l.Arrows[3].Repeat)
	assert.False(t, l.Arrows[0].Repeat)
	assert.InDelta(t, 500, l.Arrows[3].Millis, 0.001)
	assert.Equal(t, `"48" is no status, 100 to 699`, l.Arrows[4].Fault)
}

// A switch that is called over UDP and calls over TLS has one lane.
func TestASwitchHasOneLane(t *testing.T) {
	invite := []byte("INVITE sip:1@127.0.10.1 SIP/2.0\r\nCall-ID: a\r\n\r\n")
	l := drawn([]Message{
		{Switch: "quay", Local: "127.0.10.1:5060", Remote: "127.0.20.1:5060", Bytes: invite},
		{Switch: "quay", Out: true, Local: "127.0.10.1:5061", Remote: "127.0.12.1:5061", Bytes: invite},
	}, func(string) string { return "" })
	assert.Len(t, l.Parties, 3)
	assert.Equal(t, 1, l.Arrows[1].From)
}
