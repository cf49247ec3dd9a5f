package sip_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/livetest"
)

const held = "v=0\no=- 1 2 IN IP4 127.1.20.1\ns=-\nc=IN IP4 127.1.20.1\nt=0 0\nm=audio 40000 RTP/AVP 8\na=sendonly\n"
const holding = "v=0\no=- 2 3 IN IP4 127.1.30.1\ns=-\nc=IN IP4 127.1.30.1\nt=0 0\nm=audio 41000 RTP/AVP 8\na=recvonly\n"

// inDialog writes a request of the phones' side within a call that was answered.
func inDialog(method, callID, toTag, branch, body string, cseq string) string {
	return strings.Replace(request(method, "901914980850", callID, toTag, branch, body), "CSeq: 1 ", "CSeq: "+cseq+" ", 1)
}

// RFC 3261 section 14 and the hold of RFC 3264 section 8.4, from the caller's
// side: each dialog keeps its own numbers.
func TestTheCallerHolds(t *testing.T) {
	f := start(t, nil)
	toCarrier, ok := f.answered(t, "h1")
	tag := tagOf(ok.Header("To"))
	f.phones.Send(inDialog("INVITE", "h1", tag, "h1b", held, "2"))
	re := f.ostrel.Expect("INVITE")
	assert.Equal(t, toCarrier.CallID, re.CallID)
	assert.Equal(t, livetest.Wire(held), re.Body())
	assert.Equal(t, "2 INVITE", re.Header("CSeq"))
	assert.Contains(t, re.Header("To"), "tag=callee")
	f.ostrel.Send(re.Reply("200 OK", "callee", sdpType+holding))
	answer := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, livetest.Wire(holding), answer.Body())
	assert.Equal(t, "2 INVITE", answer.Header("CSeq"))
	assert.Equal(t, tag, tagOf(answer.Header("To")))
	f.ostrel.Expect("ACK")
	f.phones.Send(inDialog("ACK", "h1", tag, "h1c", "", "2"))
	assert.True(t, f.Wait(t, "h1", func(c record.Call) bool { return true }).Running())

	f.phones.Send(inDialog("BYE", "h1", tag, "h1d", "", "3"))
	f.phones.Expect("SIP/2.0 200")
	bye := f.ostrel.Expect("BYE")
	assert.Equal(t, "3 BYE", bye.Header("CSeq"))
}

// From the called side, and refused by the caller: the session goes on as it was.
func TestTheCalledPartysNewOfferIsRefused(t *testing.T) {
	f := start(t, nil)
	toCarrier, _ := f.answered(t, "h2")
	f.ostrel.Send(fromCarrier("INVITE", toCarrier, "1", holding))
	re := f.phones.Expect("INVITE")
	assert.Equal(t, "h2", re.CallID)
	assert.Equal(t, livetest.Wire(holding), re.Body())
	f.phones.Send(re.Reply("488 Not Acceptable Here", "", `Warning: 304 127.1.20.1 "no such codec"`))
	refused := f.ostrel.Expect("SIP/2.0 488")
	assert.Contains(t, refused.Header("Warning"), "304")
	f.phones.Expect("ACK")
	f.ostrel.Send(strings.Replace(fromCarrier("ACK", toCarrier, "1", ""), "branch=z9hG4bKcarrierACK1", "branch=z9hG4bKcarrierINVITE1", 1))
	assert.True(t, f.Wait(t, "h2", func(c record.Call) bool { return true }).Running())
}

// fromCarrier writes a request of the carrier's side within a call.
func fromCarrier(method string, toCarrier livetest.Received, cseq, body string) string {
	lines := []string{
		method + " sip:127.1.10.1:5060 SIP/2.0",
		"Via: SIP/2.0/UDP 127.1.30.1:5060;branch=z9hG4bKcarrier" + method + cseq,
		"Max-Forwards: 70",
		"From: " + toCarrier.Header("To") + ";tag=callee",
		"To: " + toCarrier.Header("From"),
		"Call-ID: " + toCarrier.CallID,
		"CSeq: " + cseq + " " + method,
		"Contact: <sip:127.1.30.1:5060>",
	}
	if body != "" {
		lines = append(lines, "Content-Type: application/sdp")
	}
	return strings.Join(append(lines, "", body), "\n")
}

// Section 14.2: while one side's offer is open the other's is told to wait.
func TestTwoOffersAtOnce(t *testing.T) {
	f := start(t, nil)
	toCarrier, ok := f.answered(t, "h3")
	f.phones.Send(inDialog("INVITE", "h3", tagOf(ok.Header("To")), "h3b", held, "2"))
	re := f.ostrel.Expect("INVITE")
	f.ostrel.Send(fromCarrier("INVITE", toCarrier, "1", holding))
	f.ostrel.Expect("SIP/2.0 491")
	f.ostrel.Send(re.Reply("200 OK", "callee", sdpType+holding))
	f.phones.Expect("SIP/2.0 200")
}

// Without an offer in the request the answer travels in the ACK.
func TestALateOfferWithinACall(t *testing.T) {
	f := start(t, nil)
	_, ok := f.answered(t, "h4")
	tag := tagOf(ok.Header("To"))
	f.phones.Send(inDialog("INVITE", "h4", tag, "h4b", "", "2"))
	re := f.ostrel.Expect("INVITE")
	assert.Empty(t, re.Body())
	f.ostrel.Send(re.Reply("200 OK", "callee", sdpType+holding))
	f.phones.Expect("SIP/2.0 200")
	assert.True(t, f.ostrel.Silent(100*time.Millisecond), "the ACK waits for the answer in it")
	f.phones.Send(inDialog("ACK", "h4", tag, "h4c", held, "2"))
	assert.Equal(t, livetest.Wire(held), f.ostrel.Expect("ACK").Body())
}

// RFC 3311 and RFC 6086: UPDATE and INFO pass with their bodies and answers.
func TestUpdateAndInfoPass(t *testing.T) {
	f := start(t, nil)
	_, ok := f.answered(t, "h5")
	tag := tagOf(ok.Header("To"))
	f.phones.Send(inDialog("UPDATE", "h5", tag, "h5b", held, "2"))
	update := f.ostrel.Expect("UPDATE")
	f.ostrel.Send(update.Reply("200 OK", "callee", sdpType+holding))
	assert.Equal(t, livetest.Wire(holding), f.phones.Expect("SIP/2.0 200").Body())

	digit := "Signal=5\nDuration=160\n"
	f.phones.Send(strings.Replace(inDialog("INFO", "h5", tag, "h5c", digit, "3"), "application/sdp", "application/dtmf-relay", 1))
	info := f.ostrel.Expect("INFO")
	assert.Equal(t, "application/dtmf-relay", info.Header("Content-Type"))
	assert.Equal(t, livetest.Wire(digit), info.Body())
	f.ostrel.Send(info.Reply("200 OK", "callee", ""))
	f.phones.Expect("SIP/2.0 200")
	f.phones.Send(inDialog("UPDATE", "nobody", "x", "h5d", held, "4"))
	f.phones.Expect("SIP/2.0 481")
}

// The call ends while an offer is open: the offer is told so, both sides end.
func TestAHangUpDuringAnOffer(t *testing.T) {
	f := start(t, nil)
	toCarrier, ok := f.answered(t, "h6")
	f.phones.Send(inDialog("INVITE", "h6", tagOf(ok.Header("To")), "h6b", held, "2"))
	f.ostrel.Expect("INVITE")
	f.ostrel.Send(fromCarrier("BYE", toCarrier, "1", ""))
	f.ostrel.Expect("SIP/2.0 200")
	f.phones.Expect("SIP/2.0 487")
	f.phones.Expect("BYE")
	assert.Equal(t, "the called party hung up", f.WaitEnd(t, "h6").Release)
}

// RFC 3261 sections 8.2.2.1 and 8.2.2.3.
func TestWhatIsNotSupportedIsNamed(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "h7", "", "h7", offer, "Require: 100rel, nothingSupportsThis"))
	assert.Equal(t, "nothingSupportsThis", f.phones.Expect("SIP/2.0 420").Header("Unsupported"))
	f.phones.Send(strings.Replace(request("OPTIONS", "", "h8", "", "h8", ""), "OPTIONS sip:@127.1.10.1:5060", "OPTIONS tel:+441914980850", 1))
	f.phones.Expect("SIP/2.0 416")
}
