package media

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
)

// Session is what one side of a call says of its audio, in whatever protocol it says it: how it
// is written, where it goes, and with what key. It is not changed once it is made.
type Session struct {
	// Formats are those that the side takes, the one that it likes best first.
	Formats []Format
	// Direction is what the side does: Both, SendOnly, RecvOnly or Neither.
	Direction string
	// At is where the side wants to hear; not valid where its protocol carries audio itself.
	At netip.AddrPort
	// Raw is the session as its own protocol describes it (RFC 8866), with what the fields above
	// do not hold, and what could not be read; empty for a protocol that describes none.
	Raw []byte
}

// ReadSession reads a description; nil of an empty one. One that cannot be read is a session of
// which nothing but that is known.
func ReadSession(description []byte) *Session {
	if len(description) == 0 {
		return nil
	}
	s := &Session{Raw: description, Direction: Both}
	if d, err := Read(description); err == nil {
		s.Formats, s.Direction = d.Formats(), d.Direction()
		s.At, _ = d.Address()
	}
	return s
}

// Description is the session as RFC 8866 writes it, for who wants to be told so: as it came, or
// made of what is known. Of nil it is empty.
func (s *Session) Description() []byte {
	switch {
	case s == nil:
		return nil
	case len(s.Raw) > 0:
		return s.Raw
	}
	at, kind := s.At, "IP4"
	if !at.IsValid() {
		at = netip.AddrPortFrom(netip.IPv4Unspecified(), 9) // its audio comes another way
	}
	if at.Addr().Is6() {
		kind = "IP6"
	}
	var types, lines strings.Builder
	for _, f := range s.Formats {
		fmt.Fprintf(&types, " %d", f.Type)
		if f.Name != "" {
			fmt.Fprintf(&lines, "a=rtpmap:%d %s\r\n", f.Type, f.Name)
		}
	}
	return fmt.Appendf(nil, "v=0\r\no=- 1 1 IN %[1]s %[2]s\r\ns=-\r\nc=IN %[1]s %[2]s\r\nt=0 0\r\nm=audio %[3]d RTP/AVP%[4]s\r\n%[5]sa=%[6]s\r\n", kind, at.Addr(), at.Port(), types.String(), lines.String(), s.Direction)
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
	if d, err := Read(s.Raw); err == nil && len(s.Raw) > 0 {
		d.Resume()
		out.Raw = d.Bytes()
	}
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
	if len(a.Raw) > 0 && len(b.Raw) > 0 {
		rawToB, rawToA, err := Meet(a.Raw, b.Raw)
		return ReadSession(rawToB), ReadSession(rawToA), err
	}
	x, y := *a, *b
	x.Formats, y.Formats = a.shares(b), b.shares(a)
	x.Raw, y.Raw = nil, nil
	if !slices.ContainsFunc(x.Formats, speech) || !slices.ContainsFunc(y.Formats, speech) {
		return nil, nil, ErrNothingLeft
	}
	return &x, &y, nil
}
