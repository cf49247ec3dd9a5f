package live

import (
	"time"

	"switchback.example/switchback/internal/core/standing"
)

// slot is how finely a day is counted, and slots how many there are.
const (
	slot  = 15 * time.Minute
	slots = int(24 * time.Hour / slot)
)

// day counts the calls of the last 24 hours, in a ring of slots.
type day struct {
	ring [slots]struct {
		at int64 // which slot of all time
		standing.Answering
	}
}

// at is the slot of a time.
func (d *day) at(at time.Time) *standing.Answering {
	n := at.UnixNano() / int64(slot)
	s := &d.ring[int(n)%slots]
	if s.at != n {
		s.at, s.Answering = n, standing.Answering{}
	}
	return &s.Answering
}

func (d *day) add(at time.Time, answered bool, wait time.Duration) {
	s := d.at(at)
	s.Sent++
	if answered {
		s.Answered++
		s.Wait += wait
	}
}

// over counts how long a call rang for, and how long it lasted.
func (d *day) over(at time.Time, delay, talk time.Duration) {
	s := d.at(at)
	if delay > 0 {
		s.Rang++
		s.Delay += delay
	}
	if talk > 0 {
		s.Ended++
		s.Talk += talk
	}
}

// used notes how many channels are in use.
func (d *day) used(at time.Time, n int) {
	s := d.at(at)
	s.Peak = max(s.Peak, n)
}

// slots lists what a day counted in the slots from a time on.
func (d *day) slots(trunk string, from time.Time) (list []standing.AnswerSlot) {
	for _, s := range d.ring {
		if at := time.Unix(0, s.at*int64(slot)); s.Answering != (standing.Answering{}) && !at.Add(slot).Before(from) {
			list = append(list, standing.AnswerSlot{Trunk: trunk, At: at.UTC(), Answering: s.Answering})
		}
	}
	return list
}

// restore takes a slot that a process before this one kept.
func (d *day) restore(a standing.AnswerSlot) {
	n := a.At.UnixNano() / int64(slot)
	s := &d.ring[int(n)%slots]
	s.at, s.Answering = n, a.Answering
}

func (d *day) sum(now time.Time) (a standing.Answering) {
	n := now.UnixNano() / int64(slot)
	for _, s := range d.ring {
		if s.at > n-int64(slots) && s.at <= n {
			a.Add(s.Answering)
		}
	}
	return a
}
