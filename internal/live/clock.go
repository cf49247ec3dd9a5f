package live

import (
	"time"

	"switchback.example/switchback/internal/core/standing"
)

// ClocksDiffer is from how much on clocks are said to differ: a Date header has no parts of a
// second, and takes a while to come.
const ClocksDiffer = 2 * time.Second

// SaysTime notes the moment that a far end wrote in a Date header (RFC 3261 section 20.17).
func (t *Trunks) SaysTime(id string, theirs, at time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	// The second that is written has lasted half of itself on average.
	t.of(id).clock = standing.Clock{Ahead: theirs.Add(time.Second / 2).Sub(at), At: at}
}

// Clock is the far end's, as it said last.
func (t *Trunks) Clock(id string) standing.Clock {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.of(id).clock
}
