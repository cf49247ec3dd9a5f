package ical_test

import (
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/ical"
)

var now = time.Date(2026, 11, 28, 9, 0, 0, 0, time.UTC)

func bookings(zone string) hours.Times {
	return hours.Times{Zone: zone, DefaultState: "night",
		Week: []hours.Weekly{{Days: []string{"mon", "tue", "wed", "thu", "fri"}, From: "08:00", To: "18:00", State: "day"}, {Days: []string{"sat"}, From: "22:00", To: "02:00", State: "sailing"},
			{Days: []string{"sun"}, From: "00:00", To: "24:00", State: "sunday"}},
		Dates: []hours.Dated{
			{Name: "Staff day; all, of us", On: "2026-06-10", State: "holiday"},
			{Name: "Turn of the year", On: "2026-12-31", From: "16:00", Until: "2027-01-02", To: "10:00", State: "closed", Yearly: true},
			{Name: "Refit", On: "2027-01-11", Until: "2027-01-14", State: "refit"},
			{Name: "Short day", On: "2026-12-24", From: "12:00", State: "night", Yearly: true},
		}}
}

func TestCalendarsComeBackAsTheyWere(t *testing.T) {
	for _, zone := range []string{"Europe/London", "America/New_York", "UTC", ""} {
		want := bookings(zone)
		text, err := ical.Write("bookings", "Bookings", want, now)
		require.NoError(t, err)
		got, err := ical.Read([]byte(text), zone, "")
		require.NoError(t, err)
		assert.Empty(t, got.Left)
		assert.Equal(t, "Bookings", got.Name)
		assert.Equal(t, want.Dates, got.Dates, zone)
		assert.Equal(t, want.Week, got.Week, zone)
	}
}

// Any times that a calendar can have come back the same.
func TestAnyTimesComeBack(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		clock := rapid.StringMatching(`(0[1-9]|1[0-9]|2[0-3]):[0-5][0-9]`)
		state := rapid.SampledFrom([]string{"day", "night", "high water; spring, tide"})
		want := hours.Times{Zone: "Europe/London"}
		for range rapid.IntRange(0, 5).Draw(t, "dates") {
			on := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, rapid.IntRange(0, 2000).Draw(t, "on"))
			d := hours.Dated{Name: "Date", On: on.Format(time.DateOnly), State: state.Draw(t, "state"), Yearly: rapid.Bool().Draw(t, "yearly")}
			if more := rapid.IntRange(0, 5).Draw(t, "until"); more > 0 {
				d.Until = on.AddDate(0, 0, more).Format(time.DateOnly)
				if rapid.Bool().Draw(t, "timed") {
					d.From, d.To = clock.Draw(t, "from"), clock.Draw(t, "to")
				}
			}
			want.Dates = append(want.Dates, d)
		}
		_, faults := hours.Compile(want)
		require.Empty(t, faults)
		// The hour that a clock leaves out in spring is none that an event can name.
		for _, d := range want.Dates {
			for _, c := range [][2]string{{d.On, d.From}, {d.Until, d.To}} {
				if strings.HasPrefix(c[1], "01") && strings.Contains(c[0], "-03-") {
					return
				}
			}
		}
		text, err := ical.Write("x", "X", want, now)
		require.NoError(t, err)
		got, err := ical.Read([]byte(text), want.Zone, "")
		require.NoError(t, err)
		require.Empty(t, got.Left)
		require.Equal(t, append([]hours.Dated{}, want.Dates...), got.Dates)
	})
}

// Source: RFC 5545 section 3.6.1 (an all-day event ends on the day after), 3.3.5 (the
// three forms of a time), 3.8.5.3 (rules), 3.3.6 (durations).
func TestWhatOthersWrite(t *testing.T) {
	text := strings.ReplaceAll(`BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//example//EN
BEGIN:VEVENT
UID:1
DTSTART;VALUE=DATE:20261224
DTEND;VALUE=DATE:20261227
SUMMARY:Closed\, all of us
END:VEVENT
BEGIN:VEVENT
UID:2
DTSTART:20260701T070000Z
DTEND:20260701T090000Z
SUMMARY:Summer
CATEGORIES:day
END:VEVENT
BEGIN:VEVENT
UID:3
DTSTART;TZID=America/New_York:20260701T070000
DURATION:PT1H30M
SUMMARY:Over there
END:VEVENT
BEGIN:VEVENT
UID:4
DTSTART:20260104T083000
DTEND:20260104T120000
RRULE:FREQ=WEEKLY;WKST=MO;INTERVAL=1;BYDAY=SU
SUMMARY:Sundays
END:VEVENT
BEGIN:VEVENT
UID:5
DTSTART:20260104T083000
DTEND:20260104T120000
RRULE:FREQ=MONTHLY;BYDAY=1SU
SUMMARY:First Sundays
END:VEVENT
BEGIN:VEVENT
UID:6
DTSTART;VALUE=DATE:20260110
DTEND;VALUE=DATE:20260109
SUMMARY:Backwards
END:VEVENT
BEGIN:VEVENT
UID:7
DTSTART;VALUE=DATE:20260110
STATUS:CANCELLED
SUMMARY:Off
END:VEVENT
BEGIN:VEVENT
UID:8
DTSTART;VALUE=DATE:20200101
RRULE:FREQ=YEARLY;BYMONTH=1;BYMONTHDAY=1
SUMMARY:New year
END:VEVENT
BEGIN:VEVENT
UID:9
DTSTART;VALUE=DATE:20200101
RRULE:FREQ=YEARLY;COUNT=3
SUMMARY:Thrice
END:VEVENT
END:VCALENDAR
`, "\n", "\r\n")
	got, err := ical.Read([]byte(text), "Europe/London", "closed")
	require.NoError(t, err)
	assert.Equal(t, []hours.Dated{
		{Name: "Closed, all of us", On: "2026-12-24", Until: "2026-12-26", State: "closed"},
		{Name: "Summer", On: "2026-07-01", From: "08:00", To: "10:00", State: "day"},
		{Name: "Over there", On: "2026-07-01", From: "12:00", To: "13:30", State: "closed"},
		{Name: "New year", On: "2020-01-01", Yearly: true, State: "closed"},
	}, got.Dates)
	assert.Equal(t, []hours.Weekly{{Days: []string{"sun"}, From: "08:30", To: "12:00", State: "closed"}}, got.Week)
	var why []string
	for _, l := range got.Left {
		why = append(why, l.Summary+": "+l.Why)
	}
	assert.Equal(t, []string{
		"First Sundays: it comes again by FREQ=MONTHLY;BYDAY=1SU, which a calendar here cannot have: each week on some days, or each year on its day",
		"Backwards: it ends at 2026-01-09 00:00, not after it begins at 2026-01-10 00:00",
		"Off: it is cancelled",
		"Thrice: it comes again by FREQ=YEARLY;COUNT=3, which a calendar here cannot have: each week on some days, or each year on its day",
	}, why)
	got, err = ical.Read([]byte(text), "Europe/London", "")
	require.NoError(t, err)
	assert.Equal(t, "it has no category that would be its state; say which state such events have", got.Left[0].Why)
	_, err = ical.Read([]byte("id,name\n"), "Europe/London", "closed")
	assert.ErrorContains(t, err, "no iCalendar")
}

// A rule that is more than a calendar here can have, or that is none, is told; none is read as less
// than it says.
func TestRulesThatSayMore(t *testing.T) {
	r := rand.New(rand.NewPCG(5545, 1))
	parts := []string{"FREQ=WEEKLY", "FREQ=YEARLY", "FREQ=DAILY", "INTERVAL=2", "INTERVAL=1", "COUNT=4", "UNTIL=20261231T000000Z", "BYDAY=MO,WE", "BYDAY=1MO", "BYMONTH=1", "BYMONTHDAY=5", "BYSETPOS=1", "BYHOUR=9", "WKST=SU", "=", "FREQ=", "BYDAY=XX", "x"}
	plain := regexp.MustCompile(`^(FREQ|WKST=SU$|INTERVAL=1$|BYDAY=MO,WE$|BYMONTH=1$|BYMONTHDAY=5$)`)
	for range 3000 {
		var list []string
		for range 1 + r.IntN(4) {
			list = append(list, parts[r.IntN(len(parts))])
		}
		rule := strings.Join(list, ";")
		got, err := ical.Read([]byte(strings.ReplaceAll("BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:1\nDTSTART:20260105T090000\nDTEND:20260105T120000\nRRULE:"+rule+"\nSUMMARY:x\nEND:VEVENT\nEND:VCALENDAR\n", "\n", "\r\n")), "Europe/London", "closed")
		if err != nil || len(got.Dates)+len(got.Week) == 0 {
			continue // it is told
		}
		for _, p := range list {
			require.Regexp(t, plain, p, rule)
		}
	}
}
