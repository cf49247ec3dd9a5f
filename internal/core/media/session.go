package media

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
)

// Session is what one side of a call says of its audio, in whatever protocol it says it: how it
// is written, where it goes, and with what key. It is not changed once it is made, and is read
// when somebody asks: most calls pass it on as it is. It is not safe for concurrent use.
type Session struct {
	// raw is the session as its own protocol describes it (RFC 8866), with what could not be
	// read; empty for a protocol that describes none.
	raw  []byte
	read bool // the fields below hold what raw says
	told Audio
}

// Audio is what a session says.
type Audio struct {
	// Formats are those that the side takes, the one that it likes best first.
	Formats []Format
	// Direction is what the side does: Both, SendOnly, RecvOnly or Neither.
	Direction string
	// At is where the side wants to hear; not valid where its protocol carries audio itself.
	At netip.AddrPort
}

// NewSession is a session of a protocol that has no descriptions.
func NewSession(a Audio) *Session { return &Session{told: a, read: true} }

// ReadSession is the session of a description; nil of an empty one. Of one that cannot be read
// nothing is known but that.
func ReadSession(description []byte) *Session {
	if len(description) == 0 {
		return nil
	}
	return &Session{raw: description}
}

// Audio is what the session says; of nil it is nothing.
func (s *Session) Audio() Audio {
	if s == nil {
		return Audio{}
	}
	if !s.read {
		s.read = true
		s.told.Direction = Both
		if d, err := Read(s.raw); err == nil {
			s.told.Formats, s.told.Direction = d.Formats(), d.Direction()
			s.told.At, _ = d.Address()
		}
	}
	return s.told
}

// Description is the session as RFC 8866 writes it, for who wants to be told so: as it came, or
// made of what is known. Of nil it is empty.
func (s *Session) Description() []byte {
	switch {
	case s == nil:
		return nil
	case len(s.raw) > 0:
		return s.raw
	}
	at, kind := s.told.At, "IP4"
	if !at.IsValid() {
		at = netip.AddrPortFrom(netip.IPv4Unspecified(), 9) // its audio comes another way
	}
	if at.Addr().Is6() {
		kind = "IP6"
	}
	var types, lines strings.Builder
	for _, f := range s.told.Formats {
		fmt.Fprintf(&types, " %d", f.Type)
		if f.Name != "" {
			fmt.Fprintf(&lines, "a=rtpmap:%d %s\r\n", f.Type, f.Name)
		}
	}
	return fmt.Appendf(nil, "v=0\r\no=- 1 1 IN %[1]s %[2]s\r\ns=-\r\nc=IN %[1]s %[2]s\r\nt=0 0\r\nm=audio %[3]d RTP/AVP%[4]s\r\n%[5]sa=%[6]s\r\n", kind, at.Addr(), at.Port(), types.String(), lines.String(), s.told.Direction)
}

// Held tells whether the side does not listen.
func (s *Session) Held() bool {
	d := s.Audio().Direction
	return d == SendOnly || d == Neither
}

// Resumed is the session with its audio both ways again, as before a hold. Of nil it is nil.
func (s *Session) Resumed() *Session {
	switch {
	case s == nil:
		return nil
	case len(s.raw) == 0:
		told := s.told
		told.Direction = Both
		return NewSession(told)
	}
	d, err := Read(s.raw)
	if err != nil {
		return s
	}
	d.Resume()
	return ReadSession(d.Bytes())
}

// shares are the formats that another side takes too, in the order of a.
func (a Audio) shares(with Audio) []Format {
	return slices.DeleteFunc(slices.Clone(a.Formats), func(f Format) bool {
		return !slices.ContainsFunc(with.Formats, func(o Format) bool {
			return o.Type == f.Type || strings.EqualFold(o.Name, f.Name) && f.Name != ""
		})
	})
}

// MeetSessions makes of two offers the answers to each other: what both name, in the order of
// each. One that is nil is answered by the other as it is.
func MeetSessions(a, b *Session) (toB, toA *Session, err error) {
	switch {
	case a == nil || b == nil:
		return a, b, nil
	case len(a.raw) > 0 && len(b.raw) > 0:
		rawToB, rawToA, err := Meet(a.raw, b.raw)
		return ReadSession(rawToB), ReadSession(rawToA), err
	}
	x, y := a.Audio(), b.Audio()
	x.Formats, y.Formats = x.shares(y), y.shares(x)
	if !slices.ContainsFunc(x.Formats, speech) || !slices.ContainsFunc(y.Formats, speech) {
		return nil, nil, ErrNothingLeft
	}
	return NewSession(x), NewSession(y), nil
}
