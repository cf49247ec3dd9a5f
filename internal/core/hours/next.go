package hours

import (
	"slices"
	"time"
)

// MaxAhead is how far Next looks for a change.
const MaxAhead = 400 * 24 * time.Hour

// Span is a stretch of time in which a calendar is in one state for one reason.
type Span struct {
	From    time.Time `json:"from"`
	To      time.Time `json:"to"`
	State   string    `json:"state"`
	Because Because   `json:"because"`
}

// Next is when the state changes after a moment, and to what; ok is false if it does not
// within MaxAhead.
func (c *Calendar) Next(moment time.Time) (at time.Time, state string, ok bool) {
	now := c.At(moment)
	for d := c.midnight(moment); d.Before(moment.Add(MaxAhead)); d = nextDay(d) {
		for _, at := range c.edges(d) {
			if !at.After(moment) {
				continue
			}
			if state = c.At(at); state != now {
				return at, state, true
			}
		}
	}
	return time.Time{}, "", false
}

// Spans are the stretches from one moment to another, each as long as state and reason
// stay.
func (c *Calendar) Spans(from, to time.Time) []Span {
	var out []Span
	add := func(at time.Time) {
		state, because := c.Explain(at)
		if n := len(out); n > 0 && out[n-1].State == state && out[n-1].Because == because {
			return
		} else if n > 0 {
			out[n-1].To = at
		}
		out = append(out, Span{From: at, To: to, State: state, Because: because})
	}
	add(from)
	for d := c.midnight(from); d.Before(to); d = nextDay(d) {
		for _, at := range c.edges(d) {
			if at.After(from) && at.Before(to) {
				add(at)
			}
		}
	}
	return out
}

func (c *Calendar) midnight(moment time.Time) time.Time {
	t := moment.In(c.zone)
	return time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, c.zone)
}

func nextDay(d time.Time) time.Time {
	return time.Date(d.Year(), d.Month(), d.Day()+1, 0, 0, 0, 0, d.Location())
}

// edges are the moments of a day, in order, at which the state may change: where a span
// begins or ends or, on a day on which the clock is put forward or back, every minute.
func (c *Calendar) edges(d time.Time) []time.Time {
	end := nextDay(d)
	if end.Sub(d) != 24*time.Hour {
		out := []time.Time{}
		for at := d; at.Before(end); at = at.Add(time.Minute) {
			out = append(out, at)
		}
		return out
	}
	minutes := []int{0}
	for i := range c.spans {
		minutes = append(minutes, c.spans[i].from%day, c.spans[i].to%day)
	}
	for i := range c.dates {
		minutes = append(minutes, int(c.dates[i].from%day), int(c.dates[i].to%day))
	}
	slices.Sort(minutes)
	minutes = slices.Compact(minutes)
	out := make([]time.Time, len(minutes))
	for i, m := range minutes {
		out[i] = d.Add(time.Duration(m) * time.Minute)
	}
	return out
}
