package media

import (
	"net/netip"
	"slices"
	"strings"
)

// Session is what one side of a call says of its audio, in whatever protocol it says it: how it
// is written, where it goes, and with what key. It is not changed once it is made.
type Session struct {
	// Formats are those that the side takes, the one that it likes best first.
	Formats []Format
	// Direction is what the side does: Both, SendOnly, RecvOnly or Neither; empty is Both.
	Direction string
	// At is where the side wants to hear; not valid where its protocol carries audio itself.
	At netip.AddrPort
	// PacketMS is the packet time that it asks for, in milliseconds; 0 says nothing.
	PacketMS int
	// Key is with which it encrypts what it sends; nil for none.
	Key *Key
	// Source is the description that the session was read from, with what only its own protocol
	// knows; nil for a protocol that writes none.
	Source *Description
}

// Held tells whether the side does not listen.
func (s *Session) Held() bool { return s.Direction == SendOnly || s.Direction == Neither }

// Resumed is the session with its audio both ways again, as before a hold. Of nil it is nil.
func (s *Session) Resumed() *Session {
	if s == nil {
		return nil
	}
	out := *s
	out.Direction = Both
	return &out
}

// shares are the formats that another session has too, in the order of s.
func (s *Session) shares(with *Session) []Format {
	return slices.DeleteFunc(slices.Clone(s.Formats), func(f Format) bool {
		return !slices.ContainsFunc(with.Formats, func(o Format) bool {
			return o.Type == f.Type || strings.EqualFold(o.Name, f.Name) && f.Name != ""
		})
	})
}

// MeetSessions makes of two offers the answers to each other: what both name, in the order of
// each. One that is nil is answered by the other as it is.
func MeetSessions(a, b *Session) (toB, toA *Session, err error) {
	if a == nil || b == nil {
		return a, b, nil
	}
	x, y := *a, *b
	x.Formats, y.Formats = a.shares(b), b.shares(a)
	if !slices.ContainsFunc(x.Formats, speech) || !slices.ContainsFunc(y.Formats, speech) {
		return nil, nil, ErrNothingLeft
	}
	return &x, &y, nil
}
