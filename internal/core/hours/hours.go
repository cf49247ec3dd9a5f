// Package hours tells which named state a calendar is in at a moment: a week of spans
// in the time of a place, across its nights of daylight saving.
//
// It has no clock: the moment is given to it. It never decides a call.
package hours

import (
	"fmt"
	"slices"
	"time"
	_ "time/tzdata" // the time zones of the world, so that no file of the machine is needed
)

// Days are the names of the days of a week, as they stand in a plan.
var Days = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// Weekly is some hours of some days of a week in which a state holds.
type Weekly struct {
	Days  []string `json:"days" nullable:"false" doc:"mon to sun; on which the span begins" maxItems:"7"`
	From  string   `json:"from" doc:"hh:mm, 00:00 to 23:59" maxLength:"5"`
	To    string   `json:"to" doc:"hh:mm, to 24:00, not within the span; not after from: on the next day" maxLength:"5"`
	State string   `json:"state" maxLength:"40"`
}

// Calendar is a compiled week in a time zone.
type Calendar struct {
	zone      *time.Location
	spans     []span
	otherwise string
}

// span is in minutes since Monday 00:00; to may be behind the end of the week.
type span struct {
	from, to int
	state    string
}

const (
	day  = 24 * 60
	week = 7 * day
)

// Fault is what is wrong with a calendar, at which of its fields.
type Fault struct{ Field, Reason string }

// Zone finds an IANA time zone; empty is UTC.
func Zone(name string) (*time.Location, error) {
	if name == "Local" {
		return nil, fmt.Errorf("the time zone of the machine is none of the plan; give an IANA name such as Europe/London")
	}
	z, err := time.LoadLocation(name)
	if err != nil {
		return nil, fmt.Errorf("%q is no IANA time zone, such as Europe/London", name)
	}
	return z, nil
}

// Compile checks spans and makes a calendar of them; the first span that holds a moment
// gives its state, and otherwise holds where none does.
func Compile(zone string, spans []Weekly, otherwise string) (*Calendar, []Fault) {
	c := &Calendar{otherwise: otherwise}
	var faults []Fault
	bad := func(field, reason string) { faults = append(faults, Fault{field, reason}) }
	var err error
	if c.zone, err = Zone(zone); err != nil {
		bad("timeZone", err.Error())
	}
	for i, s := range spans {
		at := fmt.Sprintf("week/%d/", i)
		from, ok := minutes(s.From, false)
		if !ok {
			bad(at+"from", fmt.Sprintf("%q is no time of the day, 00:00 to 23:59", s.From))
		}
		to, okTo := minutes(s.To, true)
		if !okTo {
			bad(at+"to", fmt.Sprintf("%q is no time of the day, 00:00 to 24:00", s.To))
		}
		if len(s.Days) == 0 {
			bad(at+"days", "is empty; name the days on which the span begins, mon to sun")
		}
		if to <= from {
			to += day
		}
		for j, name := range s.Days {
			d := slices.Index(Days, name)
			if d < 0 {
				bad(fmt.Sprintf("%sdays/%d", at, j), fmt.Sprintf("%q is no day; days are mon to sun", name))
				continue
			}
			c.spans = append(c.spans, span{d*day + from, d*day + to, s.State})
		}
	}
	return c, faults
}

// minutes reads hh:mm.
func minutes(text string, end bool) (m int, ok bool) {
	if len(text) != 5 || text[2] != ':' {
		return 0, false
	}
	for _, i := range []int{0, 1, 3, 4} {
		if text[i] < '0' || text[i] > '9' {
			return 0, false
		}
	}
	h, m := int(text[0]-'0')*10+int(text[1]-'0'), int(text[3]-'0')*10+int(text[4]-'0')
	m += h * 60
	return m, m%60 == m-h*60 && (m < day || end && m == day)
}

// At is the state at a moment. Spans are of the clock on the wall: in the night in which
// an hour is left out nothing is in that hour, and what happens twice is in it twice.
func (c *Calendar) At(moment time.Time) string {
	t := moment.In(c.zone)
	now := (int(t.Weekday())+6)%7*day + t.Hour()*60 + t.Minute()
	for i := range c.spans {
		s := &c.spans[i]
		if s.from <= now && now < s.to || now+week < s.to {
			return s.state
		}
	}
	return c.otherwise
}

// Next is when the state changes after a moment, and to what; ok is false if it does
// not within eight days.
func (c *Calendar) Next(moment time.Time) (at time.Time, state string, ok bool) {
	now := c.At(moment)
	// Every change is at a full minute, so that asking each minute misses none.
	for at = moment.Truncate(time.Minute); at.Before(moment.Add(8 * 24 * time.Hour)); {
		at = at.Add(time.Minute)
		if state = c.At(at); state != now {
			return at, state, true
		}
	}
	return time.Time{}, "", false
}

// Zone is where the calendar's clock hangs.
func (c *Calendar) Zone() *time.Location { return c.zone }
