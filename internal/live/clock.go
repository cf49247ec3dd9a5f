package live

import "time"

// Clock is how far a clock elsewhere is from ours: Ahead is positive where it goes
// before. The zero Clock was not seen yet.
type Clock struct {
	Ahead time.Duration
	At    time.Time // when it was seen
}

// ClocksDiffer is from how much on clocks are said to differ: a Date header has no parts of a
// second, and takes a while to come.
const ClocksDiffer = 2 * time.Second

// SaysTime notes the moment that a far end wrote in a Date header (RFC 3261 section 20.17).
func (t *Trunks) SaysTime(id string, theirs, at time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	// The second that is written has lasted half of itself on average.
	t.of(id).clock = Clock{theirs.Add(time.Second / 2).Sub(at), at}
}

// Clock is the far end's, as it said last.
func (t *Trunks) Clock(id string) Clock {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.of(id).clock
}
