// Package sip reads and writes SIP messages as they are on the wire (RFC 3261),
// broken ones too: what an engineer is looking for is often the broken message.
// Read loses nothing, Verify judges apart from it, and ReadHead reads only what
// call records and ladders need.
//
// It never sends or receives, and it knows no transaction.
package sip

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"
)

// Head is the start line of a message and the headers that tie it to a call.
// What could not be read is empty.
type Head struct {
	StartLine string
	Method    string // of a request; of a response, the method in its CSeq
	Status    int    // of a response; 0 for a request
	CallID    string
	CSeq      string
	Branch    string // of the topmost Via
}

// ReadHead reads the head of a message, RFC 3261 sections 7.1 to 7.3. An error
// says what is missing; the head holds what was read all the same.
func ReadHead(message []byte) (Head, error) {
	var h Head
	lines := headerLines(message)
	if len(lines) == 0 {
		return h, fmt.Errorf("the message is empty")
	}
	h.StartLine = lines[0]
	err := h.startLine()
	for _, line := range lines[1:] {
		name, value, ok := strings.Cut(line, ":")
		if !ok {
			continue
		}
		h.header(strings.ToLower(strings.TrimSpace(name)), strings.TrimSpace(value))
	}
	if h.Status != 0 {
		_, h.Method, _ = strings.Cut(h.CSeq, " ")
	}
	if err == nil && h.CallID == "" {
		err = fmt.Errorf("no Call-ID")
	}
	return h, err
}

// Request-Line = Method SP Request-URI SP SIP-Version
// Status-Line  = SIP-Version SP Status-Code SP Reason-Phrase
func (h *Head) startLine() error {
	if rest, ok := strings.CutPrefix(h.StartLine, "SIP/2.0 "); ok {
		code, _, _ := strings.Cut(rest, " ")
		status, err := strconv.Atoi(code)
		if err != nil || status < 100 || status > 699 {
			return fmt.Errorf("%q is no status, 100 to 699", code)
		}
		h.Status = status
		return nil
	}
	words := strings.Split(h.StartLine, " ")
	if len(words) != 3 || words[2] != "SIP/2.0" {
		return fmt.Errorf("%q is no start line of SIP/2.0", h.StartLine)
	}
	h.Method = words[0]
	return nil
}

func (h *Head) header(name, value string) {
	switch name {
	case "call-id", "i":
		h.CallID = value
	case "cseq":
		h.CSeq = strings.Join(strings.Fields(value), " ")
	case "via", "v":
		if _, after, ok := strings.Cut(value, ";branch="); ok && h.Branch == "" {
			h.Branch = untilDelimiter(after)
		}
	}
}

// headerLines splits the part before the body, with folded lines joined
// (RFC 3261 section 7.3.1).
func headerLines(message []byte) []string {
	head, _, _ := bytes.Cut(message, []byte("\r\n\r\n"))
	var lines []string
	for _, line := range strings.Split(string(head), "\n") {
		line = strings.TrimSuffix(line, "\r")
		switch {
		case line == "":
		case (line[0] == ' ' || line[0] == '\t') && len(lines) > 1:
			lines[len(lines)-1] += " " + strings.TrimSpace(line)
		default:
			lines = append(lines, line)
		}
	}
	return lines
}

func untilDelimiter(s string) string {
	if i := strings.IndexAny(s, ";, "); i >= 0 {
		return s[:i]
	}
	return s
}
