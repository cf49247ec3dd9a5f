// Package record holds what is known of a call that really ran: its trail with
// times, its legs, and its messages drawn as a ladder.
//
// It computes on what was recorded; it never records, and it never decides.
package record

import (
	"crypto/sha256"
	"encoding/hex"
	"time"

	"switchback.example/switchback/internal/core/trail"
)

// Message is one signalling message as it was on the wire.
type Message struct {
	// Seq rises by one with every message of a switch, in the order of its
	// socket.
	Seq    int64
	Switch string
	At     time.Time
	// Out is true for messages that the switch sent.
	Out    bool
	Local  string // address and port
	Remote string
	// Leg is the id of the leg that it belongs to; empty if it names none.
	Leg string
	// Protocol is that of the message, and Carriage what carried it: udp, tcp or tls; empty if
	// that is not known.
	Protocol, Carriage string
	Bytes              []byte
	// Stream says where in its connection the message stands; nil for a
	// datagram.
	Stream *Stream
}

// Stream is a place in a connection: TCP's sequence number of the message's first
// byte, and what had come from the other side by then.
type Stream struct{ At, Acknowledged uint32 }

// Place is where a recorded message lies: a message without its bytes, the
// segment that holds them, and its block there.
type Place struct {
	Message
	Segment, Offset, Length int64
}

// Leg is one side of a call: the caller's (the first), and one for each
// attempt.
type Leg struct {
	// ID is our own name for it. Key is how Protocol names it: the Call-ID of SIP. A leg that the
	// switch itself is has no protocol.
	ID       string `json:"id"`
	Protocol string `json:"protocol,omitempty"`
	Trunk    string `json:"trunk"`
	FarEnd   string `json:"farEnd"`
	Key      string `json:"key"`
	Remote   string `json:"remote"`
	// Step is the place in the trail at which the leg began.
	Step int `json:"step"`
	// Rang is true if the far end said that it rings, or gave early media.
	Rang bool `json:"rang,omitempty"`
	// RangMs is when that first was, in milliseconds after the call came, at least 1; 0 if it is
	// not known.
	RangMs int64 `json:"rangMs,omitempty"`
	// Media is what its description says of the sound; nil if it gave none.
	Media *Audio `json:"media,omitempty"`
}

// LegID is our own name of a leg, made of how its protocol names it: 24 characters, the same at
// both ends of a leg between two switches; empty for no key.
func LegID(protocol, key string) string {
	if key == "" {
		return ""
	}
	var room [128]byte // each message is given one, so that nothing but the id is allocated
	sum := sha256.Sum256(append(append(append(room[:0], protocol...), '\n'), key...))
	var id [24]byte
	hex.Encode(id[:], sum[:12])
	return string(id[:])
}

// Named is a leg with its names.
func (l Leg) Named(protocol, key string) Leg {
	l.ID, l.Protocol, l.Key = LegID(protocol, key), protocol, key
	return l
}

// Call is the record of one call on one switch.
type Call struct {
	ID string
	// Session is the caller's name for it (RFC 7989), which all legs of a call
	// carry, over all switches.
	Session  string
	Switch   string
	Revision int64 // the revision of the plan that decided it
	Started  time.Time
	Answered time.Time // zero if it was not
	Ended    time.Time // zero while it runs
	// Release says how an answered call ended.
	Release string
	// ReleasedBy is the side that ended an answered call; empty if that is not known.
	ReleasedBy Side
	Legs       []Leg
	Trail      []trail.Step
	// Stamps are the times of the trail's steps, in milliseconds after Started.
	Stamps []int64
}

// Running tells whether the call has not ended yet.
func (c Call) Running() bool { return c.Ended.IsZero() }

// Phase is how far a running call has come.
type Phase string

// The phases. A call is routed until a far end rings.
const (
	PhaseRouting   Phase = "routing"
	PhaseRinging   Phase = "ringing"
	PhaseConnected Phase = "connected"
)

// Phase is how far the call has come.
func (c Call) Phase() Phase {
	switch {
	case !c.Answered.IsZero():
		return PhaseConnected
	case len(c.Legs) > 1 && c.Legs[len(c.Legs)-1].Rang:
		return PhaseRinging
	}
	return PhaseRouting
}
