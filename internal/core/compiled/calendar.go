package compiled

import (
	"time"

	"switchback.example/switchback/internal/core/hours"
)

// calendarKey is a calendar as a switch has it: the zone may be that of the switch.
type calendarKey struct{ hours, sw string }

// Calendar is a calendar as a switch has it; nil if the plan has none of that id.
func (s *Graph) Calendar(id, sw string) *hours.Calendar { return s.calendars[calendarKey{id, sw}] }

// StateOf is the state of a calendar where a switch is, at a moment; ok is false if the
// plan has no such calendar.
func (s *Graph) StateOf(id, sw string, at time.Time) (state string, ok bool) {
	c := s.Calendar(id, sw)
	if c == nil {
		return "", false
	}
	return c.At(at), true
}
