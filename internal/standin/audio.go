package standin

import (
	"fmt"
	"math"
	"net"
	"net/netip"
	"sync"
	"sync/atomic"
	"time"

	"github.com/pion/rtp"
	"github.com/zaf/g711"

	"switchback.example/switchback/internal/core/media"
)

// The sound of stand-ins: each side of a call sends a tone of its own and listens
// for the other's, so that what is said of the sound rests on what arrived.

// Tones, in Hz, and how they are sent: 20 ms of 8 kHz in a packet.
const (
	callerTone = 425
	calledTone = 1000

	sampleRate = 8000
	packetTime = 20 * time.Millisecond
	perPacket  = sampleRate / 50
)

// Listened is what a side of a call heard.
type Listened struct {
	Packets  int64   `json:"packets"`
	Lost     int64   `json:"lost"`
	JitterMS float64 `json:"jitterMs"`
	// Tone is the share of the packets that held the other side's tone, 0 to 1.
	Tone float64 `json:"tone"`
	Sent int64   `json:"sent" doc:"Packets that this side sent"`
}

// audio is the sound of one side of one call.
type audio struct {
	conn     *net.UDPConn
	say      float64 // Hz
	hear     float64
	begun    time.Time
	mu       sync.Mutex
	stop     chan struct{}            // closed when it ends
	to       atomic.Pointer[listener] // nil until it is known
	received media.Reception
	tones    int64
	sent     int64
	keys     *keys // nil where it goes in the clear
}

// newAudio takes a port at an address.
// With secure its sound is encrypted.
func newAudio(host netip.Addr, say, hear float64, secure bool) (*audio, error) {
	conn, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(netip.AddrPortFrom(host, 0)))
	if err != nil {
		return nil, fmt.Errorf("no RTP port: %w", err)
	}
	a := &audio{conn: conn, say: say, hear: hear, begun: time.Now(), stop: make(chan struct{})}
	if secure {
		if a.keys, err = newKeys(); err != nil {
			conn.Close()
			return nil, err
		}
	}
	go a.listen()
	return a, nil
}

func (a *audio) port() int { return a.conn.LocalAddr().(*net.UDPAddr).Port } //nolint:forcetypeassert // ListenUDP

// send sends the tone to where a description wants it, unless it is sent already.
func (a *audio) send(description []byte) {
	if a.to.Load() == nil {
		a.aim(description)
	}
}

// aim sends the tone to where a description wants it, from now on.
func (a *audio) aim(description []byte) {
	to, payload, ok := readOffer(description)
	if ok && a.keys != nil {
		a.mu.Lock()
		ok = a.keys.take(description) == nil
		a.mu.Unlock()
	}
	if ok && a.to.Swap(&listener{to, payload}) == nil {
		go a.speak()
	}
}

// listener is where the tone goes, and in which law.
type listener struct {
	at      netip.AddrPort
	payload uint8
}

func (a *audio) speak() {
	tick := time.NewTicker(packetTime)
	defer tick.Stop()
	header := rtp.Header{Version: 2, SSRC: uint32(a.port()), Marker: true}
	begun, n := time.Now(), 0
	for {
		// What is due: on a busy machine several at once, as from a line that stalled.
		for due := int(time.Since(begun)/packetTime) + 1; n < due; n++ {
			to := a.to.Load()
			header.PayloadType = to.payload
			a.sendPacket(to.at, rtp.Packet{Header: header, Payload: tone(a.say, n*perPacket, to.payload)})
			header.SequenceNumber++
			header.Timestamp += perPacket
			header.Marker = false
		}
		select {
		case <-a.stop:
			return
		case <-tick.C:
		}
	}
}

func (a *audio) sendPacket(to netip.AddrPort, packet rtp.Packet) {
	b, err := packet.Marshal()
	if err == nil && a.keys != nil {
		b, err = a.keys.sealed.EncryptRTP(nil, b, nil)
	}
	if err != nil {
		return
	}
	if _, err := a.conn.WriteToUDPAddrPort(b, to); err == nil {
		a.mu.Lock()
		a.sent++
		a.mu.Unlock()
	}
}

// tone is a packet of a tone, from a sample on.
func tone(hz float64, from int, payload uint8) []byte {
	pcm := make([]byte, 2*perPacket)
	for i := range perPacket {
		v := int16(8000 * math.Sin(2*math.Pi*hz*float64(from+i)/sampleRate))
		pcm[2*i], pcm[2*i+1] = byte(v), byte(v>>8)
	}
	if payload == 0 {
		return g711.EncodeUlaw(pcm)
	}
	return g711.EncodeAlaw(pcm)
}

func (a *audio) listen() {
	buffer := make([]byte, 1500)
	for {
		n, err := a.conn.Read(buffer)
		if err != nil {
			return
		}
		packet, ok := a.opened(buffer[:n])
		var p rtp.Packet
		if !ok || p.Unmarshal(packet) != nil {
			continue
		}
		arrival := uint32(time.Since(a.begun) * sampleRate / time.Second)
		a.mu.Lock()
		a.received.Packet(p.SSRC, p.SequenceNumber, p.Timestamp, arrival)
		if holds(p.Payload, p.PayloadType, a.hear) {
			a.tones++
		}
		a.mu.Unlock()
	}
}

// opened is a packet as it was before it was encrypted, if it was.
func (a *audio) opened(b []byte) (packet []byte, ok bool) {
	if a.keys == nil {
		return b, true
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.keys.open == nil {
		return nil, false
	}
	packet, err := a.keys.open.DecryptRTP(nil, b, nil)
	return packet, err == nil
}

// holds tells whether a packet is mostly one tone (Goertzel's algorithm).
func holds(payload []byte, kind uint8, hz float64) bool {
	var pcm []byte
	switch kind {
	case 0:
		pcm = g711.DecodeUlaw(payload)
	case 8:
		pcm = g711.DecodeAlaw(payload)
	default:
		return false
	}
	c := 2 * math.Cos(2*math.Pi*hz/sampleRate)
	var s1, s2, energy float64
	n := len(pcm) / 2
	for i := range n {
		x := float64(int16(uint16(pcm[2*i]) | uint16(pcm[2*i+1])<<8))
		s1, s2 = x+c*s1-s2, s1
		energy += x * x
	}
	power := s1*s1 + s2*s2 - c*s1*s2
	return energy > float64(n)*100*100 && power > 0.5*energy*float64(n)/2
}

// heard is what it heard so far.
func (a *audio) heard() Listened {
	a.mu.Lock()
	defer a.mu.Unlock()
	h := Listened{Packets: a.received.Received(), Lost: a.received.Loss().Lost, JitterMS: float64(a.received.Jitter()) * 1000 / sampleRate, Sent: a.sent}
	if h.Packets > 0 {
		h.Tone = float64(a.tones) / float64(h.Packets)
	}
	return h
}

func (a *audio) close() {
	close(a.stop)
	a.conn.Close()
}

// sounds are those of the calls of a stand-in, by Call-ID; the oldest are
// forgotten. The zero value has none.
type sounds struct {
	mu    sync.Mutex
	of    map[string]*audio
	order []string
}

func (s *sounds) open(callID string, host netip.Addr, say, hear float64, secure bool) (*audio, error) {
	a, err := newAudio(host, say, hear, secure)
	if err == nil {
		s.keep(callID, a)
	}
	return a, err
}

func (s *sounds) keep(callID string, a *audio) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.of == nil {
		s.of = map[string]*audio{}
	}
	s.of[callID] = a
	s.order = append(s.order, callID)
	if len(s.order) > maxKept {
		delete(s.of, s.order[0])
		s.order = s.order[1:]
	}
}

// Heard is what a stand-in hears, or heard, in a call; ok is false for one that it
// does not know.
func (s *StandIn) Heard(callID string) (h Listened, ok bool) {
	s.sounds.mu.Lock()
	a := s.sounds.of[callID]
	s.sounds.mu.Unlock()
	if a == nil {
		return Listened{}, false
	}
	return a.heard(), true
}
