package sip

import (
	"fmt"
	"strconv"
	"strings"
)

// Waiting says whether messages wait in a mailbox, as
// application/simple-message-summary (RFC 3842 section 5).
type Waiting struct {
	Messages bool
	// Account is the mailbox: a URI, or empty where the mailbox is whom it is sent to.
	Account string
	// Voice are the counts of voice messages; nil if none are said.
	Voice *Counts
	// Rest are the other lines, as they were.
	Rest []string
}

// Counts are messages of one class: new and old ones, and of each how many are
// urgent.
type Counts struct{ New, Old, UrgentNew, UrgentOld int }

// WaitingType is the type of its bodies, and WaitingEvent the event package.
const (
	WaitingType  = "application/simple-message-summary"
	WaitingEvent = "message-summary"
)

// ReadWaiting reads a summary:
//
//	msg-summary = msg-status-line [msg-account-line] 1*(msg-summary-line) [...]
//	msg-status  = "Messages-Waiting" HCOLON ( "yes" / "no" )
//	msg-summary = message-context-class HCOLON newmsgs SLASH oldmsgs [ LPAREN new-urgentmsgs SLASH old-urgentmsgs RPAREN ]
func ReadWaiting(body []byte) (w Waiting, err error) {
	said := false
	for _, line := range strings.Split(strings.ReplaceAll(string(body), "\r\n", "\n"), "\n") {
		name, value, ok := strings.Cut(line, ":")
		value = strings.TrimSpace(value)
		switch name = strings.ToLower(strings.TrimSpace(name)); {
		case strings.TrimSpace(line) == "":
		case ok && name == "messages-waiting":
			said = true
			switch strings.ToLower(value) {
			case "yes":
				w.Messages = true
			case "no":
			default:
				return w, fmt.Errorf("Messages-Waiting is %q; it is yes or no (RFC 3842 section 5.2)", value)
			}
		case ok && name == "message-account":
			w.Account = value
		case ok && name == "voice-message":
			c, err := readCounts(value)
			if err != nil {
				return w, err
			}
			w.Voice = &c
		default:
			w.Rest = append(w.Rest, line)
		}
	}
	if !said {
		return w, fmt.Errorf("it does not say Messages-Waiting (RFC 3842 section 5.2)")
	}
	return w, nil
}

func readCounts(text string) (c Counts, err error) {
	plain, urgent, hasUrgent := strings.Cut(text, "(")
	if c.New, c.Old, err = readPair(plain); err != nil {
		return c, err
	}
	if hasUrgent {
		c.UrgentNew, c.UrgentOld, err = readPair(strings.TrimSuffix(strings.TrimSpace(urgent), ")"))
	}
	return c, err
}

func readPair(text string) (a, b int, err error) {
	first, second, _ := strings.Cut(text, "/")
	x, errX := strconv.ParseUint(strings.TrimSpace(first), 10, 31)
	y, errY := strconv.ParseUint(strings.TrimSpace(second), 10, 31)
	if errX != nil || errY != nil {
		return 0, 0, fmt.Errorf("%q does not count new and old messages, such as 2/8 (RFC 3842 section 5.2)", strings.TrimSpace(text))
	}
	return int(x), int(y), nil
}

// Bytes writes the summary.
func (w Waiting) Bytes() []byte {
	var b strings.Builder
	word := "no"
	if w.Messages {
		word = "yes"
	}
	b.WriteString("Messages-Waiting: " + word + "\r\n")
	if w.Account != "" {
		b.WriteString("Message-Account: " + w.Account + "\r\n")
	}
	if c := w.Voice; c != nil {
		fmt.Fprintf(&b, "Voice-Message: %d/%d (%d/%d)\r\n", c.New, c.Old, c.UrgentNew, c.UrgentOld)
	}
	for _, line := range w.Rest {
		b.WriteString(line + "\r\n")
	}
	return []byte(b.String())
}
