package guard

import (
	"net/netip"
	"time"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// Rate bounds how many things may begin in a second, whichever second that is: not only those
// of the clock, over whose turn twice as many could. The zero Rate has seen nothing.
type Rate struct {
	taken []int64 // when those of the last second began, in ns, the oldest first
}

// Take begins one at a time; it is false, and nothing begins, if there were as many in the
// second before. Times do not run back.
func (r *Rate) Take(at time.Time, most int) bool {
	now := at.UnixNano()
	old := 0
	for old < len(r.taken) && now-r.taken[old] >= int64(time.Second) {
		old++
	}
	r.taken = r.taken[old:]
	if len(r.taken) >= most {
		return false
	}
	r.taken = append(r.taken, now) // which moves them to the front of new memory now and then
	return true
}

// Door bounds what strangers may cost together and each: what is past it is dropped unread.
// One source that floods uses up its own share and no more, and is named.
type Door struct {
	// Share is how many messages a second one source may send, and Budget how many all of
	// them together.
	Share, Budget int

	sources *simplelru.LRU[netip.Addr, *Rate]
	slice   int64 // of the budget: a twentieth of a second
	spent   int
}

// What a door is made for.
const (
	// DefaultShare is what a phone system behind one address needs to register a hundred
	// phones in ten seconds, two messages each.
	DefaultShare = 20
	// DefaultBudget bounds the work that strangers make to about a hundredth of a core.
	DefaultBudget = 500
	// Slice is how long the budget is measured over, so that a second's worth is not used up at
	// its beginning.
	Slice = 50 * time.Millisecond
)

// NewDoor returns a door with the defaults.
func NewDoor() *Door {
	return &Door{Share: DefaultShare, Budget: DefaultBudget, sources: bounded[netip.Addr, *Rate](MaxFailing)}
}

// Passage is what a door says.
type Passage uint8

// The passages.
const (
	Passes  Passage = iota
	Crowded         // all strangers together send too much
	Floods          // this source does
)

// Take counts a message of a stranger.
func (d *Door) Take(from netip.Addr, at time.Time) Passage {
	from = from.Unmap()
	r, ok := d.sources.Get(from)
	if !ok {
		r = &Rate{}
		d.sources.Add(from, r)
	}
	if !r.Take(at, d.Share) {
		return Floods
	}
	if slice := at.UnixNano() / int64(Slice); slice != d.slice {
		d.slice, d.spent = slice, 0
	}
	d.spent++
	if d.spent > d.inSlice() {
		return Crowded
	}
	return Passes
}

// ClosedFor is how long the budget is used up for, for who would rather not ask for a source at
// all; 0 if it is not.
func (d *Door) ClosedFor(at time.Time) time.Duration {
	slice := at.UnixNano() / int64(Slice)
	if slice != d.slice || d.spent < d.inSlice() {
		return 0
	}
	return time.Duration((slice+1)*int64(Slice) - at.UnixNano())
}

func (d *Door) inSlice() int { return max(1, d.Budget*int(Slice)/int(time.Second)) }
