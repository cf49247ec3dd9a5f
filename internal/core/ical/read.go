package ical

import (
	"bytes"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"
	"github.com/teambition/rrule-go"

	"switchback.example/switchback/internal/core/hours"
)

// Bounds of what is read.
const (
	MaxBytes  = 2 << 20
	MaxEvents = 2000
)

// Reading is what a calendar of others comes to.
type Reading struct {
	Name  string         `json:"name,omitempty"`
	Dates []hours.Dated  `json:"dates" nullable:"false"`
	Week  []hours.Weekly `json:"week" nullable:"false"`
	// Left are events of which nothing was taken, and why.
	Left []Left `json:"left" nullable:"false"`
}

// Left is an event that was not taken.
type Left struct {
	Event   int    `json:"event" doc:"From 1, in the order of the file"`
	Summary string `json:"summary"`
	Why     string `json:"why"`
}

// Read reads the events of a calendar as dates and spans of a week on the clock of a zone.
// An event's state is its first category; state is that of events without one.
func Read(text []byte, zone, state string) (Reading, error) {
	out := Reading{Dates: []hours.Dated{}, Week: []hours.Weekly{}, Left: []Left{}}
	if len(text) > MaxBytes {
		return out, fmt.Errorf("the calendar is larger than %d MiB", MaxBytes>>20)
	}
	place, err := hours.Zone(zone)
	if err != nil {
		return out, err
	}
	cal, err := ics.ParseCalendar(bytes.NewReader(text))
	if err != nil {
		return out, fmt.Errorf("this is no iCalendar (RFC 5545): %w", err)
	}
	for _, p := range cal.CalendarProperties {
		if p.IANAToken == "NAME" || p.IANAToken == "X-WR-CALNAME" {
			out.Name = p.Value
		}
	}
	events := cal.Events()
	if len(events) > MaxEvents {
		return out, fmt.Errorf("the calendar has %d events; %d at most are read", len(events), MaxEvents)
	}
	for i, e := range events {
		r := reader{e, place}
		if err := r.take(&out, state); err != nil {
			out.Left = append(out.Left, Left{i + 1, r.text("SUMMARY"), err.Error()})
		}
	}
	return out, nil
}

type reader struct {
	e     *ics.VEvent
	place *time.Location
}

func (r reader) text(name string) string {
	if p := r.e.GetProperty(ics.ComponentProperty(name)); p != nil {
		return ics.FromText(p.Value)
	}
	return ""
}

// clock is a moment as the clock on the wall has it; whole tells that only its day is
// given.
type clock struct {
	time.Time
	whole bool
}

// moment reads a property, in whatever form of RFC 5545 section 3.3.5 it is written.
func (r reader) moment(name ics.ComponentProperty) (c clock, ok bool, err error) {
	p := r.e.GetProperty(name)
	if p == nil {
		return c, false, nil
	}
	if len(p.Value) == len(dateForm) {
		t, err := time.Parse(dateForm, p.Value)
		return clock{t, true}, true, err
	}
	if utc, isUTC := strings.CutSuffix(p.Value, "Z"); isUTC {
		t, err := time.Parse(localForm, utc)
		return clock{t.In(r.place), false}, true, err
	}
	from := r.place
	if id := p.ICalParameters["TZID"]; len(id) == 1 {
		if from, err = time.LoadLocation(id[0]); err != nil {
			return c, true, fmt.Errorf("its time zone %q is no IANA zone", id[0])
		}
	}
	t, err := time.ParseInLocation(localForm, p.Value, from)
	return clock{t.In(r.place), false}, true, err
}

func (r reader) take(out *Reading, state string) error {
	if strings.EqualFold(r.text("STATUS"), "CANCELLED") {
		return fmt.Errorf("it is cancelled")
	}
	if c := r.e.GetProperty(ics.ComponentPropertyCategories); c != nil {
		state = ics.FromText(c.Value)
	}
	if state == "" {
		return fmt.Errorf("it has no category that would be its state; say which state such events have")
	}
	from, ok, err := r.moment(ics.ComponentPropertyDtStart)
	if err == nil && !ok {
		err = fmt.Errorf("it has no beginning (DTSTART)")
	}
	if err != nil {
		return err
	}
	to, err := r.end(from)
	if err != nil {
		return err
	}
	if !to.After(from.Time) {
		return fmt.Errorf("it ends at %s, not after it begins at %s", to.Format("2006-01-02 15:04"), from.Format("2006-01-02 15:04"))
	}
	for _, p := range []ics.ComponentProperty{ics.ComponentPropertyExdate, ics.ComponentPropertyRdate, "RECURRENCE-ID"} {
		if r.e.GetProperty(p) != nil {
			return fmt.Errorf("it has exceptions (%s), which a calendar here cannot have", p)
		}
	}
	rule := r.e.GetProperty(ics.ComponentPropertyRrule)
	if rule == nil {
		out.Dates = append(out.Dates, r.date(from, to, state, false))
		return nil
	}
	again, err := rrule.StrToROption(rule.Value)
	if err == nil && saysTwice(rule.Value) {
		err = errors.New("a part of it is repeated")
	}
	if err != nil {
		return fmt.Errorf("its rule %q cannot be read: %w", rule.Value, err)
	}
	days := again.Byweekday
	again.Byweekday, again.Wkst = nil, rrule.Weekday{}
	if again.Interval == 1 {
		again.Interval = 0
	}
	switch {
	case len(days) == 0 && onlyItself(*again, from.Time):
		out.Dates = append(out.Dates, r.date(from, to, state, true))
	case reflect.DeepEqual(*again, rrule.ROption{Freq: rrule.WEEKLY}):
		return r.weekly(out, days, from, to, state)
	default:
		return fmt.Errorf("it comes again by %s, which a calendar here cannot have: each week on some days, or each year on its day", rule.Value)
	}
	return nil
}

// end is that of the event: its own, by its duration, or that of its day.
func (r reader) end(from clock) (clock, error) {
	to, ok, err := r.moment(ics.ComponentPropertyDtEnd)
	if err != nil || ok {
		return to, err
	}
	if p := r.e.GetProperty(ics.ComponentPropertyDuration); p != nil {
		d, err := duration(p.Value)
		return clock{from.Add(d), from.whole}, err
	}
	if from.whole {
		return clock{from.AddDate(0, 0, 1), true}, nil
	}
	return to, fmt.Errorf("it has no end")
}

// duration reads one of weeks, days, hours and minutes (section 3.3.6).
func duration(text string) (d time.Duration, err error) {
	rest, ok := strings.CutPrefix(text, "P")
	units := map[byte]time.Duration{'W': 7 * 24 * time.Hour, 'D': 24 * time.Hour, 'H': time.Hour, 'M': time.Minute, 'S': time.Second}
	n := 0
	for i := 0; ok && i < len(rest); i++ {
		switch c := rest[i]; {
		case c == 'T':
		case c >= '0' && c <= '9' && n < 100_000:
			n = n*10 + int(c-'0')
		case units[c] != 0:
			d, n = d+time.Duration(n)*units[c], 0
		default:
			ok = false
		}
	}
	if !ok || d == 0 {
		return 0, fmt.Errorf("its duration %q cannot be read", text)
	}
	return d, nil
}

func (r reader) date(from, to clock, state string, yearly bool) hours.Dated {
	d := hours.Dated{Name: r.text("SUMMARY"), On: from.Format(time.DateOnly), Yearly: yearly, State: state}
	if d.Name == "" {
		d.Name = state
	}
	if from.whole {
		to.Time = to.AddDate(0, 0, -1)
	} else {
		d.From, d.To = from.Format("15:04"), to.Format("15:04")
		if d.To == "00:00" {
			to.Time, d.To = to.AddDate(0, 0, -1), "24:00"
		}
		if d.From == "00:00" {
			d.From = ""
		}
		if d.To == "24:00" {
			d.To = ""
		}
	}
	if last := to.Format(time.DateOnly); last != d.On {
		d.Until = last
	}
	return d
}

// saysTwice tells whether a part of a rule stands twice, which RFC 5545 section 3.3.10 forbids.
func saysTwice(rule string) bool {
	seen := map[string]bool{}
	for part := range strings.SplitSeq(strings.ToUpper(rule), ";") {
		name, _, _ := strings.Cut(part, "=")
		if seen[name] {
			return true
		}
		seen[name] = true
	}
	return false
}

// onlyItself tells whether a rule says no more than that a day comes each year.
func onlyItself(again rrule.ROption, on time.Time) bool {
	if slices.Equal(again.Bymonth, []int{int(on.Month())}) {
		again.Bymonth = nil
	}
	if slices.Equal(again.Bymonthday, []int{on.Day()}) {
		again.Bymonthday = nil
	}
	return reflect.DeepEqual(again, rrule.ROption{Freq: rrule.YEARLY})
}

// weekly takes what comes again each week, on days or on the day of its beginning.
func (r reader) weekly(out *Reading, on []rrule.Weekday, from, to clock, state string) error {
	days := []string{hours.Days[(int(from.Weekday())+6)%7]}
	if len(on) > 0 {
		days = nil
		for i, d := range hours.Days {
			if slices.ContainsFunc(on, func(w rrule.Weekday) bool { return w.Day() == i }) {
				days = append(days, d)
			}
		}
	}
	if slices.ContainsFunc(on, func(w rrule.Weekday) bool { return w.N() != 0 }) {
		return fmt.Errorf("it comes again on the first, or another, of a day of the week, which a calendar here cannot have")
	}
	if to.Sub(from.Time) > 24*time.Hour {
		return fmt.Errorf("it lasts longer than a day, each week")
	}
	s := hours.Weekly{Days: days, From: from.Format("15:04"), To: to.Format("15:04"), State: state}
	if s.To == "00:00" {
		s.To = "24:00"
	}
	out.Week = append(out.Week, s)
	return nil
}
