package sip_test

import (
	"fmt"
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

// What a far end may do with calls beside calling: the flows of RFC 5589 (transfer),
// RFC 3891 (taking over), RFC 5806 and RFC 7044 (diversion) and RFC 3842 (messages that
// wait), on bare sockets.

const boxAt = "127.0.23.1:5060"

type services struct {
	flow
	box *livetest.Peer
}

func startServices(t *testing.T, change func(p *plan.Plan)) services {
	f := start(t, change)
	return services{f, livetest.NewPeer(t, boxAt)}
}

func trunkOf(p *plan.Plan, id string) *plan.Trunk {
	for i := range p.Trunks {
		if p.Trunks[i].ID == id {
			return &p.Trunks[i]
		}
	}
	return nil
}

// message writes a message of any side.
func message(method, to, callID, host, fromTag, toTag string, cseq int, body string, more ...string) string {
	end := func(tag string) string {
		if tag == "" {
			return ""
		}
		return ";tag=" + tag
	}
	lines := []string{
		method + " sip:" + to + "@127.1.10.1:5060 SIP/2.0",
		fmt.Sprintf("Via: SIP/2.0/UDP %s:5060;branch=z9hG4bK%s%s%d;rport", host, strings.Map(plain, callID), method, cseq),
		"Max-Forwards: 70",
		"From: <sip:+441914980999@" + host + ">" + end(fromTag),
		"To: <sip:" + to + "@127.1.10.1>" + end(toTag),
		"Call-ID: " + callID,
		fmt.Sprintf("CSeq: %d %s", cseq, method),
		"Contact: <sip:" + host + ":5060>",
	}
	lines = append(lines, more...)
	if body != "" && !strings.Contains(strings.Join(more, ""), "Content-Type") {
		lines = append(lines, "Content-Type: application/sdp")
	}
	return strings.Join(append(lines, fmt.Sprintf("Content-Length: %d", len(livetest.Wire(body))), "", body), "\n")
}

func plain(r rune) rune {
	if r == '@' || r == '.' {
		return 'x'
	}
	return r
}

// toPhones answers a call of the carrier at 2001.
func (f services) toPhones(t *testing.T, callID string) (atPhones, atCarrier livetest.Received) {
	f.ostrel.Send(message("INVITE", "+441914980101", callID, "127.1.30.1", "out", "", 1, answer))
	atPhones = f.phones.Expect("INVITE sip:2001@")
	f.phones.Send(atPhones.Reply("200 OK", "desk", phonesType+offer))
	atCarrier = f.ostrel.Expect("SIP/2.0 200")
	f.phones.Expect("ACK")
	f.ostrel.Send(message("ACK", "+441914980101", callID, "127.1.30.1", "out", tagOf(atCarrier.Header("To")), 1, ""))
	f.Wait(t, callID, func(c record.Call) bool { return !c.Answered.IsZero() })
	return atPhones, atCarrier
}

const phonesType = "Content-Type: application/sdp\nContact: <sip:2001@127.1.20.1:5060>\n\n"

const boxType = "Content-Type: application/sdp\nContact: <sip:127.1.23.1:5060>\n\n"

// within writes a request of who was called within the call that an INVITE began.
func within(method string, invite livetest.Received, host, tag string, cseq int, body string, more ...string) string {
	lines := []string{
		method + " sip:127.1.10.1:5060 SIP/2.0",
		fmt.Sprintf("Via: SIP/2.0/UDP %s:5060;branch=z9hG4bK%s%s%d", host, strings.Map(plain, invite.CallID), method, cseq),
		"Max-Forwards: 70", "From: " + invite.Header("To") + ";tag=" + tag, "To: " + invite.Header("From"),
		"Call-ID: " + invite.CallID, fmt.Sprintf("CSeq: %d %s", cseq, method), "Contact: <sip:" + host + ":5060>",
	}
	return strings.Join(append(append(lines, more...), fmt.Sprintf("Content-Length: %d", len(livetest.Wire(body))), "", body), "\n")
}

// fragment takes a NOTIFY of a transfer: its state and the status line in it (RFC 3420).
func fragment(p *livetest.Peer, tag string) (state, status string) {
	notice := p.Expect("NOTIFY")
	p.Send(notice.Reply("200 OK", tag, ""))
	return notice.Header("Subscription-State"), strings.TrimSpace(notice.Body())
}

// RFC 5806 and RFC 7044: a phone system answers 302; voicemail learns who was called
// and why it did not answer, and the caller notices nothing.
func TestADivertedCallReachesTheMailbox(t *testing.T) {
	f := startServices(t, nil)
	f.ostrel.Send(message("INVITE", "+441914980101", "d1", "127.1.30.1", "out", "", 1, answer))
	atPhones := f.phones.Expect("INVITE sip:2001@")
	assert.Empty(t, atPhones.Header("Diversion"))
	f.phones.Send(atPhones.Reply("302 Moved Temporarily", "desk", "Contact: <sip:2999@127.1.10.1>\nDiversion: <sip:2001@127.1.20.1>;reason=no-answer"))
	f.phones.Expect("ACK")
	atBox := f.box.Expect("INVITE sip:2999@")
	assert.Equal(t, "<sip:2001@127.1.10.1:5060>;reason=no-answer;counter=1;privacy=off", atBox.Header("Diversion"))
	assert.Contains(t, atBox.Text, "History-Info: <sip:2001@127.1.10.1:5060>;index=1\r\n")
	assert.Contains(t, atBox.Text, "History-Info: <sip:2999@127.1.23.1:5060;cause=408>;index=1.1;mp=1\r\n")
	assert.Contains(t, atBox.Header("From"), "<sip:01914980999@", "in the form that voicemail takes callers in")
	f.box.Send(atBox.Reply("200 OK", "box", boxType+answer))
	ok := f.ostrel.Expect("SIP/2.0 200")
	f.box.Expect("ACK")
	f.ostrel.Send(message("ACK", "+441914980101", "d1", "127.1.30.1", "out", tagOf(ok.Header("To")), 1, ""))
	text := trail.Text(f.Wait(t, "d1", func(c record.Call) bool { return !c.Answered.IsZero() }).Trail)
	assert.Contains(t, text, "forwarded by quay-phones, from 2001 (private) to 2999 (as-dialled), no-answer\nquay: table sent-on")
	assert.Contains(t, text, "send via harbourbox, called 2999 (as-dialled), calling 01914980999 (national), redirecting number 2001 (private) (no-answer)")
}

// A phone system that diverts by calling itself says so in its INVITE; the table is
// that for calls it sends on, and the number goes on.
func TestADiversionThatComesWithTheCall(t *testing.T) {
	f := startServices(t, nil)
	diverted := []string{"Diversion: <sip:2002@127.1.20.1>;reason=user-busy", "History-Info: <sip:2002@127.1.20.1>;index=1"}
	f.phones.Send(request("INVITE", "2999", "d2", "", "d2", offer, diverted...))
	atBox := f.box.Expect("INVITE sip:2999@")
	assert.Contains(t, atBox.Header("Diversion"), "<sip:2002@127.1.10.1:5060>;reason=user-busy")
	f.box.Send(atBox.Reply("486 Busy Here", "box", ""))
	f.phones.Expect("SIP/2.0 486")

	// Not believed of a carrier: it may not divert.
	f.ostrel.Send(message("INVITE", "+441914980101", "d3", "127.1.30.1", "out", "", 1, answer, diverted...))
	atPhones := f.phones.Expect("INVITE sip:2001@")
	assert.Empty(t, atPhones.Header("Diversion"))
	f.phones.Send(atPhones.Reply("486 Busy Here", "desk", ""))
	f.ostrel.Expect("SIP/2.0 486")
	assert.Equal(t, 1, f.Wait(t, "d3", func(c record.Call) bool { return !c.Running() }).Trail[0].Received.Unbelieved)
}

func TestADiversionDoesNotJoinTwoOutsideParties(t *testing.T) {
	f := startServices(t, nil)
	moved := "Contact: <sip:901914980850@127.1.10.1>"
	f.ostrel.Send(message("INVITE", "+441914980101", "d4", "127.1.30.1", "out", "", 1, answer))
	atPhones := f.phones.Expect("INVITE sip:2001@")
	f.phones.Send(atPhones.Reply("302 Moved Temporarily", "desk", moved))
	f.phones.Expect("ACK")
	f.ostrel.Expect("SIP/2.0 403")
	c := f.Wait(t, "d4", func(c record.Call) bool { return !c.Running() })
	for _, a := range trail.Attempts(c.Trail)[1:] {
		assert.Equal(t, "outside", a.Reason)
	}

	// A call from the phones themselves may go there.
	f.phones.Send(request("INVITE", "2002", "d5", "", "d5", offer))
	atPhones = f.phones.Expect("INVITE sip:2002@")
	f.phones.Send(atPhones.Reply("302 Moved Temporarily", "desk", moved))
	f.phones.Expect("ACK")
	atCarrier := f.ostrel.Expect("INVITE sip:+441914980850@")
	f.ostrel.Send(atCarrier.Reply("486 Busy Here", "x", ""))
	f.phones.Expect("SIP/2.0 486")
}

func TestACallThatIsDivertedInACircleEnds(t *testing.T) {
	f := startServices(t, nil)
	f.phones.Send(request("INVITE", "2002", "d6", "", "d6", offer))
	for i := range decide.MaxDiversions + 1 {
		atPhones := f.phones.Expect("INVITE sip:200")
		f.phones.Send(atPhones.Reply("302 Moved Temporarily", fmt.Sprint("t", i), fmt.Sprintf("Contact: <sip:200%d@127.1.10.1>", 3-i%2)))
		f.phones.Expect("ACK")
	}
	f.phones.Expect("SIP/2.0 482")
}

// RFC 5589 section 6: an unattended transfer. The party that stays is given the new
// party's description, and who transferred is told and dismissed.
func TestATransfer(t *testing.T) {
	f := startServices(t, nil)
	atPhones, atCarrier := f.toPhones(t, "t1")
	assert.Contains(t, atPhones.Header("Allow"), "REFER")
	assert.NotContains(t, atCarrier.Header("Allow"), "REFER", "a carrier may not")
	f.phones.Send(within("REFER", atPhones, "127.1.20.1", "desk", 1, "", "Refer-To: <sip:2002@127.1.10.1>"))
	f.phones.Expect("SIP/2.0 202")
	told, second := f.phones.Expect2("NOTIFY", "INVITE sip:2002@") // in any order
	assert.Equal(t, "SIP/2.0 100 Trying", strings.TrimSpace(told.Body()))
	assert.Contains(t, told.Header("Subscription-State"), "active")
	f.phones.Send(told.Reply("200 OK", "desk", ""))
	assert.Equal(t, livetest.Wire(answer), second.Body(), "the description of the party that stays")
	assert.Contains(t, second.Header("From"), "01914980999", "and its number")
	f.phones.Send(second.Reply("200 OK", "other", "Content-Type: application/sdp\nContact: <sip:2002@127.1.20.1:5060>\n\n"+secondAnswer))
	told, _ = f.phones.Expect2("NOTIFY", "ACK")
	assert.Equal(t, "SIP/2.0 200 OK", strings.TrimSpace(told.Body()))
	assert.Equal(t, "terminated;reason=noresource", told.Header("Subscription-State"))
	f.phones.Send(told.Reply("200 OK", "desk", ""))
	re := f.ostrel.Expect("INVITE")
	assert.Equal(t, "t1", re.CallID)
	assert.Equal(t, livetest.Wire(secondAnswer), re.Body())
	f.ostrel.Send(re.Reply("200 OK", "out", sdpType+answer))
	f.ostrel.Expect("ACK")
	bye := f.phones.Expect("BYE")
	assert.Equal(t, atPhones.CallID, bye.CallID)
	f.phones.Send(bye.Reply("200 OK", "desk", ""))

	f.ostrel.Send(message("BYE", "+441914980101", "t1", "127.1.30.1", "out", tagOf(atCarrier.Header("To")), 2, ""))
	f.ostrel.Expect("SIP/2.0 200")
	bye = f.phones.Expect("BYE")
	assert.Equal(t, second.CallID, bye.CallID, "the party that it was transferred to")
	f.phones.Send(bye.Reply("200 OK", "other", ""))
	c := f.WaitEnd(t, "t1")
	assert.Contains(t, trail.Text(c.Trail), "transferred by quay-phones to 2002 (as-dialled)\nquay: table sent-on")
	assert.Len(t, c.Legs, 3)
	assert.Equal(t, trail.Answered, decide.Summarize(c.Trail).Outcome)
	for _, trunk := range []string{"quay-phones", "ostrel"} {
		assert.Zero(t, f.Trunks.State(trunk).InUse, trunk)
	}
}

const secondAnswer = "v=0\no=- 3 3 IN IP4 127.1.20.1\ns=-\nc=IN IP4 127.1.20.1\nt=0 0\nm=audio 42000 RTP/AVP 8\n"

// The caller may transfer too; the called party stays, and is who calls then.
func TestTheCallerTransfers(t *testing.T) {
	f := startServices(t, nil)
	toCarrier, ok := f.answered(t, "t2")
	f.phones.Send(strings.Replace(request("REFER", "901914980850", "t2", tagOf(ok.Header("To")), "t2refer", "", "Refer-To: sip:2002@127.1.10.1", "Refer-Sub: false"), "CSeq: 1", "CSeq: 2", 1))
	f.phones.Expect("SIP/2.0 202")
	second := f.phones.Expect("INVITE sip:2002@")
	assert.Contains(t, second.Header("From"), "01914980850", "in the phones' form, though it left in another")
	f.phones.Send(second.Reply("200 OK", "other", "Content-Type: application/sdp\nContact: <sip:2002@127.1.20.1:5060>\n\n"+secondAnswer))
	f.phones.Expect("ACK")
	bye := f.phones.Expect("BYE") // nobody is notified (RFC 4488)
	assert.Equal(t, "t2", bye.CallID)
	f.phones.Send(bye.Reply("200 OK", "", ""))
	re := f.ostrel.Expect("INVITE")
	assert.Equal(t, toCarrier.CallID, re.CallID)
	f.ostrel.Send(re.Reply("200 OK", "callee", sdpType+answer))
	f.ostrel.Expect("ACK")
	f.ostrel.Send(fromCarrier("BYE", toCarrier, "1", ""))
	f.ostrel.Expect("SIP/2.0 200")
	f.phones.Send(f.phones.Expect("BYE").Reply("200 OK", "other", ""))
	assert.Equal(t, "the called party hung up", f.WaitEnd(t, "t2").Release)
}

// A transfer that would make an outside-to-outside call is refused, and the call goes
// on as it was; so does one of a far end that may not, or that cannot be read.
func TestTransfersThatAreRefused(t *testing.T) {
	f := startServices(t, nil)
	atPhones, atCarrier := f.toPhones(t, "t3")
	refer := func(cseq int, more ...string) {
		f.phones.Send(within("REFER", atPhones, "127.1.20.1", "desk", cseq, "", more...))
	}
	refer(1, "Refer-To: <sip:901914980850@127.1.10.1>")
	f.phones.Expect("SIP/2.0 202")
	fragment(f.phones, "desk")
	state, status := fragment(f.phones, "desk")
	assert.Equal(t, "SIP/2.0 403 Forbidden", status)
	assert.Contains(t, state, "terminated")

	refer(2, "Refer-To: <sip:7777@127.1.10.1>")
	f.phones.Expect("SIP/2.0 202")
	notice := f.phones.Expect("NOTIFY")
	assert.Equal(t, "refer;id=2", notice.Header("Event"), "from the second on (RFC 3515 section 2.4.6)")
	f.phones.Send(notice.Reply("200 OK", "desk", ""))
	_, status = fragment(f.phones, "desk")
	assert.Equal(t, "SIP/2.0 404 Not Found", status)

	for i, bad := range [][]string{{}, {"Refer-To: <sip:a@h>", "Refer-To: <sip:b@h>"}, {"Refer-To: <sip:nobody at all@h>"}, {"Refer-To: <sip:2002@h?Replaces=x>"}} {
		refer(3+i, bad...)
		f.phones.Expect("SIP/2.0 400")
	}
	f.ostrel.Send(message("REFER", "+441914980101", "t3", "127.1.30.1", "out", tagOf(atCarrier.Header("To")), 2, "", "Refer-To: <sip:2002@127.1.10.1>"))
	assert.Contains(t, f.ostrel.Expect("SIP/2.0 403").Header("Warning"), "may not transfer")
	c := f.Wait(t, "t3", func(c record.Call) bool { return len(trail.Attempts(c.Trail)) > 1 })
	assert.True(t, c.Running())
	assert.Contains(t, trail.Text(c.Trail), "skip ostrel, outside: trunk-to-trunk is off for Quay phones: the remaining party and Ostrel are both outside")

	// Where the plan says so, it may.
	live := f.Plan.Current().Snapshot.Plan()
	trunks := append([]plan.Trunk{}, live.Trunks...)
	live.Trunks = trunks
	trunkOf(&live, "quay-phones").Services.TrunkToTrunk = true
	f.GoLive(t, live)
	atPhones, _ = f.toPhones(t, "t4")
	f.phones.Send(within("REFER", atPhones, "127.1.20.1", "desk", 1, "", "Refer-To: <sip:901914980850@127.1.10.1>", "Refer-Sub: false"))
	f.phones.Expect("SIP/2.0 202")
	f.ostrel.Expect("INVITE sip:+441914980850@")
}

// Who transferred may hang up at once; the transfer goes on. If it fails then, nobody
// is left to talk to.
func TestWhoTransfersMayLeaveAtOnce(t *testing.T) {
	f := startServices(t, nil)
	atPhones, _ := f.toPhones(t, "t5")
	f.phones.Send(within("REFER", atPhones, "127.1.20.1", "desk", 1, "", "Refer-To: <sip:2002@127.1.10.1>", "Refer-Sub: false"))
	f.phones.Expect("SIP/2.0 202")
	second := f.phones.Expect("INVITE sip:2002@")
	f.phones.Send(within("BYE", atPhones, "127.1.20.1", "desk", 2, ""))
	f.phones.Expect("SIP/2.0 200")
	f.phones.Send(second.Reply("486 Busy Here", "other", ""))
	f.phones.Expect("ACK")
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("200 OK", "", ""))
	assert.Contains(t, f.WaitEnd(t, "t5").Release, "transfer target did not answer")

	// And the party that stays may, too: nobody is called any more.
	atPhones, atCarrier := f.toPhones(t, "t6")
	f.phones.Send(within("REFER", atPhones, "127.1.20.1", "desk", 1, "", "Refer-To: <sip:2002@127.1.10.1>", "Refer-Sub: false"))
	f.phones.Expect("SIP/2.0 202")
	second = f.phones.Expect("INVITE sip:2002@")
	f.phones.Send(second.Reply("180 Ringing", "other", ""))
	f.ostrel.Send(message("BYE", "+441914980101", "t6", "127.1.30.1", "out", tagOf(atCarrier.Header("To")), 2, ""))
	f.ostrel.Expect("SIP/2.0 200")
	cancelled, ended := false, false
	for !cancelled || !ended {
		m := f.phones.Read()
		switch {
		case strings.HasPrefix(m.Text, "CANCEL"):
			cancelled = true
			f.phones.Send(m.Reply("200 OK", "other", ""))
			f.phones.Send(second.Reply("487 Request Terminated", "other", ""))
		case strings.HasPrefix(m.Text, "BYE"):
			ended = true
			f.phones.Send(m.Reply("200 OK", "desk", ""))
		}
	}
	f.WaitEnd(t, "t6")
}

// RFC 5589 section 7: 2001 has a caller and asks voicemail; its REFER names the second
// call, and the two become one.
func TestAnAttendedTransfer(t *testing.T) {
	f := startServices(t, nil)
	atPhones, atCarrier := f.toPhones(t, "a1")
	f.phones.Send(request("INVITE", "2999", "a2", "", "a2", offer))
	atBox := f.box.Expect("INVITE sip:2999@")
	f.box.Send(atBox.Reply("200 OK", "box", boxType+answer))
	ok := f.phones.Expect("SIP/2.0 200")
	f.box.Expect("ACK")
	f.phones.Send(request("ACK", "2999", "a2", tagOf(ok.Header("To")), "a2ack", ""))
	f.Wait(t, "a2", func(c record.Call) bool { return !c.Answered.IsZero() })

	replaces := "a2%3Bto-tag%3D" + tagOf(ok.Header("To")) + "%3Bfrom-tag%3Dcaller"
	f.phones.Send(within("REFER", atPhones, "127.1.20.1", "desk", 1, "", "Refer-To: <sip:2999@127.1.10.1?Replaces="+replaces+">", "Refer-Sub: false"))
	f.phones.Expect("SIP/2.0 202")
	re := f.box.Expect("INVITE")
	assert.Equal(t, atBox.CallID, re.CallID)
	assert.Equal(t, livetest.Wire(answer), re.Body(), "the carrier's description")
	f.box.Send(re.Reply("200 OK", "box", boxType+secondAnswer))
	f.box.Expect("ACK")
	re = f.ostrel.Expect("INVITE")
	assert.Equal(t, livetest.Wire(secondAnswer), re.Body())
	f.ostrel.Send(re.Reply("200 OK", "out", sdpType+answer))
	f.ostrel.Expect("ACK")
	ended := map[string]bool{}
	for len(ended) < 2 { // both of who transferred
		bye := f.phones.Expect("BYE")
		ended[bye.CallID] = true
		f.phones.Send(bye.Reply("200 OK", "", ""))
	}
	assert.True(t, ended["a2"] && ended[atPhones.CallID])
	assert.Equal(t, "connected with another call", f.WaitEnd(t, "a2").Release)
	f.ostrel.Send(message("BYE", "+441914980101", "a1", "127.1.30.1", "out", tagOf(atCarrier.Header("To")), 2, ""))
	f.ostrel.Expect("SIP/2.0 200")
	f.box.Send(f.box.Expect("BYE").Reply("200 OK", "box", ""))
	assert.Contains(t, trail.Text(f.WaitEnd(t, "a1").Trail), "joined by quay-phones with call ")
	for _, trunk := range []string{"quay-phones", "ostrel", "harbourbox"} {
		assert.Zero(t, f.Trunks.State(trunk).InUse, trunk)
	}
}

// Two calls to the outside are not joined, and both go on.
func TestAnAttendedTransferDoesNotJoinTwoOutsideParties(t *testing.T) {
	f := startServices(t, nil)
	atPhones, _ := f.toPhones(t, "a3")
	_, ok := f.answered(t, "a4")
	replaces := "a4%3Bto-tag%3D" + tagOf(ok.Header("To")) + "%3Bfrom-tag%3Dcaller"
	f.phones.Send(within("REFER", atPhones, "127.1.20.1", "desk", 1, "", "Refer-To: <sip:901914980850@127.1.10.1?Replaces="+replaces+">"))
	f.phones.Expect("SIP/2.0 202")
	fragment(f.phones, "desk")
	_, status := fragment(f.phones, "desk")
	assert.Equal(t, "SIP/2.0 403 Forbidden", status)
	for _, id := range []string{"a3", "a4"} {
		assert.True(t, f.Wait(t, id, func(record.Call) bool { return true }).Running(), id)
	}
}

// RFC 3891 section 3.
func TestACallIsTakenOver(t *testing.T) {
	f := startServices(t, nil)
	atPhones, _ := f.toPhones(t, "r1")
	take := func(callID, tags string, more ...string) {
		f.phones.Send(request("INVITE", "2001", callID, "", callID, secondAnswer, append(more, "Replaces: "+atPhones.CallID+";"+tags)...))
	}
	ours, theirs := tagOf(atPhones.Header("From")), "desk"
	take("r2", "to-tag="+theirs+";from-tag="+ours)
	f.phones.Expect("SIP/2.0 481") // the tags the wrong way round
	take("r3", "to-tag="+ours+";from-tag="+theirs+";early-only")
	f.phones.Expect("SIP/2.0 486")
	take("r4", "to-tag="+ours)
	f.phones.Expect("SIP/2.0 400")
	take("r5", "to-tag="+ours+";from-tag="+theirs, "Replaces: another;to-tag=1;from-tag=2")
	f.phones.Expect("SIP/2.0 400")
	// Another far end may not, however well it knows the names.
	f.box.Send(message("INVITE", "2001", "r6", "127.1.23.1", "x", "", 1, secondAnswer, "Replaces: "+atPhones.CallID+";to-tag="+ours+";from-tag="+theirs))
	f.box.Expect("SIP/2.0 403")

	take("r7", "to-tag="+ours+";from-tag="+theirs, "Require: replaces")
	re := f.ostrel.Expect("INVITE")
	assert.Equal(t, livetest.Wire(secondAnswer), re.Body())
	f.ostrel.Send(re.Reply("200 OK", "out", sdpType+answer))
	f.ostrel.Expect("ACK")
	got := map[string]livetest.Received{}
	for len(got) < 2 {
		m := f.phones.Read()
		switch {
		case strings.HasPrefix(m.Text, "SIP/2.0 200"):
			got["ok"] = m
			f.phones.Send(request("ACK", "2001", "r7", tagOf(m.Header("To")), "r7ack", ""))
		case strings.HasPrefix(m.Text, "BYE"):
			got["bye"] = m
			f.phones.Send(m.Reply("200 OK", "", ""))
		}
	}
	assert.Equal(t, livetest.Wire(answer), got["ok"].Body(), "the carrier's description")
	assert.Equal(t, atPhones.CallID, got["bye"].CallID, "the call in whose place it came")
	assert.Equal(t, 1, f.Trunks.State("quay-phones").InUse, "one call, one channel")
	f.phones.Send(strings.Replace(request("BYE", "2001", "r7", tagOf(got["ok"].Header("To")), "r7bye", ""), "CSeq: 1", "CSeq: 2", 1))
	f.phones.Expect("SIP/2.0 200")
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("200 OK", "out", ""))
	c := f.WaitEnd(t, "r1")
	assert.Contains(t, trail.Text(c.Trail), "taken-over by quay-phones with 2001")
	assert.Equal(t, "the replacing party hung up", c.Release)
	assert.Eventually(t, func() bool { return f.Trunks.State("quay-phones").InUse == 0 }, 10*time.Second, time.Millisecond)
}

// A call that rings is picked up at another phone of the same system: an early dialog
// that we began, which RFC 3891 section 3 has us cancel.
func TestARingingCallIsPickedUp(t *testing.T) {
	f := startServices(t, nil)
	f.ostrel.Send(message("INVITE", "+441914980101", "p1", "127.1.30.1", "out", "", 1, offer))
	rings := f.phones.Expect("INVITE")
	f.phones.Send(rings.Reply("180 Ringing", "desk", ""))
	f.ostrel.Expect("SIP/2.0 180")
	replaces := func(a, b string) string { return "Replaces: " + rings.CallID + ";to-tag=" + a + ";from-tag=" + b }
	ours := tagOf(rings.Header("From"))

	// What is no codec of the caller's: it rings on.
	f.phones.Send(request("INVITE", "2002", "p2", "", "p2", strings.Replace(offer, "RTP/AVP 8", "RTP/AVP 18", 1), replaces(ours, "desk")))
	f.phones.Expect("SIP/2.0 488")

	f.phones.Send(request("INVITE", "2002", "p3", "", "p3", secondAnswer, replaces(ours, "desk"), "Require: replaces"))
	// The answer to who picked up and the end of what rings come in either order.
	var ok, cancel, ack livetest.Received // ack is that of the 487
	for ok.Text == "" || cancel.Text == "" || ack.Text == "" {
		switch m := f.phones.Read(); {
		case strings.HasPrefix(m.Text, "SIP/2.0 200"):
			ok = m
			f.phones.Send(request("ACK", "2002", "p3", tagOf(m.Header("To")), "p3ack", ""))
		case strings.HasPrefix(m.Text, "CANCEL"):
			cancel = m
			f.phones.Send(m.Reply("200 OK", "desk", ""))
			f.phones.Send(rings.Reply("487 Request Terminated", "desk", ""))
		case strings.HasPrefix(m.Text, "ACK"):
			ack = m
		}
	}
	assert.Equal(t, rings.CallID, cancel.CallID)
	assert.Contains(t, cancel.Header("Reason"), "Call completed elsewhere")
	answered := f.ostrel.Expect("SIP/2.0 200")
	f.ostrel.Send(message("ACK", "+441914980101", "p1", "127.1.30.1", "out", tagOf(answered.Header("To")), 1, ""))
	assert.Equal(t, livetest.Wire(secondAnswer), answered.Body(), "the description of who picked up")
	assert.Equal(t, livetest.Wire(offer), ok.Body(), "the caller's, as its answer")
	assert.Equal(t, 1, f.Trunks.State("quay-phones").InUse, "one call, one channel")
	f.phones.Send(strings.Replace(request("BYE", "2002", "p3", tagOf(ok.Header("To")), "p3bye", ""), "CSeq: 1", "CSeq: 2", 1))
	f.phones.Expect("SIP/2.0 200")
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("200 OK", "", ""))
	c := f.WaitEnd(t, "p1")
	assert.Contains(t, trail.Text(c.Trail), "picked-up by quay-phones with 2001")
	assert.Equal(t, "the picking-up party hung up", c.Release)
	assert.Zero(t, f.Trunks.State("quay-phones").InUse)
}

// Without the plan's leave a Replaces is refused, and says so in the trail.
func TestTakingOverNeedsThePlansLeave(t *testing.T) {
	f := startServices(t, func(p *plan.Plan) { trunkOf(p, "quay-phones").Services.Replaces = false })
	f.phones.Send(request("INVITE", "2001", "r8", "", "r8", offer, "Replaces: x;to-tag=1;from-tag=2"))
	f.phones.Expect("SIP/2.0 403")
	assert.Contains(t, trail.Text(f.Wait(t, "r8", func(c record.Call) bool { return !c.Running() }).Trail), "may not take calls over")
}

// RFC 3842: the phone system that has the extension is told, and what it says is
// passed back.
func TestMessagesThatWait(t *testing.T) {
	f := startServices(t, nil)
	notify := func(p *livetest.Peer, to, callID, host, event, body string) {
		p.Send(message("NOTIFY", to, callID, host, "mwi", "", 1, body, "Event: "+event, "Content-Type: application/simple-message-summary"))
	}
	const waiting = "Messages-Waiting: yes\nMessage-Account: sip:2001@box.example\nVoice-Message: 2/8 (0/2)\n"
	notify(f.box, "2001", "m1", "127.1.23.1", "message-summary", waiting)
	atPhones := f.phones.Expect("NOTIFY sip:2001@")
	assert.Equal(t, "message-summary", atPhones.Header("Event"))
	assert.NotEmpty(t, atPhones.Header("Subscription-State"))
	assert.Equal(t, "Messages-Waiting: yes\r\nMessage-Account: sip:2001@127.1.20.1:5060\r\nVoice-Message: 2/8 (0/2)\r\n", atPhones.Body())
	f.phones.Send(atPhones.Reply("200 OK", "lamp", ""))
	f.box.Expect("SIP/2.0 200")

	notify(f.box, "box", "m2", "127.1.23.1", "message-summary", waiting) // the mailbox is in the account
	atPhones = f.phones.Expect("NOTIFY sip:2001@")
	f.phones.Send(atPhones.Reply("481 Subscription does not exist", "lamp", ""))
	f.box.Expect("SIP/2.0 481")

	for callID, c := range map[string]struct{ to, event, body, status string }{
		"m3": {"4100", "message-summary", waiting, "SIP/2.0 404"},
		"m4": {"2001", "presence", waiting, "SIP/2.0 489"},
		"m5": {"2001", "message-summary", "Voice-Message: 1/0\n", "SIP/2.0 400"},
		"m6": {"box", "message-summary", "Messages-Waiting: no\n", "SIP/2.0 400"},
	} {
		notify(f.box, c.to, callID, "127.1.23.1", c.event, c.body)
		f.box.Expect(c.status)
	}
	notify(f.ostrel, "2001", "m7", "127.1.30.1", "message-summary", waiting)
	f.ostrel.Expect("SIP/2.0 403")
	assert.True(t, f.phones.Silent(100*time.Millisecond))

	lamps := f.Agent.Lamps.Of("quay-phones")
	require.Len(t, lamps, 1)
	assert.Equal(t, []any{"2001", "harbourbox", true, 2, 8, 481}, []any{lamps[0].Mailbox, lamps[0].From, lamps[0].Waiting, lamps[0].New, lamps[0].Old, lamps[0].Status})
	assert.Len(t, f.Agent.Lamps.Of("harbourbox"), 3)

	notify(f.box, "2002", "m8", "127.1.23.1", "message-summary", waiting)
	f.phones.Expect("NOTIFY sip:2002@") // and says nothing
	f.box.Expect("SIP/2.0 504")
}
