package sip

import (
	"fmt"
	"strconv"
	"strings"
)

// Fault is something that is wrong with a message, at a place.
type Fault struct {
	Offset int // byte offset in the message
	Reason string
}

func (f Fault) Error() string { return fmt.Sprintf("byte %d: %s", f.Offset, f.Reason) }

// MaxFields bounds how many fields are read; what follows is a fault, and is
// kept as one field without a name.
const MaxFields = 512

// Read reads a message that came whole, as in a datagram. It always returns a
// message, which writes the same bytes again; what is wrong is told beside it.
// A body is as long as Content-Length says, or all that is there.
func Read(b []byte) (*Message, []Fault) {
	r := reader{text: string(b)}
	m := &Message{read: true, Fields: make([]Field, 0, usualFields)}
	r.skipEmpty()
	if r.at > 0 {
		m.lead = []byte(r.text[:r.at])
	}
	m.start = r.line()
	if m.start == "" {
		r.fault(r.at, "the message is empty")
		return m, r.faults
	}
	r.startLine(m)
	r.fields(m)
	r.body(m)
	return m, r.faults
}

type reader struct {
	text   string
	at     int
	faults []Fault
}

func (r *reader) fault(at int, format string, args ...any) {
	r.faults = append(r.faults, Fault{at, fmt.Sprintf(format, args...)})
}

// skipEmpty passes empty lines before the start line (RFC 3261 section 7.5).
func (r *reader) skipEmpty() {
	for r.at < len(r.text) && (r.text[r.at] == '\r' || r.text[r.at] == '\n') {
		r.at++
	}
}

// line returns the next line with its end, CRLF or, from writers that do not
// know better, LF alone.
func (r *reader) line() string {
	rest := r.text[r.at:]
	end := strings.IndexByte(rest, '\n') + 1
	if end == 0 {
		end = len(rest)
	}
	r.at += end
	return rest[:end]
}

func trimEnd(line string) string {
	return strings.TrimSuffix(strings.TrimSuffix(line, "\n"), "\r")
}

// startLine reads
//
//	Request-Line = Method SP Request-URI SP SIP-Version CRLF
//	Status-Line  = SIP-Version SP Status-Code SP Reason-Phrase CRLF
//
// (RFC 3261 sections 7.1 and 7.2).
func (r *reader) startLine(m *Message) {
	line, at := trimEnd(m.start), len(m.lead)
	first, rest, _ := strings.Cut(line, " ")
	if len(first) >= 4 && strings.EqualFold(first[:4], "SIP/") {
		m.Version = first
		code, reason, _ := strings.Cut(rest, " ")
		status, err := strconv.Atoi(code)
		if err != nil || len(code) != 3 || status < 100 || status > 699 {
			r.fault(at, "%q is no status, 100 to 699", code)
			return
		}
		m.Status, m.Reason = status, reason
	} else {
		uri, last, ok := cutLast(rest, " ")
		if !ok || !strings.HasPrefix(strings.ToUpper(last), "SIP/") {
			r.fault(at, "%q is no start line of SIP/2.0", line)
			if IsToken(first) {
				m.Method, m.URI = first, rest // enough to answer it
			}
			return
		}
		m.Method, m.URI, m.Version = first, uri, last
		if !IsToken(first) {
			r.fault(at, "%q is no method", first)
		}
		if uri == "" || strings.ContainsAny(uri, " \t<>") {
			r.fault(at+len(first)+1, "%q is no request URI", uri)
		}
	}
	if !strings.EqualFold(m.Version, version) {
		r.fault(at, "version %s is not SIP/2.0", m.Version)
	}
}

func cutLast(s, sep string) (before, after string, ok bool) {
	if i := strings.LastIndex(s, sep); i >= 0 {
		return s[:i], s[i+len(sep):], true
	}
	return s, "", false
}

// fields reads field lines up to the empty one.
func (r *reader) fields(m *Message) {
	for {
		at := r.at
		if at >= len(r.text) {
			r.fault(at, "the message ends before the empty line that ends the header")
			return
		}
		raw := r.line()
		if trimEnd(raw) == "" {
			m.empty = raw
			return
		}
		for r.at < len(r.text) && (r.text[r.at] == ' ' || r.text[r.at] == '\t') {
			raw += r.line() // folded (section 7.3.1)
		}
		m.Fields = append(m.Fields, r.field(raw, at))
		if len(m.Fields) == MaxFields {
			r.fault(r.at, "more than %d fields", MaxFields)
			m.Fields = append(m.Fields, Field{raw: r.text[r.at:]})
			r.at = len(r.text)
			return
		}
	}
}

func (r *reader) field(raw string, at int) Field {
	name, value, ok := strings.Cut(trimEnd(raw), ":")
	f := Field{Name: strings.TrimRight(name, " \t"), raw: raw}
	if !ok {
		f.Name = ""
		r.fault(at, "%q is no field: it has no colon", trimEnd(raw))
		return f
	}
	if !IsToken(f.Name) {
		r.fault(at, "%q is no field name", f.Name)
	}
	f.Value = unfold(value)
	return f
}

// unfold joins the lines of a value by single spaces.
func unfold(value string) string {
	if !strings.Contains(value, "\n") {
		return strings.Trim(value, " \t")
	}
	lines := strings.Split(value, "\n")
	for i, line := range lines {
		lines[i] = strings.Trim(line, " \t\r")
	}
	return strings.TrimSpace(strings.Join(lines, " "))
}

// body takes what follows: as much as Content-Length says (section 18.3).
func (r *reader) body(m *Message) {
	rest := []byte(r.text[r.at:]) // a copy: the reader's buffer is used again
	m.Body = rest
	if !m.Has("Content-Length") {
		return
	}
	text := m.Get("Content-Length")
	length, err := strconv.Atoi(text)
	switch {
	case err != nil || length < 0:
		r.fault(r.at, "Content-Length %q is no length", text)
	case length > len(rest):
		r.fault(len(r.text), "Content-Length is %d, and only %d bytes follow", length, len(rest))
	default:
		m.Body, m.behind = rest[:length:length], rest[length:]
	}
}
