package record

import "time"

// Volume is how many calls began in a span of time, by what came of them.
type Volume struct {
	From      time.Time `json:"from"`
	Answered  int       `json:"answered"`
	Abandoned int       `json:"abandoned"`
	Failed    int       `json:"failed" doc:"Rejected by the switch, or failed at the far ends"`
	Running   int       `json:"running"`
}

// Add counts calls of an outcome.
func (v *Volume) Add(outcome string, calls int) {
	switch outcome {
	case "answered":
		v.Answered += calls
	case "abandoned":
		v.Abandoned += calls
	case "running":
		v.Running += calls
	default:
		v.Failed += calls
	}
}

// MaxSpans bounds how many spans a range of time is divided into.
const MaxSpans = 100

// spanSteps are the lengths that people read easily.
var spanSteps = []time.Duration{
	time.Minute, 5 * time.Minute, 15 * time.Minute, time.Hour, 3 * time.Hour, 6 * time.Hour,
	24 * time.Hour, 7 * 24 * time.Hour,
}

// SpanFor is the shortest length of a span by which a range has no more than MaxSpans.
func SpanFor(since, until time.Time) time.Duration {
	for _, step := range spanSteps {
		if until.Sub(since) <= (MaxSpans-1)*step { // spans begin at round times, so the first is cut
			return step
		}
	}
	return until.Sub(since)/(MaxSpans-1) + time.Second
}
