// Package media holds what the switch knows of sound: session descriptions (RFC
// 8866, offers and answers by RFC 3264) and what may be made of them, and what is
// counted of received RTP (RFC 3550).
//
// It never opens a socket and knows no clock; moving packets is package
// live/media.
package media

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"switchback.example/switchback/internal/core/wire/sdp"
)

// Description is a session description whose first audio stream is of interest.
type Description struct {
	session *sdp.Session
	stream  *sdp.Media // nil without audio
}

// Format is one way of writing sound, as a stream names it.
type Format struct {
	Type int    // RTP payload type, 0 to 127
	Name string // such as PCMA/8000, as RFC 3551 or rtpmap has it; empty if nothing says
}

// Encoding is the name without its rate, in upper case.
func (f Format) Encoding() string {
	name, _, _ := strings.Cut(f.Name, "/")
	return strings.ToUpper(name)
}

// static are the payload types with a fixed meaning (RFC 3551 tables 4 and 5).
var static = map[int]string{
	0: "PCMU/8000", 3: "GSM/8000", 4: "G723/8000", 5: "DVI4/8000", 7: "LPC/8000", 8: "PCMA/8000", 9: "G722/8000",
	12: "QCELP/8000", 13: "CN/8000", 15: "G728/8000", 18: "G729/8000",
}

// Encodings that accompany speech and are none themselves.
const (
	comfortNoise = "CN"              // RFC 3389
	events       = "TELEPHONE-EVENT" // RFC 4733
)

// Read reads a session description. An error says why it cannot be read; one
// without audio can.
func Read(body []byte) (*Description, error) {
	session, err := sdp.Read(body)
	if err != nil {
		return nil, err
	}
	d := &Description{session: session}
	for _, m := range session.Media {
		if m.Kind == "audio" && m.Port != 0 {
			d.stream = m
			break
		}
	}
	return d, nil
}

// Audio tells whether the description has an audio stream that is not refused.
func (d *Description) Audio() bool { return d.stream != nil }

// Address is where the side wants to hear; ok is false without audio, or where
// the address is a name.
func (d *Description) Address() (at netip.AddrPort, ok bool) {
	if !d.Audio() {
		return at, false
	}
	c, ok := sdp.Get(d.stream.Lines, 'c')
	if !ok {
		c, _ = sdp.Get(d.session.Lines, 'c')
	}
	words := strings.Fields(c) // IN IP4 address[/ttl]
	if len(words) != 3 {
		return at, false
	}
	host, _, _ := strings.Cut(words[2], "/")
	addr, err := netip.ParseAddr(host)
	return netip.AddrPortFrom(addr.Unmap(), uint16(d.stream.Port)), err == nil
}

// ControlPort is where the side wants RTCP: the next port, unless it says another
// (RFC 3605).
func (d *Description) ControlPort() uint16 {
	if text, ok := sdp.Attribute(d.stream.Lines, "rtcp"); ok {
		first, _, _ := strings.Cut(text, " ")
		if n, err := strconv.ParseUint(first, 10, 16); err == nil && n > 0 {
			return uint16(n)
		}
	}
	return uint16(d.stream.Port + 1)
}

// Formats are those of the audio stream, the one that is liked best first.
func (d *Description) Formats() []Format {
	if !d.Audio() {
		return nil
	}
	out := make([]Format, 0, len(d.stream.Formats))
	for _, text := range d.stream.Formats {
		n, err := strconv.Atoi(text)
		if err != nil {
			continue
		}
		out = append(out, Format{n, formatName(d.stream, text, n)})
	}
	return out
}

func formatName(m *sdp.Media, text string, n int) string {
	for _, value := range sdp.Attributes(m.Lines, "rtpmap") {
		if kind, name, ok := strings.Cut(value, " "); ok && kind == text {
			return strings.TrimSpace(name)
		}
	}
	return static[n]
}

// Directions of a stream, as its side sees it (RFC 3264 section 5.1).
const (
	Both     = "sendrecv"
	SendOnly = "sendonly"
	RecvOnly = "recvonly"
	Neither  = "inactive"
)

// Direction is what the side does with the stream.
func (d *Description) Direction() string {
	for _, name := range []string{SendOnly, RecvOnly, Neither, Both} {
		if d.Audio() {
			if _, ok := sdp.Attribute(d.stream.Lines, name); ok {
				return name
			}
		}
		if _, ok := sdp.Attribute(d.session.Lines, name); ok {
			return name
		}
	}
	return Both
}

// Resume makes the sound go both ways again, as before a hold.
func (d *Description) Resume() {
	direction := func(name, _ string) bool {
		return name == SendOnly || name == RecvOnly || name == Neither || name == Both
	}
	d.session.Lines = sdp.Without(d.session.Lines, direction)
	if d.Audio() {
		d.stream.Lines = sdp.Without(d.stream.Lines, direction)
	}
}

// Rules say what a trunk lets pass of a description. The zero Rules let all pass.
type Rules struct {
	// Codecs are the encodings allowed, such as PCMA, in the order in which they
	// are offered; empty allows all.
	Codecs []string
	// NoComfortNoise takes comfort noise out (RFC 3389), and NoEvents the
	// telephone events (RFC 4733).
	NoComfortNoise, NoEvents bool
	// PacketMS is the packet time that is asked for, in milliseconds; 0 leaves it.
	PacketMS int
}

// ErrNothingLeft says that no codec is left that both sides may use: 488, cause 65.
var ErrNothingLeft = errors.New("no codec is left")

// Keep takes out of the audio stream what any of the rules does not let pass, and
// puts what is left in the order of the last that has one. Other streams than the
// first of audio are refused: their ports become 0 (RFC 3264 section 6). Where there
// is no audio, and something else, nothing is left: who asks for fax alone (T.38)
// goes on with audio then.
func (d *Description) Keep(rules ...Rules) error {
	other := ""
	for _, m := range d.session.Media {
		if m != d.stream {
			if m.Port != 0 {
				other = m.Kind
			}
			m.Port, m.Lines = 0, nil // the line must stay
		}
	}
	switch {
	case !d.Audio() && other != "":
		return fmt.Errorf("%w: it has %s and no audio", ErrNothingLeft, other)
	case !d.Audio():
		return nil
	}
	for _, r := range rules {
		if err := d.keep(r); err != nil {
			return err
		}
	}
	return nil
}

func (d *Description) keep(r Rules) error {
	all := d.Formats()
	kept := slices.DeleteFunc(slices.Clone(all), func(f Format) bool {
		switch f.Encoding() {
		case comfortNoise:
			return r.NoComfortNoise
		case events:
			return r.NoEvents
		}
		return len(r.Codecs) > 0 && r.place(f) < 0
	})
	if len(r.Codecs) > 0 {
		slices.SortStableFunc(kept, func(a, b Format) int { return r.rank(a) - r.rank(b) })
	}
	if !slices.ContainsFunc(kept, speech) {
		return fmt.Errorf("%w: %s of %s", ErrNothingLeft, names(r.Codecs), names(namesOf(all)))
	}
	d.setFormats(kept)
	if r.PacketMS > 0 {
		d.stream.Lines = sdp.SetAttribute(d.stream.Lines, "ptime", strconv.Itoa(r.PacketMS))
	}
	return nil
}

func speech(f Format) bool { return f.Encoding() != comfortNoise && f.Encoding() != events }

// place is where a format stands in the rules' order; -1 if it is not allowed.
func (r Rules) place(f Format) int {
	return slices.IndexFunc(r.Codecs, func(c string) bool { return strings.EqualFold(c, f.Encoding()) })
}

// rank is place, with what accompanies speech behind all speech.
func (r Rules) rank(f Format) int {
	if !speech(f) {
		return len(r.Codecs)
	}
	return r.place(f)
}

func namesOf(list []Format) (out []string) {
	for _, f := range list {
		if speech(f) {
			out = append(out, f.Encoding())
		}
	}
	return out
}

func names(list []string) string {
	if len(list) == 0 {
		return "none"
	}
	return strings.Join(list, ", ")
}

// setFormats makes the stream have only these formats, with what is said of them.
func (d *Description) setFormats(list []Format) {
	m := d.stream
	m.Formats = nil
	for _, f := range list {
		m.Formats = append(m.Formats, strconv.Itoa(f.Type))
	}
	m.Lines = sdp.Without(m.Lines, func(name, value string) bool {
		if name != "rtpmap" && name != "fmtp" && name != "rtcp-fb" {
			return false
		}
		kind, _, _ := strings.Cut(value, " ")
		return !slices.Contains(m.Formats, kind) && kind != "*"
	})
}

// Through makes the audio come to an address of ours instead: what a side would
// negotiate past us (RFC 8445, RFC 3605) goes.
func (d *Description) Through(at netip.AddrPort) {
	value := "IN IP4 " + at.Addr().String()
	if at.Addr().Is6() {
		value = "IN IP6 " + at.Addr().String()
	}
	d.session.Lines = withConnection(d.session.Lines, value)
	if !d.Audio() {
		return
	}
	d.stream.Port, d.stream.Count = int(at.Port()), 0
	d.stream.Lines = slices.DeleteFunc(past(d.stream.Lines), func(l sdp.Line) bool { return l.Type == 'c' })
}

// withConnection gives a session one address: in place, or where it must stand,
// before the bandwidth and the times (RFC 8866 section 5).
func withConnection(lines []sdp.Line, value string) []sdp.Line {
	lines = past(lines)
	line := sdp.Line{Type: 'c', Value: value}
	if i := slices.IndexFunc(lines, func(l sdp.Line) bool { return l.Type == 'c' }); i >= 0 {
		lines[i] = line
		return lines
	}
	i := slices.IndexFunc(lines, func(l sdp.Line) bool { return strings.IndexByte("btrzka", l.Type) >= 0 })
	if i < 0 {
		i = len(lines)
	}
	return slices.Insert(lines, i, line)
}

// past takes out what two sides would agree on past us.
func past(lines []sdp.Line) []sdp.Line {
	return sdp.Without(lines, func(name, _ string) bool {
		switch name {
		case "rtcp", "rtcp-mux", "candidate", "end-of-candidates", "remote-candidates", "ice-lite", "ice-ufrag", "ice-pwd", "ice-options", "ice-pacing":
			return true
		}
		return false
	})
}

// Fits tells whether an answer names only formats that were offered (RFC 3264
// section 6.1), leaving out those that were not; an error says that none is left.
func (d *Description) Fits(offer *Description) error {
	if !d.Audio() {
		return nil
	}
	offered := offer.Formats()
	kept := slices.DeleteFunc(d.Formats(), func(f Format) bool {
		return !slices.ContainsFunc(offered, func(o Format) bool { return o.Type == f.Type || strings.EqualFold(o.Name, f.Name) && f.Name != "" })
	})
	if !slices.ContainsFunc(kept, speech) {
		return fmt.Errorf("%w: %s was answered to an offer of %s", ErrNothingLeft, names(namesOf(d.Formats())), names(namesOf(offered)))
	}
	d.setFormats(kept)
	return nil
}

// Meet makes of two offers the answers to each other: what both name, in the order of
// each. What is no description, or empty, stays as it is.
func Meet(a, b []byte) (toB, toA []byte, err error) {
	x, errA := Read(a)
	y, errB := Read(b)
	if errA != nil || errB != nil || !x.Audio() || !y.Audio() {
		return a, b, nil
	}
	if err := x.Fits(y); err != nil {
		return nil, nil, err
	}
	if err := y.Fits(x); err != nil {
		return nil, nil, err
	}
	return x.Bytes(), y.Bytes(), nil
}

// Bytes writes the description.
func (d *Description) Bytes() []byte { return d.session.Bytes() }
