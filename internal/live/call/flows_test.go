package call_test

import (
	"bufio"
	"context"
	"fmt"
	"net"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/livetest"
)

// Calls between SIP and another protocol: the phones speak text, the carrier SIP. What is true of
// a call is true whatever its legs are.

const (
	offer  = "v=0\no=- 1 1 IN IP4 127.1.30.1\ns=-\nc=IN IP4 127.1.30.1\nt=0 0\nm=audio 40000 RTP/AVP 8\na=rtpmap:8 PCMA/8000\n"
	here   = "PCMA@127.1.20.1:4000"
	onHold = "PCMA@127.1.20.1:4000/sendonly"
)

// far is the far end that speaks text.
type far struct {
	t     *testing.T
	lines <-chan string
	say   func(string)
}

// expect waits for a line that begins so, and gives the name of its leg and the rest.
func (f far) expect(format string, args ...any) (leg, rest string) {
	f.t.Helper()
	want := fmt.Sprintf(format, args...)
	select {
	case line := <-f.lines:
		leg, said, _ := strings.Cut(line, " ")
		require.True(f.t, strings.HasPrefix(said, want), "%q came, not %q", said, want)
		return leg, strings.TrimSpace(strings.TrimPrefix(said, want))
	case <-time.After(10 * time.Second):
		require.Fail(f.t, "nothing came", "not %q either", want)
	}
	return "", ""
}

type flow struct {
	*livetest.Bench
	phones  far
	carrier *livetest.Peer
	box     *livetest.Peer
}

// begin runs a switch whose phones speak text, over a channel or a socket, and whose carrier and
// voicemail are bare sockets of SIP.
func begin(t *testing.T, over string, change func(p *plan.Plan)) flow {
	b := livetest.Start(t, livetest.Setup{
		Change: func(p *plan.Plan) {
			for i := range p.Trunks {
				p.Trunks[i].Media.Path, p.Trunks[i].Media.Encryption = plan.MediaDirect, ""
			}
			if change != nil {
				change(p)
			}
		},
		Protocol: func(trunk *plan.Trunk) string {
			if trunk.ID == "quay-phones" {
				return protocol
			}
			return trunk.Protocol()
		},
		Without: []string{"quay-phones", "ostrel", "penhallow", "harbourbox"},
	})
	f := flow{Bench: b, carrier: livetest.NewPeer(t, "127.0.30.1:5060"), box: livetest.NewPeer(t, "127.0.23.1:5060")}
	lines := make(chan string, 100)
	f.phones = far{t: t, lines: lines}
	if over != "socket" {
		f.phones.say = newText(b.Control, b.Plan, "quay-phones", over == "channel with audio", func(line string) { lines <- line }).hear
		return f
	}
	ctx, cancel := context.WithCancel(context.Background())
	t.Cleanup(cancel)
	listener, err := net.Listen("tcp", livetest.Address("127.0.20.1:7000"))
	require.NoError(t, err)
	go serveText(ctx, listener, b.Control, b.Plan, "quay-phones")
	conn, err := net.Dial("tcp", listener.Addr().String())
	require.NoError(t, err)
	f.phones.say = func(line string) { _, _ = fmt.Fprintln(conn, line) }
	go func() {
		for scan := bufio.NewScanner(conn); scan.Scan(); {
			lines <- scan.Text()
		}
	}()
	require.Eventually(t, func() bool { f.phones.say("probe setup x 2001 -"); return len(lines) > 0 }, 5*time.Second, 50*time.Millisecond)
	time.Sleep(100 * time.Millisecond)
	for len(lines) > 0 {
		<-lines
	}
	return f
}

// each runs a test over a channel and over a socket.
func each(t *testing.T, change func(p *plan.Plan), test func(t *testing.T, f flow)) {
	for _, over := range []string{"channel", "socket"} {
		t.Run(over, func(t *testing.T) { test(t, begin(t, over, change)) })
	}
}

// invite is an INVITE of the carrier to 2001.
func invite(id string) string {
	return fmt.Sprintf("INVITE sip:+441914980101@127.1.10.1:5060 SIP/2.0\nVia: SIP/2.0/UDP 127.1.30.1:5060;branch=z9hG4bK%[1]s;rport\nMax-Forwards: 70\nFrom: <sip:+441914980999@127.1.30.1>;tag=out\nTo: <sip:+441914980101@127.1.10.1>\nCall-ID: %[1]s\nCSeq: 1 INVITE\nContact: <sip:127.1.30.1:5060>\nContent-Type: application/sdp\nContent-Length: %[2]d\n\n%[3]s", id, len(livetest.Wire(offer)), offer)
}

// within is a request of the carrier within the call that it began.
func within(method, id, toTag string, cseq int, body string) string {
	kind := ""
	if body != "" {
		kind = "Content-Type: application/sdp\n"
	}
	return fmt.Sprintf("%[1]s sip:127.1.10.1:5060 SIP/2.0\nVia: SIP/2.0/UDP 127.1.30.1:5060;branch=z9hG4bK%[2]s%[1]s%[4]d;rport\nMax-Forwards: 70\nFrom: <sip:+441914980999@127.1.30.1>;tag=out\nTo: <sip:+441914980101@127.1.10.1>;tag=%[3]s\nCall-ID: %[2]s\nCSeq: %[4]d %[1]s\nContact: <sip:127.1.30.1:5060>\n%[6]sContent-Length: %[5]d\n\n%[7]s", method, id, toTag, cseq, len(livetest.Wire(body)), kind, body)
}

func tagOf(to string) string {
	_, tag, _ := strings.Cut(to, ";tag=")
	return tag
}

// fromSIP is a call of the carrier that a phone has answered.
func (f flow) fromSIP(t *testing.T, id string) (leg, tag string) {
	f.carrier.Send(invite(id))
	leg, _ = f.phones.expect("setup 2001 ")
	f.phones.say(leg + " ringing")
	f.carrier.Expect("SIP/2.0 180")
	f.phones.say(leg + " connect " + here)
	ok := f.carrier.Expect("SIP/2.0 200")
	assert.Contains(t, ok.Body(), "m=audio 4000 RTP/AVP 8")
	tag = tagOf(ok.Header("To"))
	f.carrier.Send(within("ACK", id, tag, 1, ""))
	f.Wait(t, id, func(c record.Call) bool { return !c.Answered.IsZero() })
	return leg, tag
}

func TestSIPCallsText(t *testing.T) {
	each(t, nil, func(t *testing.T, f flow) {
		_, tag := f.fromSIP(t, "a1")
		f.carrier.Send(within("BYE", "a1", tag, 2, ""))
		f.carrier.Expect("SIP/2.0 200")
		f.phones.expect("release 0")
		assert.Equal(t, "the caller hung up", f.WaitEnd(t, "a1").Release)

		leg, _ := f.fromSIP(t, "a2")
		f.phones.say(leg + " release 16")
		bye := f.carrier.Expect("BYE")
		assert.Contains(t, bye.Header("Reason"), "cause=16")
		f.carrier.Send(bye.Reply("200 OK", "", ""))
		assert.Equal(t, "the called party hung up", f.WaitEnd(t, "a2").Release)

		f.carrier.Send(invite("a3"))
		leg, _ = f.phones.expect("setup 2001 ")
		f.phones.say(leg + " release 17")
		assert.Contains(t, f.carrier.Expect("SIP/2.0 486").Header("Reason"), "cause=17", "RFC 3398 section 8.2.6.1")
		f.WaitEnd(t, "a3")
	})
}

func TestTextCallsSIP(t *testing.T) {
	each(t, nil, func(t *testing.T, f flow) {
		f.phones.say("b1 setup 901914980850 2001 " + here)
		at := f.carrier.Expect("INVITE sip:+441914980850@")
		assert.Contains(t, at.Body(), "m=audio 4000 RTP/AVP 8")
		f.phones.expect("proceeding")
		f.carrier.Send(at.Reply("180 Ringing", "callee", ""))
		f.phones.expect("ringing")
		f.carrier.Send(at.Reply("200 OK", "callee", "Content-Type: application/sdp\nContact: <sip:127.1.30.1:5060>\n\n"+offer))
		f.carrier.Expect("ACK")
		_, media := f.phones.expect("connect")
		assert.Equal(t, "PCMA@127.1.30.1:40000", media)
		f.phones.say("b1 release 16")
		f.carrier.Send(f.carrier.Expect("BYE").Reply("200 OK", "", ""))
		assert.Equal(t, "the caller hung up", f.WaitEnd(t, "b1").Release)

		// Busy: RFC 3398 section 8.2.6.1.
		f.phones.say("b2 setup 901914980850 2001 " + here)
		f.carrier.Send(f.carrier.Expect("INVITE").Reply("486 Busy Here", "x", ""))
		f.carrier.Expect("ACK")
		f.phones.expect("proceeding")
		f.phones.expect("release 17")
		// A caller who gives up.
		f.phones.say("b3 setup 901914980850 2001 " + here)
		at = f.carrier.Expect("INVITE")
		f.carrier.Send(at.Reply("180 Ringing", "callee", ""))
		f.phones.expect("proceeding")
		f.phones.expect("ringing")
		f.phones.say("b3 release 16")
		f.carrier.Send(f.carrier.Expect("CANCEL").Reply("200 OK", "callee", ""))
		f.carrier.Send(at.Reply("487 Request Terminated", "callee", ""))
		f.carrier.Expect("ACK")
		f.WaitEnd(t, "b3")
	})
}

func TestNobodyAnswersText(t *testing.T) {
	each(t, func(p *plan.Plan) {
		for i := range p.Paths {
			p.Paths[i].Timers = plan.Timers{NoResponseMs: 200, Only100Ms: 300, RingingMs: 300}
		}
	}, func(t *testing.T, f flow) {
		f.phones.say("n1 setup 901914980850 2001 " + here)
		at := f.carrier.Expect("INVITE")
		f.carrier.Send(at.Reply("180 Ringing", "callee", ""))
		f.phones.expect("proceeding")
		f.phones.expect("ringing")
		f.carrier.Send(f.carrier.Expect("CANCEL").Reply("200 OK", "callee", ""))
		f.carrier.Send(at.Reply("487 Request Terminated", "callee", ""))
		f.carrier.Expect("ACK")
		f.phones.expect("release 19")
		assert.Contains(t, trail.Text(f.WaitEnd(t, "n1").Trail), "unanswered")
	})
}

func TestHoldAndGlareBetweenSIPAndText(t *testing.T) {
	each(t, nil, func(t *testing.T, f flow) {
		leg, tag := f.fromSIP(t, "h1")
		f.carrier.Send(within("INVITE", "h1", tag, 2, strings.Replace(offer, "m=audio", "a=sendonly\nm=audio", 1)))
		f.phones.expect("change PCMA@127.1.30.1:40000/sendonly")
		f.phones.say(leg + " change " + onHold) // at the same time
		f.phones.expect("glare")
		f.phones.say(leg + " accept PCMA@127.1.20.1:4000/recvonly")
		assert.Contains(t, f.carrier.Expect("SIP/2.0 200").Body(), "a=recvonly")
		f.carrier.Send(within("ACK", "h1", tag, 2, ""))
		f.carrier.Send(within("INFO", "h1", tag, 3, "")) // text has nothing like it; the ACK was taken before
		f.carrier.Expect("SIP/2.0 5")

		f.phones.say(leg + " change " + onHold)
		re := f.carrier.Expect("INVITE")
		assert.Contains(t, re.Body(), "a=sendonly")
		f.carrier.Send(re.Reply("200 OK", "", "Content-Type: application/sdp\n\n"+strings.Replace(offer, "m=audio", "a=recvonly\nm=audio", 1)))
		f.carrier.Expect("ACK")
		f.phones.expect("accept PCMA@127.1.30.1:40000/recvonly")
		f.phones.say(leg + " change " + here)
		f.carrier.Send(f.carrier.Expect("INVITE").Reply("488 Not Acceptable Here", "", ""))
		f.carrier.Expect("ACK")
		f.phones.expect("refuse")
	})
}

// A phone that speaks text diverts and transfers, as one that speaks SIP does.
func TestDiversionAndTransferFromText(t *testing.T) {
	each(t, nil, func(t *testing.T, f flow) {
		f.carrier.Send(invite("d1"))
		leg, _ := f.phones.expect("setup 2001 ")
		f.phones.say(leg + " redirect 2999")
		atBox := f.box.Expect("INVITE sip:2999@")
		assert.Contains(t, atBox.Header("Diversion"), "2001", "RFC 5806")
		f.box.Send(atBox.Reply("486 Busy Here", "box", ""))
		f.box.Expect("ACK")
		f.carrier.Expect("SIP/2.0 486")
		f.WaitEnd(t, "d1")

		leg, tag := f.fromSIP(t, "d2")
		f.phones.say(leg + " transfer 2002")
		f.phones.expect("transfer accepted")
		second, _ := f.phones.expect("setup 2002 ")
		f.phones.say(second + " ringing")
		f.phones.expect("transfer ringing")
		f.phones.say(second + " connect PCMA@127.1.20.2:4000")
		re := f.carrier.Expect("INVITE") // the party that stays is told by a new description alone
		assert.Contains(t, re.Body(), "127.1.20.2")
		f.carrier.Send(re.Reply("200 OK", "", "Content-Type: application/sdp\n\n"+offer))
		f.carrier.Expect("ACK")
		f.phones.expect("transfer done")
		f.phones.expect("release 16")
		f.carrier.Send(within("BYE", "d2", tag, 2, ""))
		f.carrier.Expect("SIP/2.0 200")
		f.phones.expect("release 0")
		assert.Contains(t, trail.Text(f.WaitEnd(t, "d2").Trail), "transferred by quay-phones")
	})
}

// onSocket speaks over a connection until it ends.
func onSocket(control *call.Control, p *live.Plan, trunk string, conn net.Conn) {
	t := newText(control, p, trunk, false, func(line string) { _, _ = fmt.Fprintln(conn, line) })
	for lines := bufio.NewScanner(conn); lines.Scan(); {
		t.hear(lines.Text())
	}
}

// serveText takes one far end on a socket.
func serveText(ctx context.Context, listener net.Listener, control *call.Control, p *live.Plan, trunk string) {
	context.AfterFunc(ctx, func() { listener.Close() })
	if conn, err := listener.Accept(); err == nil {
		context.AfterFunc(ctx, func() { conn.Close() })
		onSocket(control, p, trunk, conn)
	}
}

// Audio that a protocol carries itself meets RTP in the relay.
func TestAudioInACarriersOwnFlow(t *testing.T) {
	f := begin(t, "channel with audio", nil)
	rtp, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(netip.MustParseAddrPort("127.1.30.1:40000")))
	require.NoError(t, err)
	defer rtp.Close()
	f.carrier.Send(invite("r1"))
	leg, _ := f.phones.expect("setup 2001 ")
	f.phones.say(leg + " connect PCMA@-")
	ok := f.carrier.Expect("SIP/2.0 200")
	f.carrier.Send(within("ACK", "r1", tagOf(ok.Header("To")), 1, ""))
	at := media.ReadSession([]byte(ok.Body())).Audio().At
	require.Equal(t, "127.1.10.1", at.Addr().String(), "through the switch")

	packet := append([]byte{0x80, 8, 0, 1, 0, 0, 0, 160, 0, 0, 0, 7}, 0xD5, 0x55, 0xD5)
	_, err = rtp.WriteToUDPAddrPort(packet, at)
	require.NoError(t, err)
	_, heard := f.phones.expect("audio 160")
	assert.Equal(t, "d555d5", heard)

	f.phones.say(leg + " audio 480 d5d5")
	b := make([]byte, 1500)
	require.NoError(t, rtp.SetReadDeadline(time.Now().Add(10*time.Second)))
	n, err := rtp.Read(b)
	require.NoError(t, err)
	assert.Equal(t, []byte{0xD5, 0xD5}, b[12:n])
	assert.Equal(t, []byte{8, 0, 0, 1, 0xE0}, append([]byte{b[1] & 0x7F}, b[4:8]...), "payload type and timestamp (RFC 3550 section 5.1)")
	f.phones.say(leg + " release 16")
	f.carrier.Send(f.carrier.Expect("BYE").Reply("200 OK", "", ""))
	c := f.WaitEnd(t, "r1")
	assert.EqualValues(t, 1, c.Legs[0].Media.Heard.Packets)
	assert.EqualValues(t, 1, c.Legs[1].Media.Heard.Packets)
}
