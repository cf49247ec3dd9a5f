// Package ical writes calendars of hours as iCalendar (RFC 5545), and reads dates and
// weeks out of calendars that others wrote.
//
// It never decides which state a calendar is in, and fetches nothing.
package ical

import (
	"fmt"
	"strings"
	"time"

	ics "github.com/arran4/golang-ical"

	"switchback.example/switchback/internal/core/hours"
)

// byDay are the days of a week as RFC 5545 section 3.3.10 names them.
var byDay = map[string]string{"mon": "MO", "tue": "TU", "wed": "WE", "thu": "TH", "fri": "FR", "sat": "SA", "sun": "SU"}

// aMonday is a day on which weeks begin that have no date of their own.
var aMonday = time.Date(2024, 1, 1, 0, 0, 0, 0, time.UTC)

const (
	localForm = "20060102T150405"
	dateForm  = "20060102"
)

// Write writes the dates and the week of times as events whose category is their state:
// dates first, as they win, then the week. Public holidays follow from their country and
// are not written. id makes the events known again, and now is when they were written.
func Write(id, name string, t hours.Times, now time.Time) (string, error) {
	zone, err := hours.Zone(t.Zone)
	if err != nil {
		return "", err
	}
	w := writer{cal: ics.NewCalendarFor("Switchback"), id: id, zone: zone, now: now}
	w.cal.SetName(name)
	if zone != time.UTC {
		w.cal.Components = append(w.cal.Components, w.timezone(now))
	}
	for i, d := range t.Dates {
		if err := w.date(i, d); err != nil {
			return "", err
		}
	}
	for i, s := range t.Week {
		if err := w.week(i, s); err != nil {
			return "", err
		}
	}
	return w.cal.Serialize(), nil
}

type writer struct {
	cal  *ics.Calendar
	id   string
	zone *time.Location
	now  time.Time
}

func (w *writer) event(kind string, i int, summary, state string) *ics.VEvent {
	e := w.cal.AddEvent(fmt.Sprintf("%s-%s-%d@switchback.example", w.id, kind, i+1))
	e.SetDtStampTime(w.now)
	e.SetSummary(summary)
	e.AddCategory(state)
	e.SetProperty(ics.ComponentPropertyTransp, "TRANSPARENT")
	return e
}

// at sets a property to a time of the clock on the wall.
func (w *writer) at(e *ics.VEvent, p ics.ComponentProperty, day time.Time, clock string) error {
	t, err := time.ParseInLocation("2006-01-02 15:04", day.Format(time.DateOnly)+" "+clock, time.UTC)
	if clock == "24:00" {
		t, err = day.AddDate(0, 0, 1), nil
	}
	if err != nil {
		return fmt.Errorf("invalid time %q", clock)
	}
	if w.zone == time.UTC {
		e.SetProperty(p, t.Format(localForm)+"Z")
		return nil
	}
	e.SetProperty(p, t.Format(localForm), &ics.KeyValues{Key: "TZID", Value: []string{w.zone.String()}})
	return nil
}

func (w *writer) date(i int, d hours.Dated) error {
	first, err := time.Parse(time.DateOnly, d.On)
	if err != nil {
		return err
	}
	last := first
	if d.Until != "" {
		if last, err = time.Parse(time.DateOnly, d.Until); err != nil {
			return err
		}
	}
	e := w.event("date", i, d.Name, d.State)
	if d.From == "" && d.To == "" {
		e.SetAllDayStartAt(first)
		e.SetAllDayEndAt(last.AddDate(0, 0, 1)) // the end is not within (section 3.6.1)
	} else {
		from, to := d.From, d.To
		if from == "" {
			from = "00:00"
		}
		if to == "" {
			to = "24:00"
		}
		if err := w.at(e, ics.ComponentPropertyDtStart, first, from); err != nil {
			return err
		}
		if err := w.at(e, ics.ComponentPropertyDtEnd, last, to); err != nil {
			return err
		}
	}
	if d.Yearly {
		e.AddRrule("FREQ=YEARLY")
	}
	return nil
}

func (w *writer) week(i int, s hours.Weekly) error {
	e := w.event("week", i, s.State, s.State)
	var days []string
	first := -1
	for n, d := range hours.Days {
		for _, name := range s.Days {
			if name != d {
				continue
			}
			if first < 0 {
				first = n
			}
			days = append(days, byDay[d])
		}
	}
	day := aMonday.AddDate(0, 0, max(first, 0))
	if err := w.at(e, ics.ComponentPropertyDtStart, day, s.From); err != nil {
		return err
	}
	end := day
	if s.To <= s.From {
		end = day.AddDate(0, 0, 1)
	}
	if err := w.at(e, ics.ComponentPropertyDtEnd, end, s.To); err != nil {
		return err
	}
	e.AddRrule("FREQ=WEEKLY;BYDAY=" + strings.Join(days, ","))
	return nil
}

// timezone describes the zone by its changes from the year of the first weeks on, for ten
// years past now: each by itself, since no rule need hold for them (section 3.6.5).
func (w *writer) timezone(now time.Time) *ics.VTimezone {
	tz := ics.NewTimezone(w.zone.String())
	tz.Properties = nil
	tz.SetProperty("TZID", w.zone.String())
	at, end := aMonday.AddDate(-1, 0, 0).In(w.zone), now.AddDate(10, 0, 0)
	for at.Before(end) {
		_, next := at.ZoneBounds()
		name, offset := at.Zone()
		start, _ := at.ZoneBounds()
		if start.IsZero() {
			start = time.Date(1970, 1, 1, 0, 0, 0, 0, w.zone)
		}
		_, before := start.Add(-time.Second).Zone()
		props := []ics.IANAProperty{
			property("DTSTART", start.UTC().Add(time.Duration(before)*time.Second).Format(localForm)),
			property("TZOFFSETFROM", offsetText(before)), property("TZOFFSETTO", offsetText(offset)), property("TZNAME", name),
		}
		base := ics.ComponentBase{Properties: props}
		if at.IsDST() {
			tz.Components = append(tz.Components, &ics.Daylight{ComponentBase: base})
		} else {
			tz.Components = append(tz.Components, &ics.Standard{ComponentBase: base})
		}
		if next.IsZero() {
			break
		}
		at = next
	}
	return tz
}

func property(name, value string) ics.IANAProperty {
	return ics.IANAProperty{BaseProperty: ics.BaseProperty{IANAToken: name, Value: value}}
}

func offsetText(seconds int) string {
	sign := "+"
	if seconds < 0 {
		sign, seconds = "-", -seconds
	}
	return fmt.Sprintf("%s%02d%02d", sign, seconds/3600, seconds/60%60)
}
