package sip_test

import (
	"encoding/binary"
	"net"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
)

// through is the demo's quay whose sound goes through the switch.
func through(t *testing.T, change func(sw *plan.Switch, phones, ostrel *plan.Media)) flow {
	return startWith(t, livetest.Setup{Change: func(p *plan.Plan) {
		of := map[string]*plan.Media{}
		for i := range p.Trunks {
			p.Trunks[i].Media = plan.Media{}
			of[p.Trunks[i].ID] = &p.Trunks[i].Media
		}
		p.Switches[0].Media = plan.MediaPorts{FirstPort: 21000, LastPort: 21099}
		if change != nil {
			change(&p.Switches[0], of["quay-phones"], of["ostrel"])
		}
	}})
}

// mouth sends and hears packets at an address.
type mouth struct {
	t    *testing.T
	conn *net.UDPConn
	seq  uint16
}

func speak(t *testing.T, at string) *mouth {
	conn, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(netip.MustParseAddrPort(at)))
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	return &mouth{t: t, conn: conn}
}

func (m *mouth) say(to netip.AddrPort) {
	b := make([]byte, 172)
	b[0], b[1] = 0x80, 8
	binary.BigEndian.PutUint16(b[2:], m.seq)
	binary.BigEndian.PutUint32(b[4:], uint32(m.seq)*160)
	m.seq++
	_, err := m.conn.WriteToUDPAddrPort(b, to)
	require.NoError(m.t, err)
}

func (m *mouth) hears() bool {
	_ = m.conn.SetReadDeadline(time.Now().Add(300 * time.Millisecond))
	_, err := m.conn.Read(make([]byte, 1500))
	return err == nil
}

// toldIn is where a description says that sound is to go.
func toldIn(t *testing.T, body string) netip.AddrPort {
	d, err := media.Read([]byte(body))
	require.NoError(t, err)
	at, ok := d.Address()
	require.True(t, ok, body)
	return at
}

func crlf(text string) string { return strings.ReplaceAll(text, "\n", "\r\n") }

func (f flow) call(id string) record.Call {
	c, _ := f.CallByLeg(id)
	return c
}

// hangUp ends an answered call from the caller's side.
func (f flow) hangUp(id string, ok livetest.Received) {
	f.phones.Send(inDialog("BYE", id, tagOf(ok.Header("To")), id+"-bye", "", "2"))
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("200 OK", "", ""))
}

// details are what the trail says beside what far ends said.
func details(trail []trail.Step) (text string) {
	for _, s := range trail {
		if s.Heard != nil {
			text += s.Heard.Detail + "\n"
		}
	}
	return text
}

func TestSoundGoesThroughTheSwitchAndIsCounted(t *testing.T) {
	f := through(t, nil)
	caller, called := speak(t, "127.1.20.1:40000"), speak(t, "127.1.30.1:41000")
	toCarrier, ok := f.answered(t, "s1")
	forCalled, forCaller := toldIn(t, toCarrier.Body()), toldIn(t, ok.Body())
	assert.Equal(t, "127.1.10.1", forCalled.Addr().String())
	assert.NotEqual(t, forCalled, forCaller, "each side has a port of its own")
	assert.Equal(t, 4, 2*f.Control.Ports().Used, "four ports: two sides, RTP and RTCP")
	for range 3 {
		caller.say(forCaller)
		require.True(t, called.hears())
		called.say(forCalled)
		require.True(t, caller.hears())
	}
	caller.seq += 2 // lost on the way
	caller.say(forCaller)
	require.True(t, called.hears())
	other := speak(t, "127.1.99.1:0") // RTP from elsewhere
	other.say(forCaller)
	assert.False(t, called.hears())

	f.hangUp("s1", ok)
	require.Eventually(t, func() bool { return !f.call("s1").Running() && !f.call("s1").Ended.IsZero() }, 5*time.Second, 10*time.Millisecond)
	c := f.call("s1")
	require.Len(t, c.Legs, 2)
	assert.Equal(t, record.Reception{Packets: 4, Lost: 2, Elsewhere: 1, JitterMS: c.Legs[0].Media.Heard.JitterMS}, *c.Legs[0].Media.Heard)
	assert.EqualValues(t, 3, c.Legs[1].Media.Heard.Packets)
	assert.Equal(t, 0, f.Control.Ports().Used, "given back")
}

func TestSoundGoesDirectWhereATrunkSaysSo(t *testing.T) {
	f := through(t, func(_ *plan.Switch, _, ostrel *plan.Media) { ostrel.Path = plan.MediaDirect })
	toCarrier, ok := f.answered(t, "s2")
	assert.Equal(t, crlf(offer), toCarrier.Body())
	assert.Equal(t, crlf(answer), ok.Body())
	assert.Equal(t, 0, f.Control.Ports().Used)
	f.hangUp("s2", ok)
}

const richOffer = "v=0\r\no=- 1 1 IN IP4 127.1.20.1\r\ns=-\r\nc=IN IP4 127.1.20.1\r\nt=0 0\r\nm=audio 40000 RTP/AVP 0 8 18 13 101\r\na=rtpmap:101 telephone-event/8000\r\n"

func TestCodecsAndComfortNoiseAreTakenOut(t *testing.T) {
	f := through(t, func(_ *plan.Switch, phones, ostrel *plan.Media) {
		phones.Codecs = []string{"PCMA", "PCMU"}
		ostrel.Codecs, ostrel.ComfortNoise, ostrel.PtimeMs = []string{"G729", "PCMA"}, plan.MediaRemove, 30
	})
	f.phones.Send(request("INVITE", "901914980850", "s3", "", "s3", richOffer))
	toCarrier := f.ostrel.Expect("INVITE")
	assert.Contains(t, toCarrier.Body(), "RTP/AVP 8 101\r\n")
	assert.Contains(t, toCarrier.Body(), "a=ptime:30")
	// An answer with another codec than was offered ends the attempt; its far end is
	// acknowledged and hung up.
	f.ostrel.Send(toCarrier.Reply("200 OK", "callee", sdpType+strings.Replace(answer, "RTP/AVP 8", "RTP/AVP 0", 1)))
	f.ostrel.Expect("ACK")
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("200 OK", "", ""))
	got := f.phones.Expect("SIP/2.0 488")
	assert.Contains(t, got.Header("Reason"), "Q.850")
	require.Eventually(t, func() bool {
		return strings.Contains(details(f.call("s3").Trail), "PCMU was answered to an offer of PCMA")
	}, 5*time.Second, 10*time.Millisecond)
}

func TestNoCodecLeft(t *testing.T) {
	f := through(t, func(_ *plan.Switch, phones, ostrel *plan.Media) { ostrel.Codecs = []string{"G729"} })
	p := f.Plan.Current().Snapshot.Plan()
	p.Trunks = slices.Clone(p.Trunks)
	for i := range p.Trunks { // the second carrier takes nothing else either
		p.Trunks[i].Media.Codecs = []string{"G729"}
	}
	f.GoLive(t, p)
	f.phones.Send(request("INVITE", "901914980850", "s4", "", "s4", offer))
	got := f.phones.Expect("SIP/2.0 488")
	assert.Contains(t, got.Header("Reason"), "cause=65")
	require.Eventually(t, func() bool { return len(f.call("s4").Trail) > 0 && !f.call("s4").Running() }, 5*time.Second, 10*time.Millisecond)
	attempts := trail.Attempts(f.call("s4").Trail)
	require.Len(t, attempts, 2)
	assert.Equal(t, "codec", attempts[0].Reason)
}

func TestEveryPortInUse(t *testing.T) {
	f := through(t, func(sw *plan.Switch, _, _ *plan.Media) { sw.Media = plan.MediaPorts{FirstPort: 21100, LastPort: 21103} }) // one call
	_, ok := f.answered(t, "s5")
	defer f.hangUp("s5", ok)
	f.phones.Send(request("INVITE", "901914980850", "s6", "", "s6", offer))
	f.phones.Expect("SIP/2.0 503")
	require.Eventually(t, func() bool { return len(f.call("s6").Trail) > 0 && !f.call("s6").Running() }, 5*time.Second, 10*time.Millisecond)
	assert.Equal(t, "ports", trail.Attempts(f.call("s6").Trail)[0].Reason)
	assert.Positive(t, f.Control.Ports().Refused)
}

// A hold and its end keep the ports, and go through them.
func TestAHoldKeepsItsPorts(t *testing.T) {
	f := through(t, nil)
	toCarrier, ok := f.answered(t, "s7")
	held := strings.Replace(offer, "t=0 0", "t=0 0\na=sendonly", 1)
	f.phones.Send(inDialog("INVITE", "s7", tagOf(ok.Header("To")), "s7b", held, "2"))
	again := f.ostrel.Expect("INVITE")
	assert.Equal(t, toldIn(t, toCarrier.Body()), toldIn(t, again.Body()))
	assert.Contains(t, again.Body(), "a=sendonly")
	f.ostrel.Send(again.Reply("200 OK", "callee", sdpType+strings.Replace(answer, "t=0 0", "t=0 0\na=recvonly", 1)))
	back := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, toldIn(t, ok.Body()), toldIn(t, back.Body()))
	assert.Equal(t, 2, f.Control.Ports().Used)
	f.ostrel.Expect("ACK")
	f.phones.Send(inDialog("ACK", "s7", tagOf(ok.Header("To")), "s7c", "", "2"))
	f.phones.Send(inDialog("BYE", "s7", tagOf(ok.Header("To")), "s7d", "", "3"))
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("200 OK", "", ""))
}

// Who asks for fax alone in the middle of a call is told that there is no audio in
// it, and goes on as it was.
func TestFaxAloneIsRefusedAndTheCallGoesOn(t *testing.T) {
	f := through(t, nil)
	_, ok := f.answered(t, "s8")
	tag := tagOf(ok.Header("To"))
	fax := "v=0\no=- 1 2 IN IP4 127.1.20.1\ns=-\nc=IN IP4 127.1.20.1\nt=0 0\nm=image 40002 udptl t38\n"
	f.phones.Send(inDialog("INVITE", "s8", tag, "s8b", fax, "2"))
	f.phones.Expect("SIP/2.0 488")
	f.phones.Send(inDialog("ACK", "s8", tag, "s8b", "", "2"))
	assert.Equal(t, 2, f.Control.Ports().Used)
	f.phones.Send(inDialog("BYE", "s8", tag, "s8c", "", "3"))
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("200 OK", "", ""))
	f.phones.Expect("SIP/2.0 200")
}
