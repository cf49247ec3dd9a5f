package live

import (
	"cmp"
	"slices"
	"sync"
	"time"
)

// Lamp is what was said last of a mailbox: whether messages wait, by whom, and whether
// the phone system that has the extension took it (RFC 3842).
type Lamp struct {
	Mailbox string // as it was called by who said it
	From    string // trunk
	To      string // trunk; empty if none was found
	Waiting bool
	New     int
	Old     int
	At      time.Time
	// Status is what the phone system answered; 0 if it did not.
	Status int
	// Why is what stood in the way; empty if it took it.
	Why string
}

// MaxLamps bounds the mailboxes that are remembered; the oldest news goes first.
const MaxLamps = 10_000

// Lamps remembers what was said of mailboxes. The zero value remembers nothing yet.
type Lamps struct {
	mu sync.Mutex
	by map[[2]string]Lamp // trunk that said it, mailbox
}

// Say notes what was said.
func (l *Lamps) Say(one Lamp) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.by == nil {
		l.by = map[[2]string]Lamp{}
	}
	key := [2]string{one.From, one.Mailbox}
	if _, known := l.by[key]; !known && len(l.by) >= MaxLamps {
		oldest := key
		for k, v := range l.by {
			if at, ok := l.by[oldest]; !ok || v.At.Before(at.At) {
				oldest = k
			}
		}
		delete(l.by, oldest)
	}
	l.by[key] = one
}

// Of lists what a trunk said, or was told, by mailbox.
func (l *Lamps) Of(trunk string) []Lamp {
	l.mu.Lock()
	defer l.mu.Unlock()
	list := []Lamp{}
	for _, one := range l.by {
		if one.From == trunk || one.To == trunk {
			list = append(list, one)
		}
	}
	slices.SortFunc(list, func(a, b Lamp) int { return cmp.Or(cmp.Compare(a.Mailbox, b.Mailbox), cmp.Compare(a.From, b.From)) })
	return list
}
