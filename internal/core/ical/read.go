package ical

import (
	"bytes"
	"fmt"
	"slices"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"

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
	parts, err := rulesOf(rule.Value)
	if err != nil {
		return err
	}
	switch {
	case parts["FREQ"] == "YEARLY" && onlyItself(parts, from.Time):
		out.Dates = append(out.Dates, r.date(from, to, state, true))
	case parts["FREQ"] == "WEEKLY":
		return r.weekly(out, parts, from, to, state)
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

// rulesOf takes a recurrence rule apart.
func rulesOf(text string) (map[string]string, error) {
	parts := map[string]string{}
	for part := range strings.SplitSeq(text, ";") {
		name, value, ok := strings.Cut(part, "=")
		if !ok {
			return nil, fmt.Errorf("its rule %q cannot be read", text)
		}
		parts[strings.ToUpper(name)] = strings.ToUpper(value)
	}
	if parts["INTERVAL"] == "1" {
		delete(parts, "INTERVAL")
	}
	delete(parts, "WKST")
	return parts, nil
}

// onlyItself tells whether a yearly rule says no more than its day.
func onlyItself(parts map[string]string, on time.Time) bool {
	for name, value := range parts {
		switch name {
		case "FREQ":
		case "BYMONTH":
			if value != fmt.Sprint(int(on.Month())) {
				return false
			}
		case "BYMONTHDAY":
			if value != fmt.Sprint(on.Day()) {
				return false
			}
		default:
			return false
		}
	}
	return true
}

func (r reader) weekly(out *Reading, parts map[string]string, from, to clock, state string) error {
	for name := range parts {
		if name != "FREQ" && name != "BYDAY" {
			return fmt.Errorf("it comes again each week with %s=%s, which a calendar here cannot have", name, parts[name])
		}
	}
	days := []string{hours.Days[(int(from.Weekday())+6)%7]}
	if by := parts["BYDAY"]; by != "" {
		days = nil
		for _, d := range hours.Days {
			if slices.Contains(strings.Split(by, ","), byDay[d]) {
				days = append(days, d)
			}
		}
		if len(days) != len(strings.Split(by, ",")) {
			return fmt.Errorf("its days %q cannot be read", by)
		}
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
