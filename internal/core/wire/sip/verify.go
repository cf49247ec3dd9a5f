package sip

import (
	"fmt"
	"strconv"
	"strings"
)

// Verdict is what becomes of a message that cannot be taken as it is. The zero
// Verdict is that it can.
type Verdict struct {
	// Status is the answer to a request: 400, 416, 420 … ; 0 if it is fit.
	Status int
	Reason string
	// Drop says that not even an answer can be sent, or that it is a response,
	// which is never answered.
	Drop bool
}

// Fit tells whether the message can be taken.
func (v Verdict) Fit() bool { return v.Status == 0 && !v.Drop }

// Verify judges a message as a user agent must before it looks at what it means
// (RFC 3261 sections 8.1.1, 8.2, 16.3 and 18): the fields that every message has
// are there once and can be read, and they agree with the start line. Faults are
// those that Read found.
func Verify(m *Message, faults []Fault) Verdict {
	bad := judge(m, faults)
	switch {
	case bad == nil:
		return Verdict{}
	case !m.Request() || m.Method == "ACK":
		return Verdict{Drop: true, Reason: bad.Error()}
	case m.Method == "" || !answerable(m):
		return Verdict{Drop: true, Reason: bad.Error()}
	case m.Version != "" && !strings.EqualFold(m.Version, version):
		return Verdict{Status: 505, Reason: bad.Error()}
	}
	return Verdict{Status: 400, Reason: bad.Error()}
}

// answerable tells whether a response could be told to belong to the request: it
// copies Via, From, To, Call-ID and CSeq (section 8.2.6.2).
func answerable(m *Message) bool {
	for _, name := range once {
		if !m.Has(name) {
			return false
		}
	}
	return m.Has("Via")
}

// once are the fields that every message has exactly once (section 8.1.1).
var once = []string{"From", "To", "Call-ID", "CSeq"}

func judge(m *Message, faults []Fault) error {
	if len(faults) > 0 {
		return faults[0]
	}
	for _, name := range once {
		count := 0
		for i := range m.Fields {
			if m.Fields[i].Is(name) {
				count++
			}
		}
		if count != 1 {
			return fmt.Errorf("%s is there %d times, not once", name, count)
		}
	}
	if !m.Has("Via") {
		return fmt.Errorf("there is no Via")
	}
	for _, name := range []string{"Content-Length", "Max-Forwards"} {
		if n := len(m.All(name)); n > 1 {
			return fmt.Errorf("%s is there %d times", name, n)
		}
	}
	for _, check := range []func(*Message) error{judgeVias, judgeParties, judgeCSeq, judgeNumbers, judgeURI} {
		if err := check(m); err != nil {
			return err
		}
	}
	return nil
}

func judgeVias(m *Message) error {
	for i, text := range m.All("Via") {
		_, err := ReadVia(text)
		if err != nil && (i == 0 || m.Request()) {
			return err
		}
	}
	return nil
}

func judgeParties(m *Message) error {
	for _, name := range []string{"From", "To"} {
		text := m.Get(name)
		a, err := ReadAddress(text)
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		if bare(text, a) {
			return fmt.Errorf("%s: a URI with a comma or a question mark stands in <>", name)
		}
		if err := judgeName(text); err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
	}
	for _, text := range m.All("Contact") {
		if text == "*" {
			if m.Request() && m.Method != "REGISTER" {
				return fmt.Errorf("the Contact * stands in a REGISTER alone (RFC 3261 section 20.10)")
			}
			continue
		}
		a, err := ReadAddress(text)
		if err != nil {
			return fmt.Errorf("the Contact: %w", err)
		}
		if bare(text, a) {
			return fmt.Errorf("the Contact: a URI with a comma or a question mark stands in <>")
		}
	}
	return nil
}

// bare tells whether a URI that must stand in <> does not (section 20).
func bare(text string, a Address) bool {
	return indexOutsideQuotes(text, '<') < 0 && strings.ContainsAny(a.URI.String(), "?,")
}

// judgeName judges what stands before the < of an address: tokens, or one quoted
// string.
func judgeName(text string) error {
	if strings.Count(strings.ReplaceAll(text, `\"`, ""), `"`)%2 == 1 {
		return fmt.Errorf("a quoted string is never closed in %q", text)
	}
	open := indexOutsideQuotes(text, '<')
	if open <= 0 {
		return nil
	}
	name := strings.TrimSpace(text[:open])
	if strings.HasPrefix(name, `"`) && strings.HasSuffix(name, `"`) && len(name) > 1 {
		return nil
	}
	for _, word := range strings.Fields(name) {
		if !IsToken(word) {
			return fmt.Errorf("%q is no display name; other than tokens are quoted", name)
		}
	}
	return nil
}

func judgeCSeq(m *Message) error {
	c, err := ReadCSeq(m.Get("CSeq"))
	switch {
	case err != nil:
		return err
	case m.Request() && c.Method != m.Method:
		return fmt.Errorf("the CSeq counts %s, and the request is %s", c.Method, m.Method)
	}
	return nil
}

// judgeNumbers judges fields that are one number, as far as they are there.
func judgeNumbers(m *Message) error {
	for _, f := range []struct {
		name string
		max  uint64
	}{{"Max-Forwards", 255}, {"Content-Length", 1 << 31}, {"Expires", 1<<32 - 1}} {
		text := m.Get(f.name)
		if !m.Has(f.name) {
			continue
		}
		if n, err := strconv.ParseUint(text, 10, 64); err != nil || n > f.max {
			return fmt.Errorf("%s %q is out of range (0 to %d)", f.name, text, f.max)
		}
	}
	return nil
}

func judgeURI(m *Message) error {
	if !m.Request() {
		return nil
	}
	u, err := ReadURI(m.URI)
	switch {
	case err != nil:
		return fmt.Errorf("request URI: %w", err)
	case u.Header != "":
		return fmt.Errorf("request URI %q has fields behind a question mark", m.URI)
	}
	return nil
}
