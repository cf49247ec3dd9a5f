package sip_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
)

// What the network does to transactions: repeats, losses, races and forks, by
// the sections of RFC 3261 that each test names.

// Section 17.2.1: an INVITE that is repeated gets the last response again, and
// makes no second call.
func TestARepeatedInviteIsOneCall(t *testing.T) {
	f := start(t, nil)
	invite := request("INVITE", "901914980850", "r1", "", "r1", offer)
	f.phones.Send(invite)
	toCarrier := f.ostrel.Expect("INVITE")
	f.phones.Send(invite)
	trying := f.phones.Read()
	assert.Equal(t, 100, trying.Status)
	assert.Equal(t, trying.Text, f.phones.Read().Text)
	f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", ""))
	first := f.phones.Expect("SIP/2.0 180")
	f.phones.Send(invite)
	assert.Equal(t, first.Text, f.phones.Read().Text)
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
	assert.Len(t, f.Calls(), 1)
}

// Section 8.2.2.2: the same INVITE by another way is a loop, and no second call.
func TestAnInviteThatComesByTwoWaysIsRefusedOnce(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "r2", "", "r2a", offer))
	f.ostrel.Expect("INVITE")
	f.phones.Send(request("INVITE", "901914980850", "r2", "", "r2b", offer))
	merged := f.phones.Expect("SIP/2.0 482")
	assert.Equal(t, "z9hG4bKr2b", merged.Branch)
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
}

// Section 9.2: a CANCEL after the answer is answered and changes nothing.
func TestACancelThatComesTooLateChangesNothing(t *testing.T) {
	f := start(t, nil)
	toCarrier, ok := f.answered(t, "r3")
	f.phones.Send(request("CANCEL", "901914980850", "r3", "", "r3", ""))
	f.phones.Expect("SIP/2.0 200")
	assert.True(t, f.ostrel.Silent(100*time.Millisecond), "nobody is hung up on")
	f.phones.Send(request("BYE", "901914980850", "r3", tagOf(ok.Header("To")), "r3bye", ""))
	f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, toCarrier.CallID, f.ostrel.Expect("BYE").CallID)
}

// A CANCEL that matches nothing: 481 (section 9.2).
func TestAStrayCancelIsTold(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("CANCEL", "901914980850", "r4", "", "r4", ""))
	f.phones.Expect("SIP/2.0 481")
}

// Section 13.2.2.4: of two answers of a fork the first is taken, the other is
// acknowledged and hung up.
func TestTheSecondAnswerOfAForkIsHungUp(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "r5", "", "r5", offer))
	toCarrier := f.ostrel.Expect("INVITE")
	f.ostrel.Send(toCarrier.Reply("200 OK", "desk", sdpType+answer))
	f.phones.Expect("SIP/2.0 200")
	f.ostrel.Expect("ACK")
	f.ostrel.Send(toCarrier.Reply("200 OK", "mobile", sdpType+answer))
	ack := f.ostrel.Expect("ACK")
	assert.Contains(t, ack.Header("To"), "tag=mobile")
	bye := f.ostrel.Expect("BYE")
	assert.Contains(t, bye.Header("To"), "tag=mobile")
	f.ostrel.Send(bye.Reply("200 OK", "", ""))
	c := f.Wait(t, "r5", func(c record.Call) bool { return !c.Answered.IsZero() })
	assert.True(t, c.Running(), "the first is still talking")
}

// Section 17.2.1, timer G: a failure is repeated until its ACK comes.
func TestAFailureIsRepeatedUntilItIsAcknowledged(t *testing.T) {
	f := start(t, noOperator)
	f.phones.Send(request("INVITE", "97", "r6", "", "r6", offer))
	refused := f.phones.Expect("SIP/2.0 4")
	assert.Equal(t, refused.Text, f.phones.Read().Text, "its ACK was lost")
	f.phones.Send(request("ACK", "97", "r6", tagOf(refused.Header("To")), "r6", ""))
	assert.True(t, f.phones.Silent(1200*time.Millisecond))
}

// Section 17.1.2.2, timer E: a BYE that is lost is sent again.
func TestALostByeIsSentAgain(t *testing.T) {
	f := start(t, nil)
	_, ok := f.answered(t, "r7")
	f.phones.Send(request("BYE", "901914980850", "r7", tagOf(ok.Header("To")), "r7bye", ""))
	f.phones.Expect("SIP/2.0 200")
	bye := f.ostrel.Expect("BYE")
	again := f.ostrel.Read()
	assert.Equal(t, bye.Text, again.Text)
	f.ostrel.Send(again.Reply("200 OK", "", ""))
	assert.True(t, f.ostrel.Silent(1200*time.Millisecond))
}

// A provisional response directly before the final one reaches the caller in
// that order, every time.
func TestResponsesKeepTheOrderOfTheWire(t *testing.T) {
	f := start(t, nil)
	for i := range 40 {
		id := fmt.Sprintf("r8-%d", i)
		f.phones.Send(request("INVITE", "901914980850", id, "", id, offer))
		toCarrier := f.ostrel.Expect("INVITE")
		f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", ""))
		f.ostrel.Send(toCarrier.Reply("183 Session Progress", "callee", sdpType+answer))
		f.ostrel.Send(toCarrier.Reply("486 Busy Here", "callee", ""))
		f.ostrel.Expect("ACK")
		var got []int
		for len(got) < 4 {
			m := f.phones.Read()
			if m.CallID == id {
				got = append(got, m.Status)
			}
		}
		require.Equal(t, []int{100, 180, 183, 486}, got)
		f.phones.Send(request("ACK", "901914980850", id, "x", id, ""))
	}
}

// What cannot be taken is told in the terms of sections 8.2 and 21, and what
// cannot even be answered is not.
func TestRequestsThatCannotBeTaken(t *testing.T) {
	f := start(t, nil)
	whole := request("OPTIONS", "", "r9", "", "r9", "")
	for _, c := range []struct{ sent, want string }{
		{strings.ReplaceAll(whole, "OPTIONS", "DANCE"), "SIP/2.0 405"},
		{strings.Replace(whole, "CSeq: 1 OPTIONS", "CSeq: 1 INVITE", 1), "SIP/2.0 400"},
		{strings.Replace(whole, "SIP/2.0\nVia", "SIP/3.0\nVia", 1), "SIP/2.0 505"},
		{strings.Replace(whole, "Max-Forwards: 70", "Max-Forwards: many", 1), "SIP/2.0 400"},
	} {
		f.phones.Send(c.sent)
		res := f.phones.Expect(c.want)
		if strings.HasSuffix(c.want, "405") {
			assert.Contains(t, res.Header("Allow"), "INVITE")
		}
	}
	for _, unanswerable := range []string{
		strings.Replace(whole, "Call-ID: r9\n", "", 1), strings.Replace(whole, "Via:", "Vla:", 1), strings.ReplaceAll(whole, "OPTIONS", "ACK"),
		"SIP/2.0 200 OK\nVia: SIP/2.0/UDP 127.1.10.1\nCall-ID: x\nCSeq: 1 INVITE\nFrom: <sip:a@b.example>\nTo: <sip:a@b.example>\n\n",
	} {
		f.phones.Send(unanswerable)
	}
	assert.True(t, f.phones.Silent(200*time.Millisecond))
}

// RFC 3581: a response goes to the port that the request came from if rport asks
// for it, and to the Via's port if not (RFC 3261 section 18.2.2).
func TestResponsesGoWhereTheViaSays(t *testing.T) {
	f := start(t, nil)
	behind := livetest.NewPeer(t, "127.0.20.1:5099")
	behind.Send(request("OPTIONS", "", "s1", "", "s1", "")) // its Via says port 5060
	res := behind.Expect("SIP/2.0 200")
	assert.Contains(t, res.Header("Via"), "rport=5099")
	assert.Contains(t, res.Header("Via"), "received=127.1.20.1")
	behind.Send(strings.Replace(request("OPTIONS", "", "s2", "", "s2", ""), ";rport", "", 1))
	assert.Equal(t, "s2", f.phones.Expect("SIP/2.0 200").CallID)
}

// RFC 3261 section 21.5.4: a trunk that asks for it is left alone, but not by an
// emergency call; the next call finds it again when the time is over.
func TestRetryAfterIsHeeded(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "t1", "", "t1", offer))
	first := f.ostrel.Expect("INVITE")
	f.ostrel.Send(first.Reply("503 Service Unavailable", "callee", "Retry-After: 1 (maintenance)"))
	f.ostrel.Expect("ACK")
	f.penhallow.Expect("INVITE")
	f.phones.Send(request("INVITE", "901914980851", "t2", "", "t2", offer))
	f.penhallow.Expect("INVITE")
	c := f.Wait(t, "t2", func(c record.Call) bool { return len(c.Legs) == 2 })
	skipped := trail.Attempts(c.Trail)[0]
	assert.Equal(t, "ostrel", skipped.Trunk)
	assert.True(t, skipped.Skipped)
	assert.Equal(t, "down", skipped.Reason)
	f.phones.Send(request("INVITE", "999", "t3", "", "t3", offer))
	assert.Contains(t, f.ostrel.Expect("INVITE").StartLine, "999")
	require.Eventually(t, func() bool { _, held := f.Trunks.Held("ostrel", time.Now()); return !held }, 5*time.Second, 10*time.Millisecond)
	f.phones.Send(request("INVITE", "901914980852", "t4", "", "t4", offer))
	assert.Contains(t, f.ostrel.Expect("INVITE").StartLine, "1914980852")
}

// Round robin over two trunks, live: each call begins one further on.
func TestCallsTakeTurns(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		for i := range p.Paths {
			p.Paths[i].Order = plan.RoundRobin
		}
	})
	for i, side := range []*livetest.Peer{f.ostrel, f.penhallow, f.ostrel} {
		id := fmt.Sprintf("u%d", i)
		f.phones.Send(request("INVITE", "901914980850", id, "", id, offer))
		side.Expect("INVITE")
	}
}
