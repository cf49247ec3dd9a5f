package sip_test

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/livetest"
)

// overTCP writes a request as it goes by a connection.
func overTCP(text string) string {
	return strings.Replace(strings.Replace(text, "SIP/2.0/UDP", "SIP/2.0/TCP", 1), "127.1.20.1:5060>", "127.1.20.1:5060;transport=tcp>", 1)
}

// RFC 3261 section 18: responses go back on the connection of their request, and
// each leg has a transport of its own.
func TestACallThatComesByTCPLeavesByUDP(t *testing.T) {
	f := start(t, nil)
	phones := livetest.Dial(t, "127.0.20.1:0")
	invite := []byte(livetest.Wire(overTCP(request("INVITE", "901914980850", "t1", "", "t1", offer))))
	for _, piece := range bytes.SplitAfter(invite, []byte("0")) { // a stream has no message ends
		phones.Raw(piece)
	}
	toCarrier := f.ostrel.Expect("INVITE")
	assert.Contains(t, toCarrier.Header("Via"), "SIP/2.0/UDP 127.1.10.1:5060")
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	f.ostrel.Expect("ACK")
	ok := phones.Expect("SIP/2.0 200")
	assert.Equal(t, "<sip:127.1.10.1:5060;transport=tcp>", ok.Header("Contact"))
	tag := tagOf(ok.Header("To"))
	// Two messages in one piece, in order.
	phones.Raw([]byte(livetest.Wire(overTCP(request("ACK", "901914980850", "t1", tag, "t1ack", ""))) +
		livetest.Wire(overTCP(request("BYE", "901914980850", "t1", tag, "t1bye", "")))))
	phones.Expect("SIP/2.0 200")
	bye := f.ostrel.Expect("BYE")
	f.ostrel.Send(bye.Reply("200 OK", "", ""))
	c := f.WaitEnd(t, "t1")
	assert.Equal(t, "the caller hung up", c.Release)
	at := map[bool]uint32{}
	streamed := 0
	for _, m := range f.Messages() {
		if m.Stream == nil {
			continue
		}
		if streamed++; at[m.Out] != 0 {
			assert.Equal(t, at[m.Out], m.Stream.At, "the recording knows each message's place in its connection")
		}
		at[m.Out] = m.Stream.At + uint32(len(m.Bytes))
	}
	assert.GreaterOrEqual(t, streamed, 6)
}

func ostrelByTCP(p *plan.Plan) {
	for i := range p.Trunks {
		if p.Trunks[i].ID == "ostrel" {
			p.Trunks[i].Link.SIP.Transport = "tcp"
		}
	}
}

func TestATrunkByTCPUsesOneConnection(t *testing.T) {
	f := start(t, ostrelByTCP)
	door := livetest.Listen(t, ostrelAt)
	f.phones.Send(request("INVITE", "901914980850", "t2", "", "t2", offer))
	carrier := door.Connected()
	invite := carrier.Expect("INVITE")
	assert.True(t, strings.HasPrefix(invite.StartLine, "INVITE sip:+441914980850@127.1.30.1:5060;transport=tcp "), invite.StartLine)
	assert.Contains(t, invite.Header("Via"), "SIP/2.0/TCP")
	carrier.Send(invite.Reply("200 OK", "callee", strings.Replace(sdpType, ":5060>", ":5060;transport=tcp>", 1)+answer))
	assert.Contains(t, carrier.Expect("ACK").Header("Via"), "SIP/2.0/TCP", "on the connection that stands")
	ok := f.phones.Expect("SIP/2.0 200")
	f.phones.Send(request("ACK", "901914980850", "t2", tagOf(ok.Header("To")), "t2ack", ""))
	f.phones.Send(request("BYE", "901914980850", "t2", tagOf(ok.Header("To")), "t2bye", ""))
	bye := carrier.Expect("BYE")
	carrier.Send(bye.Reply("200 OK", "", ""))
	f.WaitEnd(t, "t2")
}

// A far end that takes no connection costs the call no time: it goes on at once.
func TestARefusedConnectionGoesOnAtOnce(t *testing.T) {
	f := start(t, ostrelByTCP)
	f.phones.Send(request("INVITE", "901914980850", "t3", "", "t3", offer))
	invite := f.penhallow.Expect("INVITE")
	f.penhallow.Send(invite.Reply("486 Busy Here", "callee", ""))
	f.penhallow.Expect("ACK")
	f.phones.Expect("SIP/2.0 486")
	c := f.WaitEnd(t, "t3")
	attempts := trail.Attempts(c.Trail)
	require.Len(t, attempts, 2)
	assert.Equal(t, "unreachable", attempts[0].Reason)
	for i, s := range c.Trail {
		if s.Heard != nil && s.Heard.What == trail.ReportUnreachable {
			assert.Contains(t, s.Heard.Detail, "refused")
			assert.Less(t, c.Stamps[i], int64(2000), "no timer was waited for")
		}
	}
}

// RFC 3261 section 18.1.1: a request over 1300 bytes goes by a connection, and by
// UDP all the same where the other side takes none.
func TestAMessageLongerThanADatagramShouldBe(t *testing.T) {
	long := offer + strings.Repeat("a=x-"+strings.Repeat("long", 20)+"\n", 20)
	t.Run("by a connection", func(t *testing.T) {
		f := start(t, nil)
		door := livetest.Listen(t, ostrelAt)
		f.phones.Send(request("INVITE", "901914980850", "t4", "", "t4", long))
		invite := door.Connected().Expect("INVITE")
		assert.Contains(t, invite.Header("Via"), "SIP/2.0/TCP")
		assert.Equal(t, livetest.Wire(long), invite.Body())
		assert.True(t, f.ostrel.Silent(100*time.Millisecond))
	})
	t.Run("by UDP, since it takes none", func(t *testing.T) {
		f := start(t, nil)
		f.phones.Send(request("INVITE", "901914980850", "t4", "", "t4", long))
		invite := f.ostrel.Expect("INVITE")
		assert.Contains(t, invite.Header("Via"), "SIP/2.0/UDP")
		assert.Equal(t, livetest.Wire(long), invite.Body())
	})
}

// What no trunk knows gets neither an answer nor a connection that stays.
func TestAStrangersConnectionIsEnded(t *testing.T) {
	f := start(t, nil)
	stranger := livetest.Dial(t, "127.0.99.1:0")
	stranger.Send(overTCP(request("INVITE", "999", "t5", "", "t5", offer)))
	assert.True(t, stranger.Silent(2*time.Second))
	assert.EqualValues(t, 1, f.Agent.Unknown())
	assert.Empty(t, f.Calls())
	for range sip.MaxStreamsFrom + 2 {
		livetest.Dial(t, "127.0.99.1:0").Raw([]byte("INV"))
	}
	f.answered(t, "after")
	f.Wait(t, "after", func(c record.Call) bool { return c.Running() })
}

func TestWhatIsNoSIPEndsTheConnection(t *testing.T) {
	f := start(t, nil)
	phones := livetest.Dial(t, "127.0.20.1:0")
	phones.Raw([]byte("\r\n\r\n"))
	phones.Raw([]byte("OPTIONS sip:a SIP/2.0\r\nContent-Length: 99999999\r\n\r\n"))
	assert.True(t, phones.Silent(time.Second))
	f.answered(t, "after")
}
