package standing

import (
	"time"

	"switchback.example/switchback/internal/core/digits"
)

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
