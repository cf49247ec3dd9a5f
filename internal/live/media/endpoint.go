package media

import (
	"math/rand/v2"
	"sync"

	"github.com/pion/rtp"
)

// A side of a call need not be RTP: a protocol may carry audio in its own flow, and a modem has it
// on a sound device.

// Frame is a piece of audio.
type Frame struct {
	// Payload is encoded as the sides have agreed, under the RTP payload type Type.
	Payload []byte
	Type    uint8
	// Time is where the frame begins, in units of the clock of its encoding, from anywhere.
	Time uint32
	// Mark is on the first frame of a burst of speech (RFC 3551 section 4.1).
	Mark bool
}

// Endpoint is a side that carries its audio itself.
type Endpoint interface {
	// Hear takes what the other side says. It must not wait, and must not keep the payload.
	Hear(f Frame)
	// Connected says how to speak to the other side; nil when the call is over.
	Connected(say func(Frame))
}

// mouth writes what an endpoint says as RTP.
type mouth struct {
	mu  sync.Mutex
	out rtp.Header
}

// Connect has a side be an endpoint, in place of the address that it wanted to hear at.
func (r *Relay) Connect(s Side, e Endpoint) {
	side := &r.sides[s]
	if !side.endpoint.CompareAndSwap(nil, &e) {
		return
	}
	m := &mouth{out: rtp.Header{Version: 2, SSRC: rand.Uint32(), SequenceNumber: uint16(rand.Uint32())}}
	e.Connected(func(f Frame) { r.say(s, m, f) })
}

// say takes a frame of an endpoint to the other side.
func (r *Relay) say(s Side, m *mouth, f Frame) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.out.SequenceNumber++
	m.out.PayloadType, m.out.Timestamp, m.out.Marker = f.Type, f.Time, f.Mark
	packet, err := (&rtp.Packet{Header: m.out, Payload: f.Payload}).Marshal()
	if err != nil || len(packet) > maxPacket || !r.sides[s].count(packet, r.begun) {
		return
	}
	r.pass(s, packet, true, make([]byte, maxPacket+trailer))
}

// pass gives what one side says to the other. buffer is for what it becomes there.
func (r *Relay) pass(from Side, packet []byte, sound bool, buffer []byte) {
	far := &r.sides[from.Other()]
	if e := far.endpoint.Load(); e != nil {
		if heard := (rtp.Packet{}); sound && heard.Unmarshal(packet) == nil {
			(*e).Hear(Frame{Payload: heard.Payload, Type: heard.PayloadType, Time: heard.Timestamp, Mark: heard.Marker})
		}
		return // reports on RTP concern RTP alone
	}
	if c := far.out.Load(); c != nil {
		var err error
		if packet, err = c.turn(buffer, packet, sound); err != nil {
			return
		}
	}
	to := far.peer.Load()
	if to == nil {
		return
	}
	out, at := far.rtcp, to.rtcp
	if sound {
		out, at = far.rtp, to.rtp
	}
	_, _ = out.WriteToUDPAddrPort(packet, at) // what is lost, is lost
}

// disconnect tells the endpoint of a side, if it has one, that it is none any more.
func (r *Relay) disconnect(s Side) {
	if e := r.sides[s].endpoint.Swap(nil); e != nil {
		(*e).Connected(nil)
	}
}
