// Package sdp reads and writes session descriptions (RFC 8866) line by line, so
// that what is not understood stands where it stood.
//
// It never judges what an offer or an answer means; that is package core/media.
package sdp

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
)

// Session is a description: what holds for all of it, and its streams in order.
type Session struct {
	Lines []Line // before the first stream
	Media []*Media
}

// Line is one line: a letter and a value.
type Line struct {
	Type  byte
	Value string
}

// Media is one stream (section 5.14).
//
//	m=<media> <port>[/<number of ports>] <proto> <fmt> ...
type Media struct {
	Kind    string // audio, video, image …
	Port    int    // 0 refuses the stream
	Count   int    // number of ports; 0 if none is written
	Proto   string // such as RTP/AVP
	Formats []string
	Lines   []Line // behind the m line
}

// MaxLines bounds a description.
const MaxLines = 2000

// Read reads a description. Lines end in CRLF or LF. An error says in which line
// what cannot be read.
func Read(body []byte) (*Session, error) {
	s := &Session{}
	text := strings.TrimRight(string(body), "\r\n")
	all := strings.Split(text, "\n")
	if len(all) > MaxLines {
		return nil, fmt.Errorf("session description: more than %d lines", MaxLines)
	}
	for i, raw := range all {
		line, err := readLine(strings.TrimSuffix(raw, "\r"))
		if err == nil && i == 0 && (line.Type != 'v' || line.Value != "0") {
			err = fmt.Errorf("%q is not v=0, with which a description begins", raw)
		}
		if err == nil {
			err = s.add(line)
		}
		if err != nil {
			return nil, fmt.Errorf("session description, line %d: %w", i+1, err)
		}
	}
	return s, nil
}

func readLine(text string) (Line, error) {
	if len(text) < 2 || text[1] != '=' || text[0] < 'a' || text[0] > 'z' {
		return Line{}, fmt.Errorf("%q is not a letter, = and a value", text)
	}
	return Line{text[0], text[2:]}, nil
}

func (s *Session) add(l Line) error {
	switch {
	case l.Type == 'm':
		m, err := readMedia(l.Value)
		if err != nil {
			return err
		}
		s.Media = append(s.Media, m)
	case len(s.Media) > 0:
		last := s.Media[len(s.Media)-1]
		last.Lines = append(last.Lines, l)
	default:
		s.Lines = append(s.Lines, l)
	}
	return nil
}

func readMedia(value string) (*Media, error) {
	words := strings.Fields(value)
	if len(words) < 4 {
		return nil, fmt.Errorf("m=%s has not a kind, a port, a protocol and a format", value)
	}
	m := &Media{Kind: words[0], Proto: words[2], Formats: words[3:]}
	first, count, several := strings.Cut(words[1], "/")
	port, err := strconv.ParseUint(first, 10, 16)
	if err != nil {
		return nil, fmt.Errorf("%q is no port", first)
	}
	m.Port = int(port)
	if several {
		n, err := strconv.ParseUint(count, 10, 16)
		if err != nil {
			return nil, fmt.Errorf("invalid number of ports %q", count)
		}
		m.Count = int(n)
	}
	return m, nil
}

// Bytes writes the description.
func (s *Session) Bytes() []byte {
	var b []byte
	b = appendLines(b, s.Lines)
	for _, m := range s.Media {
		b = append(b, "m="+m.Kind+" "+strconv.Itoa(m.Port)...)
		if m.Count > 0 {
			b = append(b, "/"+strconv.Itoa(m.Count)...)
		}
		b = append(b, " "+m.Proto+" "+strings.Join(m.Formats, " ")+"\r\n"...)
		b = appendLines(b, m.Lines)
	}
	return b
}

func appendLines(b []byte, list []Line) []byte {
	for _, l := range list {
		b = append(b, l.Type, '=')
		b = append(b, l.Value...)
		b = append(b, '\r', '\n')
	}
	return b
}

// Get returns the value of the first line of a type.
func Get(lines []Line, kind byte) (value string, ok bool) {
	for _, l := range lines {
		if l.Type == kind {
			return l.Value, true
		}
	}
	return "", false
}

// Attribute returns an attribute's value: that behind the colon, empty if it has
// none.
func Attribute(lines []Line, name string) (value string, ok bool) {
	for _, l := range lines {
		if key, value, _ := strings.Cut(l.Value, ":"); l.Type == 'a' && key == name {
			return value, true
		}
	}
	return "", false
}

// Attributes returns the values of every attribute of a name.
func Attributes(lines []Line, name string) (list []string) {
	for _, l := range lines {
		if key, value, _ := strings.Cut(l.Value, ":"); l.Type == 'a' && key == name {
			list = append(list, value)
		}
	}
	return list
}

// Without takes out the attributes for which a test says so.
func Without(lines []Line, gone func(name, value string) bool) []Line {
	return slices.DeleteFunc(slices.Clone(lines), func(l Line) bool {
		name, value, _ := strings.Cut(l.Value, ":")
		return l.Type == 'a' && gone(name, value)
	})
}

// SetAttribute gives an attribute a value, in place or at the end.
func SetAttribute(lines []Line, name, value string) []Line {
	text := name
	if value != "" {
		text += ":" + value
	}
	for i, l := range lines {
		if key, _, _ := strings.Cut(l.Value, ":"); l.Type == 'a' && key == name {
			lines = slices.Clone(lines)
			lines[i].Value = text
			return lines
		}
	}
	return append(slices.Clone(lines), Line{'a', text})
}
