package standing

import (
	"time"

	"switchback.example/switchback/internal/core/digits"
)

// Answering is what came of the calls that were sent to a trunk. The answer-seizure ratio is
// Answered of Sent (ITU-T E.411), the average call duration Talk of Ended, and the post-dial delay
// Delay of Rang (the session request delay of RFC 6076 section 4.3).
type Answering struct {
	Sent, Answered int
	Wait           time.Duration // from sending to the answer, of all that were answered together
	Ended          int           // answered calls that are over
	Talk           time.Duration // of those together
	Rang           int           // calls whose far end rang or answered
	Delay          time.Duration // until then, of those together
	Peak           int           // most channels in use at once, in both directions
}

// Add puts what came of other calls to it.
func (a *Answering) Add(o Answering) {
	a.Sent, a.Answered, a.Wait = a.Sent+o.Sent, a.Answered+o.Answered, a.Wait+o.Wait
	a.Ended, a.Talk = a.Ended+o.Ended, a.Talk+o.Talk
	a.Rang, a.Delay = a.Rang+o.Rang, a.Delay+o.Delay
	a.Peak = max(a.Peak, o.Peak)
}

// Ratio is the share of calls that were answered; known is false without calls.
func (a Answering) Ratio() (share float64, known bool) {
	if a.Sent == 0 {
		return 0, false
	}
	return float64(a.Answered) / float64(a.Sent), true
}

// MeanWait is how long answered calls waited for their answer; 0 if there are none.
func (a Answering) MeanWait() time.Duration { return mean(a.Wait, a.Answered) }

// MeanTalk is how long answered calls lasted; 0 if none is over.
func (a Answering) MeanTalk() time.Duration { return mean(a.Talk, a.Ended) }

// MeanDelay is the mean post-dial delay; 0 if nothing rang.
func (a Answering) MeanDelay() time.Duration { return mean(a.Delay, a.Rang) }

func mean(all time.Duration, of int) time.Duration {
	if of == 0 {
		return 0
	}
	return all / time.Duration(of)
}

// AnswerSlot is what came of the calls to a trunk in one slot of the day, as it is
// to be kept.
type AnswerSlot struct {
	Trunk string
	At    time.Time // its beginning
	Answering
}

// Arrival is a public number that calls from outside were for.
type Arrival struct {
	Number digits.Number // E.164
	Trunk  string        // that brought the last of them
	First  time.Time
	Last   time.Time
	Calls  int64
}

// MaxArrivals bounds the numbers that are remembered; further ones are not learnt.
const MaxArrivals = 1_000_000

// RuleMatch is how many calls a rule matched in an hour, as it is to be kept.
type RuleMatch struct {
	Rule  string
	Hour  time.Time // its beginning
	Calls int64
	Last  time.Time
}
