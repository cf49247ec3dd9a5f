package sip_test

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
)

// The flows of RFC 3261 (sections 4, 9, 13 and 15; the drawings of RFC 3665
// sections 3.1, 3.7 and 3.8) with the switch in the middle, and bare sockets on
// both sides: what is sent and checked here is text, not another library's view
// of it.

const phonesAt, ostrelAt, penhallowAt = "127.0.20.1:5060", "127.0.30.1:5060", "127.0.31.1:5060"

const offer = "v=0\no=- 1 1 IN IP4 127.1.20.1\ns=-\nc=IN IP4 127.1.20.1\nt=0 0\nm=audio 40000 RTP/AVP 8\n"
const answer = "v=0\no=- 2 2 IN IP4 127.1.30.1\ns=-\nc=IN IP4 127.1.30.1\nt=0 0\nm=audio 41000 RTP/AVP 8\n"

// request writes a request of the phones' side.
func request(method, user, callID, toTag, branch, body string, more ...string) string {
	to := "<sip:" + user + "@127.1.10.1>"
	if toTag != "" {
		to += ";tag=" + toTag
	}
	lines := []string{
		method + " sip:" + user + "@127.1.10.1:5060 SIP/2.0",
		"Via: SIP/2.0/UDP 127.1.20.1:5060;branch=z9hG4bK" + branch + ";rport",
		"Max-Forwards: 70",
		"From: <sip:2001@127.1.20.1>;tag=caller",
		"To: " + to,
		"Call-ID: " + callID,
		"CSeq: 1 " + method,
		"Contact: <sip:2001@127.1.20.1:5060>",
	}
	if body != "" {
		lines = append(lines, "Content-Type: application/sdp")
	}
	lines = append(lines, more...)
	lines = append(lines, fmt.Sprintf("Content-Length: %d", len(livetest.Wire(body))), "", body)
	return strings.Join(lines, "\n")
}

type flow struct {
	*livetest.Bench
	phones, ostrel, penhallow *livetest.Peer
}

func start(t *testing.T, change func(p *plan.Plan)) flow {
	return startWith(t, livetest.Setup{Change: change})
}

// startWith runs a bench whose far ends a test plays. The sound goes past the
// switch, so that descriptions are compared as they were sent; sound_test.go has
// calls whose sound goes through it.
func startWith(t *testing.T, setup livetest.Setup) flow {
	change := setup.Change
	setup.Change = func(p *plan.Plan) {
		for i := range p.Trunks {
			p.Trunks[i].Media.Path, p.Trunks[i].Media.Encryption = plan.MediaDirect, ""
		}
		if change != nil {
			change(p)
		}
	}
	setup.Without = []string{"quay-phones", "ostrel", "penhallow", "harbourbox"}
	b := livetest.Start(t, setup)
	return flow{b, livetest.NewPeer(t, phonesAt), livetest.NewPeer(t, ostrelAt), livetest.NewPeer(t, penhallowAt)}
}

func tagOf(header string) string {
	_, tag, _ := strings.Cut(header, ";tag=")
	tag, _, _ = strings.Cut(tag, ";")
	return tag
}

const sdpType = "Content-Type: application/sdp\nContact: <sip:127.1.30.1:5060>\n\n"

// answered takes a call to the point where both sides have acknowledged.
func (f flow) answered(t *testing.T, callID string) (toCarrier, ok livetest.Received) {
	f.phones.Send(request("INVITE", "901914980850", callID, "", callID, offer))
	toCarrier = f.ostrel.Expect("INVITE")
	f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", "Contact: <sip:127.1.30.1:5060>"))
	f.phones.Expect("SIP/2.0 180")
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	ok = f.phones.Expect("SIP/2.0 200")
	f.ostrel.Expect("ACK")
	f.phones.Send(request("ACK", "901914980850", callID, tagOf(ok.Header("To")), callID+"ack", ""))
	return toCarrier, ok
}

func TestAnsweredCallAndCallerHangsUp(t *testing.T) {
	f := start(t, nil)
	toCarrier, ok := f.answered(t, "c1")

	assert.True(t, strings.HasPrefix(toCarrier.StartLine, "INVITE sip:+441914980850@127.1.30.1:5060 SIP/2.0"), toCarrier.StartLine)
	assert.Contains(t, toCarrier.Header("From"), "<sip:+441914980101@127.1.10.1:5060>;tag=")
	assert.Equal(t, "69", toCarrier.Header("Max-Forwards"))
	assert.NotEqual(t, "c1", toCarrier.CallID, "the second leg is a call of its own")
	assert.Equal(t, livetest.Wire(offer), toCarrier.Body(), "the description passes through")
	assert.Equal(t, livetest.Wire(answer), ok.Body())

	f.phones.Send(request("BYE", "901914980850", "c1", tagOf(ok.Header("To")), "c1bye", "", `Reason: Q.850;cause=16`))
	f.phones.Expect("SIP/2.0 200")
	bye := f.ostrel.Expect("BYE")
	assert.Equal(t, "Q.850;cause=16", bye.Header("Reason"))
	assert.Equal(t, tagOf(toCarrier.Header("From")), tagOf(bye.Header("From")))
	f.ostrel.Send(bye.Reply("200 OK", "", ""))

	c := f.WaitEnd(t, "c1")
	assert.Equal(t, "the caller hung up", c.Release)
	assert.False(t, c.Answered.IsZero())
	assert.Len(t, c.Legs, 2)
	assert.Equal(t, 0, f.Trunks.State("ostrel").InUse)
	assert.Equal(t, 0, f.Trunks.State("quay-phones").InUse)
}

func TestCalledPartyHangsUp(t *testing.T) {
	f := start(t, nil)
	toCarrier, ok := f.answered(t, "c2")
	f.ostrel.Send(strings.Join([]string{
		"BYE sip:127.1.10.1:5060 SIP/2.0", "Via: SIP/2.0/UDP 127.1.30.1:5060;branch=z9hG4bKend;rport", "Max-Forwards: 70",
		"From: " + toCarrier.Header("To") + ";tag=callee", "To: " + toCarrier.Header("From"),
		"Call-ID: " + toCarrier.CallID, "CSeq: 1 BYE", "Content-Length: 0", "", "",
	}, "\n"))
	f.ostrel.Expect("SIP/2.0 200")
	bye := f.phones.Expect("BYE")
	assert.Equal(t, "c2", bye.CallID)
	assert.Equal(t, tagOf(ok.Header("To")), tagOf(bye.Header("From")))
	assert.Equal(t, "caller", tagOf(bye.Header("To")))
	assert.True(t, strings.HasPrefix(bye.StartLine, "BYE sip:2001@127.1.20.1:5060"), "to the Contact of the INVITE")
	f.phones.Send(bye.Reply("200 OK", "", ""))
	assert.Equal(t, "the called party hung up", f.WaitEnd(t, "c2").Release)
}

// RFC 3261 section 9; RFC 3665 section 3.8.
func TestCallerCancels(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "c3", "", "c3", offer))
	toCarrier := f.ostrel.Expect("INVITE")
	f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", ""))
	ringing := f.phones.Expect("SIP/2.0 180")
	f.phones.Send(request("CANCEL", "901914980850", "c3", "", "c3", ""))
	f.phones.Expect("SIP/2.0 200")
	gone := f.phones.Expect("SIP/2.0 487")
	assert.Equal(t, tagOf(ringing.Header("To")), tagOf(gone.Header("To")), "one tag for one dialog (RFC 3261 section 8.2.6.2)")

	cancel := f.ostrel.Expect("CANCEL")
	assert.Equal(t, toCarrier.Branch, cancel.Branch, "CANCEL carries the branch of its INVITE")
	f.ostrel.Send(cancel.Reply("200 OK", "callee", ""))
	f.ostrel.Send(toCarrier.Reply("487 Request Terminated", "callee", ""))
	ack := f.ostrel.Expect("ACK")
	assert.Equal(t, toCarrier.Branch, ack.Branch, "so does the ACK of a failure")

	c := f.WaitEnd(t, "c3")
	assert.Equal(t, trail.Abandoned, decide.Summarize(c.Trail).Outcome)
	assert.Len(t, trail.Attempts(c.Trail), 1, "nobody is tried for a caller who left")
}

func TestAnswerThatCrossesTheCancelIsHungUp(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "c4", "", "c4", offer))
	toCarrier := f.ostrel.Expect("INVITE")
	f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", ""))
	f.phones.Expect("SIP/2.0 180")
	f.phones.Send(request("CANCEL", "901914980850", "c4", "", "c4", ""))
	cancel := f.ostrel.Expect("CANCEL")
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	f.ostrel.Expect("ACK")
	bye := f.ostrel.Expect("BYE")
	f.ostrel.Send(bye.Reply("200 OK", "", ""))
	f.ostrel.Send(cancel.Reply("481 Call/Transaction Does Not Exist", "callee", ""))
}

func TestSilenceLeadsToTheNextAndALateAnswerIsHungUp(t *testing.T) {
	f := start(t, shortTimers)
	f.phones.Send(request("INVITE", "901914980850", "c5", "", "c5", offer))
	first := f.ostrel.Expect("INVITE")
	second := f.penhallow.Expect("INVITE sip:01914980850@")
	f.penhallow.Send(second.Reply("180 Ringing", "callee", ""))
	f.phones.Expect("SIP/2.0 180")

	// The model: a late answer on an abandoned leg gets its ACK and BYE.
	f.ostrel.Send(first.Reply("200 OK", "late", sdpType+answer))
	f.ostrel.Expect("ACK")
	bye := f.ostrel.Expect("BYE")
	assert.Equal(t, first.CallID, bye.CallID)
	f.ostrel.Send(bye.Reply("200 OK", "", ""))

	f.penhallow.Send(second.Reply("486 Busy Here", "callee", `Reason: Q.850;cause=17`))
	f.penhallow.Expect("ACK")
	busy := f.phones.Expect("SIP/2.0 486")
	assert.Equal(t, `Q.850;cause=17;text="User busy"`, busy.Header("Reason"))
	f.phones.Send(request("ACK", "901914980850", "c5", tagOf(busy.Header("To")), "c5", ""))
	c := f.WaitEnd(t, "c5")
	attempts := trail.Attempts(c.Trail)
	assert.Equal(t, []string{"no-response", "User busy"}, []string{attempts[0].Reason, attempts[1].Reason})
}

func TestLateRingingOnAnAbandonedLegIsCancelled(t *testing.T) {
	f := start(t, shortTimers)
	f.phones.Send(request("INVITE", "901914980850", "c6", "", "c6", offer))
	first := f.ostrel.Expect("INVITE")
	second := f.penhallow.Expect("INVITE")
	f.ostrel.Send(first.Reply("180 Ringing", "late", ""))
	cancel := f.ostrel.Expect("CANCEL")
	f.ostrel.Send(cancel.Reply("200 OK", "late", ""))
	f.ostrel.Send(first.Reply("487 Request Terminated", "late", ""))
	f.ostrel.Expect("ACK")
	f.penhallow.Send(second.Reply("404 Not Found", "callee", ""))
	f.phones.Expect("SIP/2.0 404")
}

// RFC 3261 section 13.3.1.4: the 2xx is sent again until it is acknowledged.
func TestAnswerIsRepeatedUntilItIsAcknowledged(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "c7", "", "c7", offer))
	toCarrier := f.ostrel.Expect("INVITE")
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	first := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, first.Text, f.phones.Read().Text)
	// A 2xx that the carrier repeats is acknowledged again.
	ack := f.ostrel.Expect("ACK")
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	assert.Equal(t, ack.Text, f.ostrel.Read().Text)
	f.phones.Send(request("ACK", "901914980850", "c7", tagOf(first.Header("To")), "c7ack", ""))
	f.Wait(t, "c7", func(c record.Call) bool { return !c.Answered.IsZero() })
}

// RFC 3261 section 13.2.1: without an offer in the INVITE, the answer to the
// 2xx's offer is in the ACK.
func TestOfferInTheAnswerPassesThrough(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "c8", "", "c8", ""))
	toCarrier := f.ostrel.Expect("INVITE")
	assert.Empty(t, toCarrier.Body())
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+answer))
	ok := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, livetest.Wire(answer), ok.Body())
	f.phones.Send(request("ACK", "901914980850", "c8", tagOf(ok.Header("To")), "c8ack", offer))
	assert.Equal(t, livetest.Wire(offer), f.ostrel.Expect("ACK").Body())
}

// noOperator refuses wrong numbers, which the demo's operator takes.
func noOperator(p *plan.Plan) {
	for i := range p.Tables {
		p.Tables[i].Rules = slices.DeleteFunc(p.Tables[i].Rules, func(r plan.Rule) bool { return r.CatchAll })
	}
}

func TestRefusalsAtTheDoor(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		noOperator(p)
		p.Trunks[0].Channels = 1
	})
	for _, c := range []struct{ id, user, hops, want, reason string }{
		{"d1", "5555", "70", "SIP/2.0 404", "Q.850;cause=1;"},
		{"d2", "90191", "70", "SIP/2.0 484", "Q.850;cause=28;"},
		{"d3", "12ab!", "70", "SIP/2.0 484", "Q.850;cause=28;"},
		{"d4", "901914980850", "0", "SIP/2.0 483", "Q.850;cause=25;"},
	} {
		f.phones.Send(strings.Replace(request("INVITE", c.user, c.id, "", c.id, offer), "Max-Forwards: 70", "Max-Forwards: "+c.hops, 1))
		refused := f.phones.Expect(c.want)
		assert.True(t, strings.HasPrefix(refused.Header("Reason"), c.reason), refused.Text)
		f.phones.Send(request("ACK", c.user, c.id, tagOf(refused.Header("To")), c.id, ""))
	}
	assert.True(t, f.ostrel.Silent(200*time.Millisecond), "nothing was sent on")

	f.answered(t, "d5")
	f.phones.Send(request("INVITE", "901914980851", "d6", "", "d6", offer))
	full := f.phones.Expect("SIP/2.0 503")
	assert.True(t, strings.HasPrefix(full.Header("Reason"), "Q.850;cause=34;"))
}

func TestAFullTrunkIsPassedOver(t *testing.T) {
	f := start(t, func(p *plan.Plan) { p.Trunks[1].Channels = 1 })
	f.answered(t, "e1")
	f.phones.Send(request("INVITE", "901914980851", "e2", "", "e2", offer))
	f.penhallow.Expect("INVITE")
	c := f.Wait(t, "e2", func(c record.Call) bool { return len(c.Legs) == 2 })
	assert.Equal(t, "full", trail.Attempts(c.Trail)[0].Reason)
}

func TestUnknownSourceGetsNothing(t *testing.T) {
	f := start(t, nil)
	stranger := livetest.NewPeer(t, "127.0.99.1:5060")
	for _, method := range []string{"INVITE", "OPTIONS", "REGISTER"} {
		stranger.Send(request(method, "901914980850", "x"+method, "", "x"+method, ""))
	}
	assert.True(t, stranger.Silent(700*time.Millisecond))
	assert.True(t, f.ostrel.Silent(10*time.Millisecond))
	assert.EqualValues(t, 3, f.Agent.Unknown())
	require.Eventually(t, func() bool { return len(f.Messages()) == 3 }, 5*time.Second, 10*time.Millisecond, "what they sent is recorded all the same")
	assert.Empty(t, f.Calls())
}

func TestBrokenMessagesDoNoHarm(t *testing.T) {
	f := start(t, nil)
	whole := request("INVITE", "901914980850", "h1", "", "h1", offer)
	for _, broken := range []string{
		whole[:len(whole)/2], whole[:20], "", "\r\n\r\n", "\x00\xff\xfe", "INVITE",
		strings.Replace(whole, "Call-ID: h1\n", "", 1),
		strings.Replace(whole, "From: ", "Form: ", 1),
		strings.Replace(whole, "CSeq: 1 INVITE", "CSeq: one INVITE", 1),
		strings.Repeat("A", 8000),
	} {
		f.phones.Send(broken)
	}
	f.phones.Send(request("OPTIONS", "", "h2", "", "h2", ""))
	for { // what a broken message gets is not ours to say here; the next must work
		if m := f.phones.Read(); m.CallID == "h2" {
			assert.Equal(t, 200, m.Status)
			break
		}
	}
	f.phones.Send(request("INVITE", "901914980850", "h3", "", "h3", offer))
	for f.ostrel.Expect("INVITE").Header("To") == "" {
	}
	f.Wait(t, "h3", func(c record.Call) bool { return len(c.Legs) == 2 })
}

func TestMessagesOutsideACallAreAnswered(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("OPTIONS", "", "o1", "", "o1", ""))
	assert.Contains(t, f.phones.Expect("SIP/2.0 200").Header("Allow"), "INVITE")
	f.phones.Send(request("BYE", "9", "o2", "nobody", "o2", ""))
	f.phones.Expect("SIP/2.0 481")
	f.phones.Send(request("CANCEL", "9", "o3", "", "o3", ""))
	f.phones.Expect("SIP/2.0 481")
	f.phones.Send(request("SUBSCRIBE", "9", "o4", "", "o4", ""))
	assert.Equal(t, "dialog", f.phones.Expect("SIP/2.0 489").Header("Allow-Events"))
	f.phones.Send(request("PUBLISH", "9", "o5", "", "o5", ""))
	f.phones.Expect("SIP/2.0 405")
}

// Messages are recorded in the order of the socket: what the switch answers
// never stands before what it answers.
func TestRecordedOrderIsTheOrderOfTheWire(t *testing.T) {
	f := start(t, nil)
	f.answered(t, "w1")
	var told []string
	require.Eventually(t, func() bool {
		told = told[:0]
		for _, m := range f.Messages() {
			arrow := "<-"
			if m.Out {
				arrow = "->"
			}
			line, _, _ := strings.Cut(string(m.Bytes), "\r\n")
			words := strings.Fields(line)
			told = append(told, arrow+" "+words[0]+" "+words[1])
		}
		return len(told) == 9
	}, 5*time.Second, 10*time.Millisecond)
	assert.Equal(t, "<- INVITE sip:901914980850@127.1.10.1:5060", told[0])
	assert.Equal(t, "-> SIP/2.0 100", told[1])
	assert.Equal(t, "-> INVITE sip:+441914980850@127.1.30.1:5060", told[2])
	assert.Equal(t, []string{"<- SIP/2.0 180", "-> SIP/2.0 180", "<- SIP/2.0 200"}, told[3:6])
	for i, m := range f.Messages() {
		assert.EqualValues(t, i+1, m.Seq)
	}
}

func TestGoLiveTakesEffectBetweenTwoCalls(t *testing.T) {
	f := start(t, nil)
	_, ok := f.answered(t, "g1")
	p := livetest.Plan(t, func(p *plan.Plan) { p.Paths[0].Choices = p.Paths[0].Choices[1:] })
	f.GoLive(t, p)
	f.phones.Send(request("INVITE", "901914980850", "g2", "", "g2", offer))
	f.penhallow.Expect("INVITE")
	f.phones.Send(request("BYE", "901914980850", "g1", tagOf(ok.Header("To")), "g1bye", ""))
	bye := f.ostrel.Expect("BYE")
	f.ostrel.Send(bye.Reply("200 OK", "", ""))
	assert.Equal(t, "the caller hung up", f.WaitEnd(t, "g1").Release)
}

func TestStoppingEndsCalls(t *testing.T) {
	f := start(t, nil)
	f.answered(t, "s1")
	stopped := make(chan struct{})
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		f.Stop(ctx)
		close(stopped)
	}()
	byeToPhones := f.phones.Expect("BYE")
	byeToCarrier := f.ostrel.Expect("BYE")
	f.phones.Send(byeToPhones.Reply("200 OK", "", ""))
	f.ostrel.Send(byeToCarrier.Reply("200 OK", "", ""))
	<-stopped
	assert.Equal(t, "the switch stopped", f.WaitEnd(t, "s1").Release)
}

func TestWatchFindsAFarEndDownAndUpAgain(t *testing.T) {
	b := livetest.Start(t, livetest.Setup{Change: func(p *plan.Plan) { p.Trunks[1].Link.SIP.OptionsIntervalSeconds = 1 }})
	answers := func() bool { return b.Trunks.State("ostrel").Watch.Answers }
	require.Eventually(t, answers, 10*time.Second, 20*time.Millisecond)
	b.StandIns.Find("ostrel").Stop()
	require.Eventually(t, func() bool { _, down := b.Trunks.Down("ostrel"); return down }, 30*time.Second, 20*time.Millisecond)
	require.NoError(t, b.StandIns.Find("ostrel").Start())
	require.Eventually(t, answers, 30*time.Second, 20*time.Millisecond)
	_, down := b.Trunks.Down("ostrel")
	assert.False(t, down)
}
