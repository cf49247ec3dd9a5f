package sip_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/livetest"
)

// Early dialogs: reliable provisional responses (RFC 3262) and UPDATE before the
// answer (RFC 3311), with bare sockets on both sides.

const reliableSDP = "Require: 100rel\nRSeq: 7\n" + sdpType

func TestReliableProgressEndToEnd(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "e1", "", "e1", offer, "Supported: 100rel"))
	toCarrier := f.ostrel.Expect("INVITE")
	assert.Contains(t, toCarrier.Header("Supported"), "100rel")
	progress := toCarrier.Reply("183 Session Progress", "callee", reliableSDP+answer)
	f.ostrel.Send(progress)
	early := f.phones.Read()
	for early.Status == 100 {
		early = f.phones.Read()
	}
	assert.Equal(t, 183, early.Status)
	assert.Equal(t, "100rel", early.Header("Require"))
	assert.Equal(t, "1", early.Header("RSeq"), "numbers of our own on the caller's side")
	assert.Equal(t, livetest.Wire(answer), early.Body())
	assert.Equal(t, early.Text, f.phones.Read().Text, "repeated until it is acknowledged (section 3)")
	f.ostrel.Send(progress)
	assert.True(t, f.ostrel.Silent(100*time.Millisecond), "the far end waits for the caller")
	tag := tagOf(early.Header("To"))

	f.phones.Send(inDialog("PRACK", "e1", tag, "e1p0", "", "2") + "\n") // without RAck
	assert.Equal(t, 481, f.phones.Expect("SIP/2.0 481").Status)
	f.phones.Send(strings.Replace(inDialog("PRACK", "e1", tag, "e1p", "", "3"), "Contact:", "RAck: 1 1 INVITE\nContact:", 1))
	prack := f.ostrel.Expect("PRACK")
	assert.Equal(t, "7 1 INVITE", prack.Header("RAck"))
	assert.Equal(t, "2 PRACK", prack.Header("CSeq"))
	f.ostrel.Send(prack.Reply("200 OK", "", ""))
	assert.Equal(t, "3 PRACK", f.phones.Expect("SIP/2.0 200").Header("CSeq"))

	// Now a description may change before the answer, from either side.
	f.phones.Send(inDialog("UPDATE", "e1", tag, "e1u", held, "4"))
	update := f.ostrel.Expect("UPDATE")
	assert.Equal(t, livetest.Wire(held), update.Body())
	f.phones.Send(inDialog("UPDATE", "e1", tag, "e1v", held, "5"))
	assert.Equal(t, "5 UPDATE", f.phones.Expect("SIP/2.0 500").Header("CSeq"), "one at a time")
	f.ostrel.Send(fromCarrier("UPDATE", toCarrier, "1", holding))
	f.ostrel.Expect("SIP/2.0 491")
	f.ostrel.Send(update.Reply("200 OK", "callee", sdpType+holding))
	assert.Equal(t, livetest.Wire(holding), f.phones.Expect("SIP/2.0 200").Body())
	f.ostrel.Send(fromCarrier("UPDATE", toCarrier, "2", holding))
	back := f.phones.Expect("UPDATE")
	f.phones.Send(back.Reply("200 OK", "", sdpType+held))
	f.ostrel.Expect("SIP/2.0 200")

	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", "Contact: <sip:127.1.30.1:5060>"))
	f.ostrel.Expect("ACK")
	ok := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, tag, tagOf(ok.Header("To")))
	f.phones.Send(inDialog("ACK", "e1", tag, "e1a", "", "1"))
	f.phones.Send(inDialog("BYE", "e1", tag, "e1b", "", "6"))
	f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, "4 BYE", f.ostrel.Expect("BYE").Header("CSeq"))
}

// A caller that knows nothing of it is not bothered; the far end gets its PRACK
// all the same, and once only.
func TestReliableProgressForACallerWithout(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "e2", "", "e2", offer))
	toCarrier := f.ostrel.Expect("INVITE")
	ringing := toCarrier.Reply("180 Ringing", "callee", "Require: 100rel\nRSeq: 1\nContact: <sip:127.1.30.1:5060>")
	f.ostrel.Send(ringing)
	prack := f.ostrel.Expect("PRACK")
	f.ostrel.Send(ringing)
	f.ostrel.Send(strings.Replace(ringing, "RSeq: 1", "RSeq: 3", 1)) // ahead of its turn
	f.ostrel.Send(prack.Reply("200 OK", "", ""))
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
	rings := f.phones.Expect("SIP/2.0 180")
	assert.Empty(t, rings.Header("Require"))
	assert.True(t, f.phones.Silent(700*time.Millisecond), "not repeated, and heard once")
}

// A caller that demands it gets it from us, whatever the far end knows.
func TestACallerDemandsReliableProgress(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "e3", "", "e3", offer, "Require: 100rel"))
	toCarrier := f.ostrel.Expect("INVITE")
	assert.Empty(t, toCarrier.Header("Require"), "each side for itself")
	f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", "Contact: <sip:127.1.30.1:5060>"))
	f.ostrel.Send(toCarrier.Reply("183 Session Progress", "callee", sdpType+answer))
	first := f.phones.Expect("SIP/2.0 180")
	assert.Equal(t, "1", first.Header("RSeq"))
	tag := tagOf(first.Header("To"))
	f.phones.Send(strings.Replace(inDialog("PRACK", "e3", tag, "e3p", "", "2"), "Contact:", "RAck: 1 1 INVITE\nContact:", 1))
	f.phones.Expect("SIP/2.0 200")
	second := f.phones.Expect("SIP/2.0 183")
	assert.Equal(t, "2", second.Header("RSeq"), "the next goes once the one before it is acknowledged")
	// The answer must not overtake the description that is not acknowledged yet.
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	again := f.phones.Read()
	assert.Equal(t, second.Text, again.Text)
	f.phones.Send(strings.Replace(inDialog("PRACK", "e3", tag, "e3q", "", "3"), "Contact:", "RAck: 2 1 INVITE\nContact:", 1))
	assert.Equal(t, "3 PRACK", f.phones.Expect("SIP/2.0 200").Header("CSeq"))
	assert.Equal(t, "1 INVITE", f.phones.Expect("SIP/2.0 200").Header("CSeq"))
	f.ostrel.Expect("ACK")
}

// RFC 3261 section 15: a caller may end an early dialog by BYE.
func TestAByeBeforeTheAnswer(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "e4", "", "e4", offer))
	toCarrier := f.ostrel.Expect("INVITE")
	f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", ""))
	tag := tagOf(f.phones.Expect("SIP/2.0 180").Header("To"))
	f.phones.Send(inDialog("BYE", "e4", tag, "e4b", "", "2"))
	f.phones.Expect("SIP/2.0 200")
	f.phones.Expect("SIP/2.0 487")
	f.ostrel.Expect("CANCEL")
	assert.Equal(t, "abandoned", string(f.WaitEnd(t, "e4").Trail[len(f.WaitEnd(t, "e4").Trail)-1].Ended.Outcome))
}

// The called side may not (section 15): the call rings on, and ends as any other
// once it is answered.
func TestACalledSideMayNotEndWhatItHasNotAnswered(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "e10", "", "e10", offer))
	toCarrier := f.ostrel.Expect("INVITE")
	f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", ""))
	f.phones.Expect("SIP/2.0 180")
	f.ostrel.Send(fromCarrier("BYE", toCarrier, "1", ""))
	f.ostrel.Expect("SIP/2.0 481")
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	ok := f.phones.Expect("SIP/2.0 200")
	f.ostrel.Expect("ACK")
	f.phones.Send(request("ACK", "901914980850", "e10", tagOf(ok.Header("To")), "e10ack", ""))
	f.ostrel.Send(fromCarrier("BYE", toCarrier, "2", ""))
	f.phones.Expect("BYE")
	assert.Equal(t, "the called party hung up", f.WaitEnd(t, "e10").Release)
}

// RFC 4028, each side for itself: what the caller agrees to is not what the
// carrier is asked for.
func TestSessionTimersOfBothSides(t *testing.T) {
	f := startWith(t, livetest.Setup{Second: 20 * time.Millisecond, Change: func(p *plan.Plan) {
		for i := range p.Trunks {
			if p.Trunks[i].ID == "ostrel" {
				p.Trunks[i].Link.SIP.SessionExpiresSeconds = 100
			}
		}
	}})
	f.phones.Send(request("INVITE", "901914980850", "e5", "", "e5", offer, "Supported: timer", "Session-Expires: 20"))
	assert.Equal(t, "90", f.phones.Expect("SIP/2.0 422").Header("Min-SE"))
	f.phones.Send(request("ACK", "901914980850", "e5", "x", "e5", ""))

	f.phones.Send(request("INVITE", "901914980850", "e6", "", "e6", offer, "Supported: timer", "Session-Expires: 7200;refresher=uas"))
	toCarrier := f.ostrel.Expect("INVITE")
	assert.Equal(t, "100", toCarrier.Header("Session-Expires"))
	f.ostrel.Send(toCarrier.Reply("422 Session Interval Too Small", "callee", "Min-SE: 120"))
	f.ostrel.Expect("ACK")
	again := f.ostrel.Expect("INVITE")
	assert.Equal(t, "120", again.Header("Session-Expires"))
	assert.Equal(t, "2 INVITE", again.Header("CSeq"))
	assert.Equal(t, toCarrier.CallID, again.CallID)
	f.ostrel.Send(again.Reply("200 OK", "callee", "Session-Expires: 120;refresher=uac\nAllow: UPDATE\n"+sdpType+answer))
	ok := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, "1800;refresher=uas", ok.Header("Session-Expires"))
	assert.Equal(t, "2 ACK", f.ostrel.Expect("ACK").Header("CSeq"))
	f.phones.Send(request("ACK", "901914980850", "e6", tagOf(ok.Header("To")), "e6ack", ""))

	refresh := f.ostrel.Expect("UPDATE") // after 60 s of 20 ms
	assert.Equal(t, "120;refresher=uac", refresh.Header("Session-Expires"))
	assert.Empty(t, refresh.Body())
	f.ostrel.Send(refresh.Reply("200 OK", "", "Session-Expires: 120;refresher=uac"))
	f.ostrel.Send(f.ostrel.Expect("UPDATE").Reply("481 Call/Transaction Does Not Exist", "", ""))
	f.phones.Expect("BYE")
	assert.Equal(t, "Ostrel did not answer when its session was refreshed", f.WaitEnd(t, "e6").Release)
}

// A far end that shall refresh and does not is gone.
func TestASessionThatNobodyRefreshesEnds(t *testing.T) {
	f := startWith(t, livetest.Setup{Second: 10 * time.Millisecond})
	f.phones.Send(request("INVITE", "901914980850", "e7", "", "e7", offer, "Supported: timer", "Session-Expires: 90"))
	toCarrier := f.ostrel.Expect("INVITE")
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	ok := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, "90;refresher=uac", ok.Header("Session-Expires"))
	assert.Equal(t, "timer", ok.Header("Require"))
	tag := tagOf(ok.Header("To"))
	f.phones.Send(request("ACK", "901914980850", "e7", tag, "e7ack", ""))
	f.phones.Send(strings.Replace(inDialog("UPDATE", "e7", tag, "e7u", "", "2"), "Contact:", "Supported: timer\nSession-Expires: 90;refresher=uac\nContact:", 1))
	assert.Equal(t, "90;refresher=uac", f.phones.Expect("SIP/2.0 200").Header("Session-Expires"), "answered here: the far end has its own")
	f.phones.Expect("BYE")
	f.ostrel.Expect("ACK")
	f.ostrel.Expect("BYE")
	c := f.WaitEnd(t, "e7")
	assert.Equal(t, "the session ran out: Quay phones did not refresh it", c.Release)
}

// RFC 7989: both legs carry the caller's name, and each end learns the other's.
func TestBothLegsCarryOneSession(t *testing.T) {
	const caller, called = "0123456789abcdef0123456789abcdef", "fedcba9876543210fedcba9876543210"
	f := start(t, noOperator)
	f.phones.Send(request("INVITE", "901914980850", "e8", "", "e8", offer, "Session-ID: "+caller+";remote=00000000000000000000000000000000"))
	toCarrier := f.ostrel.Expect("INVITE")
	assert.Equal(t, caller+";remote=00000000000000000000000000000000", toCarrier.Header("Session-ID"))
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", "Session-ID: "+called+";remote="+caller+"\n"+sdpType+answer))
	assert.Equal(t, caller+";remote="+called, f.ostrel.Expect("ACK").Header("Session-ID"))
	assert.Equal(t, called+";remote="+caller, f.phones.Expect("SIP/2.0 200").Header("Session-ID"))
	c := f.Wait(t, "e8", func(c record.Call) bool { return !c.Answered.IsZero() })
	assert.Equal(t, caller, c.Session)

	f.phones.Send(request("INVITE", "97", "e9", "", "e9", offer))
	refused := f.phones.Expect("SIP/2.0 4")
	require.Len(t, f.WaitEnd(t, "e9").Session, 32, "one that has no name is given one")
	assert.Contains(t, refused.Header("Session-ID"), ";remote="+f.WaitEnd(t, "e9").Session)
}
