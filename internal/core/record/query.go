package record

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Query says which calls are wanted. What is empty or zero asks for nothing.
type Query struct {
	Number       NumberQuery
	Trunk        string // id, inbound or outbound
	Switch       string // id
	Outcomes     []string
	Media        []Sound
	Q850, SIP    int
	Since, Until time.Time     // when the call started; Until itself is not included
	AtLeast      time.Duration // talk time of calls that ended
	LessThan     time.Duration // talk time of calls that ended; 0 is no limit
	After        Cursor
}

// Cursor is a place in the list of calls, which is newest first. The zero cursor is its begin.
type Cursor struct {
	Started time.Time
	ID      string
}

// CursorOf is the place of a call in the list.
func CursorOf(s Summary) Cursor { return Cursor{s.Started, s.ID} }

// String is the cursor as text, which ParseCursor reads; empty for the zero cursor.
func (c Cursor) String() string {
	if c.ID == "" {
		return ""
	}
	return c.Started.UTC().Format(time.RFC3339Nano) + "_" + c.ID
}

// ParseCursor reads a cursor.
func ParseCursor(text string) (c Cursor, err error) {
	if text == "" {
		return c, nil
	}
	at, id, ok := strings.Cut(text, "_")
	if !ok || id == "" {
		return c, fmt.Errorf("cursor %q is not one that a list of calls gave out", text)
	}
	if c.Started, err = time.Parse(time.RFC3339Nano, at); err != nil {
		return Cursor{}, fmt.Errorf("cursor %q is not one that a list of calls gave out", text)
	}
	c.ID = id
	return c, nil
}

// Compare sorts places as the list has them: newest first; of the same moment, the higher id first.
func (c Cursor) Compare(o Cursor) int {
	return cmp.Or(o.Started.Compare(c.Started), cmp.Compare(o.ID, c.ID))
}

// NumberQuery looks for digits in the numbers of a call. Numbers are written in many formats
// that share their last digits, so digits alone are those at the end.
type NumberQuery struct {
	Digits string
	// Start and End: the digits are those at the start, or at the end; neither is anywhere.
	Start, End bool
}

// MinSearched is the fewest digits that are searched for.
const MinSearched = 3

// ParseNumberQuery reads "0123" (ends with), "0123*" (starts with) and "*0123*" (contains).
// A plus, spaces, dots, hyphens and brackets do not count.
func ParseNumberQuery(text string) (q NumberQuery, err error) {
	body := strings.TrimSpace(text)
	if body == "" {
		return q, nil
	}
	front, back := strings.HasPrefix(body, "*"), strings.HasSuffix(body, "*")
	q.Start, q.End = back && !front, !back
	for i, r := range strings.Trim(body, "*") {
		switch {
		case r >= '0' && r <= '9':
			q.Digits += string(r)
		case strings.ContainsRune("+ .-()/", r):
		default:
			return NumberQuery{}, fmt.Errorf("number: %q at place %d is not a digit; allowed: digits, and * at the start or the end", r, i+1)
		}
	}
	if len(q.Digits) < MinSearched {
		return NumberQuery{}, fmt.Errorf("number: %q has fewer than %d digits", text, MinSearched)
	}
	return q, nil
}

// Empty tells whether no number is looked for.
func (q NumberQuery) Empty() bool { return q.Digits == "" }

// Matches tells whether a number is one that is looked for.
func (q NumberQuery) Matches(number string) bool {
	digits := DigitsOf(number)
	switch {
	case q.Start:
		return strings.HasPrefix(digits, q.Digits)
	case q.End:
		return strings.HasSuffix(digits, q.Digits)
	}
	return strings.Contains(digits, q.Digits)
}

// DigitsOf are the digits of a number as it was written.
func DigitsOf(number string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, number)
}

// Numbers are the numbers of a call that a search looks at.
func (s Summary) Numbers() []string { return []string{s.Caller, s.CalledIn, s.CalledOut} }

// Matches tells whether a call is wanted.
func (q Query) Matches(s Summary) bool {
	return (q.Number.Empty() || slices.ContainsFunc(s.Numbers(), q.Number.Matches)) &&
		(q.Trunk == "" || q.Trunk == s.TrunkInID || q.Trunk == s.TrunkOutID) &&
		(q.Switch == "" || q.Switch == s.Switch) &&
		(len(q.Outcomes) == 0 || slices.Contains(q.Outcomes, s.Outcome)) &&
		(len(q.Media) == 0 || slices.Contains(q.Media, s.Media)) &&
		(q.Q850 == 0 || q.Q850 == s.Q850) && (q.SIP == 0 || q.SIP == s.SIP) &&
		(q.Since.IsZero() || !s.Started.Before(q.Since)) && (q.Until.IsZero() || s.Started.Before(q.Until)) &&
		q.lasted(s) &&
		(q.After.ID == "" || CursorOf(s).Compare(q.After) > 0)
}

// lasted compares whole milliseconds, as records keep them.
func (q Query) lasted(s Summary) bool {
	if q.AtLeast == 0 && q.LessThan == 0 {
		return true
	}
	if s.Answered == nil || s.Ended == nil {
		return false
	}
	talk := s.Ended.Sub(*s.Answered).Truncate(time.Millisecond)
	return talk >= q.AtLeast && (q.LessThan == 0 || talk < q.LessThan)
}
