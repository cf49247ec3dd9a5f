package live

import "time"

// Answering is what came of calls that we sent. The answer-seizure ratio is
// Answered of Sent (ITU-T E.425 section 2.6, from memory).
type Answering struct {
	Sent, Answered int
	Wait           time.Duration // from sending to the answer, of all that were answered together
}

// Ratio is the share of calls that were answered; known is false without calls.
func (a Answering) Ratio() (share float64, known bool) {
	if a.Sent == 0 {
		return 0, false
	}
	return float64(a.Answered) / float64(a.Sent), true
}

// MeanWait is how long answered calls waited for their answer; 0 if there are none.
func (a Answering) MeanWait() time.Duration {
	if a.Answered == 0 {
		return 0
	}
	return a.Wait / time.Duration(a.Answered)
}

// slot is how finely a day is counted, and slots how many there are.
const (
	slot  = 15 * time.Minute
	slots = int(24 * time.Hour / slot)
)

// day counts the calls of the last 24 hours, in a ring of slots.
type day struct {
	ring [slots]struct {
		at int64 // which slot of all time
		Answering
	}
}

func (d *day) add(at time.Time, answered bool, wait time.Duration) {
	n := at.UnixNano() / int64(slot)
	s := &d.ring[int(n)%slots]
	if s.at != n {
		s.at, s.Answering = n, Answering{}
	}
	s.Sent++
	if answered {
		s.Answered++
		s.Wait += wait
	}
}

// AnswerSlot is what came of the calls to a trunk in one slot of the day, as it is
// to be kept.
type AnswerSlot struct {
	Trunk string
	At    time.Time // its beginning
	Answering
}

// slots lists what a day counted in the slots from a time on.
func (d *day) slots(trunk string, from time.Time) (list []AnswerSlot) {
	for _, s := range d.ring {
		if at := time.Unix(0, s.at*int64(slot)); s.Sent > 0 && !at.Add(slot).Before(from) {
			list = append(list, AnswerSlot{trunk, at.UTC(), s.Answering})
		}
	}
	return list
}

// restore takes a slot that a process before this one kept.
func (d *day) restore(a AnswerSlot) {
	n := a.At.UnixNano() / int64(slot)
	s := &d.ring[int(n)%slots]
	s.at, s.Answering = n, a.Answering
}

func (d *day) sum(now time.Time) (a Answering) {
	n := now.UnixNano() / int64(slot)
	for _, s := range d.ring {
		if s.at > n-int64(slots) && s.at <= n {
			a.Sent += s.Sent
			a.Answered += s.Answered
			a.Wait += s.Wait
		}
	}
	return a
}
