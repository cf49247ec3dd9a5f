package sip

import (
	"slices"
	"strconv"
	"strings"
)

// Message is one SIP message (RFC 3261 section 7), as it was read or as it is to
// be written. A message that was read is written byte by byte as it was, but for
// the fields that were changed since: what is not understood, or broken, stands
// where it stood.
type Message struct {
	// Method and URI are those of a request; Status and Reason those of a
	// response. Version is SIP/2.0 where the start line could be read.
	Method  string
	URI     string
	Status  int
	Reason  string
	Version string
	Fields  []Field
	Body    []byte

	read   bool   // start and empty are as they were read
	start  string // the start line, with its end
	lead   []byte // empty lines in front, which a reader must skip (section 7.5)
	empty  string // the empty line that ends the fields, as it was read
	behind []byte // what followed a body of stated length in the same datagram
}

// Field is one line of the header, or several that were folded.
type Field struct {
	// Name is as it was written; Is compares it as the standard wants.
	Name, Value string
	raw         string // as it was read, with its end; empty if it is to be written
}

// compact are the short forms of field names (RFC 3261 section 7.3.3, 20; and
// r, b, k, o, u, x, y, d of RFC 3515, 3892, 2543, 6665, 4028, 8224, 3841 from
// memory).
var compact = map[string]string{
	"i": "call-id", "m": "contact", "e": "content-encoding", "l": "content-length", "c": "content-type", "f": "from",
	"s": "subject", "k": "supported", "t": "to", "v": "via", "r": "refer-to", "b": "referred-by", "o": "event",
	"u": "allow-events", "x": "session-expires", "y": "identity", "d": "request-disposition", "a": "accept-contact",
	"j": "reject-contact",
}

// canonical is a field name in lower case and long form.
func canonical(name string) string {
	lower := strings.ToLower(name)
	if long, ok := compact[lower]; ok {
		return long
	}
	return lower
}

// Is tells whether the field has a name, in whatever case or form.
func (f *Field) Is(name string) bool {
	if len(f.Name) == len(name) {
		return strings.EqualFold(f.Name, name)
	}
	return (len(f.Name) == 1 || len(name) == 1) && canonical(f.Name) == canonical(name)
}

// NewRequest begins a request without fields.
func NewRequest(method, uri string) *Message {
	return &Message{Method: method, URI: uri, Version: version, Fields: make([]Field, 0, usualFields)}
}

// usualFields is how many fields most messages have at most.
const usualFields = 16

// NewResponse begins the response to a request with what it must copy (RFC 3261
// section 8.2.6.2): every Via, From, To, Call-ID and CSeq, as they stand.
func NewResponse(req *Message, status int, reason string) *Message {
	m := &Message{Status: status, Reason: reason, Version: version, Fields: make([]Field, 0, usualFields)}
	for _, name := range []string{"Via", "From", "To", "Call-ID", "CSeq"} {
		for i := range req.Fields {
			if f := &req.Fields[i]; f.Is(name) {
				m.Add(name, f.Value)
			}
		}
	}
	return m
}

const version = "SIP/2.0"

// Request tells whether the message is a request.
func (m *Message) Request() bool { return m.Status == 0 }

// Get returns the value of the first field of a name; empty if there is none.
func (m *Message) Get(name string) string {
	if i := m.index(name); i >= 0 {
		return m.Fields[i].Value
	}
	return ""
}

// Has tells whether there is a field of a name.
func (m *Message) Has(name string) bool { return m.index(name) >= 0 }

func (m *Message) index(name string) int {
	for i := range m.Fields {
		if m.Fields[i].Is(name) {
			return i
		}
	}
	return -1
}

// All returns the values of a field that is a list, in order, whether they stand
// in one line or in several (RFC 3261 section 7.3.1).
func (m *Message) All(name string) []string {
	var out []string
	for i := range m.Fields {
		if m.Fields[i].Is(name) {
			out = append(out, SplitList(m.Fields[i].Value)...)
		}
	}
	return out
}

// First returns the first value of a field that is a list; empty if there is none.
func (m *Message) First(name string) string {
	value := m.Get(name)
	if !strings.Contains(value, ",") {
		return value
	}
	return SplitList(value)[0]
}

// Add puts a field behind the others.
func (m *Message) Add(name, value string) {
	m.Fields = append(m.Fields, Field{Name: name, Value: value})
}

// AddFirst puts a field in front of the others, as a Via must stand.
func (m *Message) AddFirst(name, value string) {
	m.Fields = slices.Insert(m.Fields, 0, Field{Name: name, Value: value})
}

// Set gives the first field of a name a value and takes the others away; it is
// added if there is none.
func (m *Message) Set(name, value string) {
	i := m.index(name)
	if i < 0 {
		m.Add(name, value)
		return
	}
	m.Fields[i] = Field{Name: m.Fields[i].Name, Value: value}
	kept := m.Fields[:i+1]
	for _, f := range m.Fields[i+1:] {
		if !f.Is(name) {
			kept = append(kept, f)
		}
	}
	m.Fields = kept
}

// SetFirst gives only the first field of a name a value.
func (m *Message) SetFirst(name, value string) {
	if i := m.index(name); i >= 0 {
		m.Fields[i] = Field{Name: m.Fields[i].Name, Value: value}
	}
}

// Remove takes every field of a name away.
func (m *Message) Remove(name string) {
	kept := m.Fields[:0]
	for _, f := range m.Fields {
		if !f.Is(name) {
			kept = append(kept, f)
		}
	}
	m.Fields = kept
}

// SetBody gives the message a body of a type; an empty body has none.
func (m *Message) SetBody(kind string, body []byte) {
	m.Body, m.behind = body, nil
	m.Remove("Content-Type")
	if len(body) > 0 {
		m.Add("Content-Type", kind)
	}
	m.Set("Content-Length", strconv.Itoa(len(body)))
}

// Clone returns a copy that shares nothing that either could change.
func (m *Message) Clone() *Message {
	c := *m
	c.Fields = append([]Field(nil), m.Fields...)
	c.Body = append([]byte(nil), m.Body...)
	return &c
}

// Bytes writes the message.
func (m *Message) Bytes() []byte { return m.AppendTo(make([]byte, 0, m.size())) }

// size is how many bytes the message has, or a few more.
func (m *Message) size() int {
	n := len(m.lead) + len(m.start) + len(m.Method) + len(m.URI) + len(m.Reason) + len(m.empty) + len(m.Body) + len(m.behind) + len("SIP/2.0 999  \r\n\r\n")
	for i := range m.Fields {
		f := &m.Fields[i]
		n += max(len(f.raw), len(f.Name)+len(f.Value)+len(": \r\n"))
	}
	return n
}

// AppendTo writes the message behind b.
func (m *Message) AppendTo(b []byte) []byte {
	b = append(b, m.lead...)
	b = m.appendStart(b)
	for i := range m.Fields {
		f := &m.Fields[i]
		if f.raw != "" {
			b = append(b, f.raw...)
			continue
		}
		b = append(b, f.Name...)
		b = append(b, ": "...)
		b = append(b, f.Value...)
		b = append(b, "\r\n"...)
	}
	if m.read {
		b = append(b, m.empty...)
	} else {
		b = append(b, "\r\n"...)
	}
	b = append(b, m.Body...)
	return append(b, m.behind...)
}

func (m *Message) appendStart(b []byte) []byte {
	switch {
	case m.read:
		return append(b, m.start...)
	case m.Request():
		b = append(b, m.Method...)
		b = append(b, ' ')
		b = append(b, m.URI...)
		b = append(b, " SIP/2.0\r\n"...)
	default:
		b = append(b, "SIP/2.0 "...)
		b = strconv.AppendInt(b, int64(m.Status), 10)
		b = append(b, ' ')
		b = append(b, m.Reason...)
		b = append(b, "\r\n"...)
	}
	return b
}

// SetStart changes the start line of a request.
func (m *Message) SetStart(method, uri string) {
	m.Method, m.URI, m.read = method, uri, false
}
