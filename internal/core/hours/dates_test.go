package hours

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var weekdays = []string{"mon", "tue", "wed", "thu", "fri"}

func bookings(t *testing.T) *Calendar {
	c, faults := Compile(Times{
		Zone: "Europe/London", DefaultState: "night", Holidays: Holidays{"GB", "holiday"},
		Week: []Weekly{{Days: weekdays, From: "08:00", To: "18:00", State: "day"}},
		Dates: []Dated{
			{Name: "Staff day", On: "2026-06-10", State: "holiday"},
			{Name: "Short day", On: "2026-12-24", From: "12:00", State: "night", Yearly: true},
			{Name: "Refit", On: "2027-01-11", From: "18:00", Until: "2027-01-14", To: "06:00", State: "refit"},
			{Name: "Turn of the year", On: "2026-12-31", From: "16:00", Until: "2027-01-02", To: "10:00", State: "closed", Yearly: true},
			{Name: "Open for once", On: "2027-12-24", State: "day"},
		},
	})
	require.Empty(t, faults)
	return c
}

func TestDatesWinOverHolidaysAndTheseOverTheWeek(t *testing.T) {
	c := bookings(t)
	for at, want := range map[string]string{
		"2026-06-09T10:00:00Z": "day week ",
		"2026-06-10T10:00:00Z": "holiday date Staff day",
		"2027-06-10T10:00:00Z": "day week ", // once only
		"2026-12-24T11:59:00Z": "day week ",
		"2026-12-24T12:00:00Z": "night date Short day",
		"2027-12-24T13:00:00Z": "day date Open for once", // a single date wins over a yearly one
		"2028-12-24T13:00:00Z": "night date Short day",
		"2025-12-24T13:00:00Z": "day week ", // not before its first year
		"2027-01-11T17:59:00Z": "day week ",
		"2027-01-12T12:00:00Z": "refit date Refit",
		"2027-01-14T05:59:00Z": "refit date Refit",
		"2027-01-14T06:00:00Z": "night default ",
		"2029-01-01T12:00:00Z": "closed date Turn of the year", // the one that began in the year before
		"2029-01-02T09:59:00Z": "closed date Turn of the year",
		"2029-01-02T10:00:00Z": "day week ",
	} {
		state, because := c.Explain(moment(t, at))
		assert.Equal(t, want, fmt.Sprintf("%s %s %s", state, because.By, because.Name), at)
	}
}

// Source: bank holidays of England and Wales in 2026 as the British government publishes
// them (from memory): 26 December is a Saturday, so that Monday 28 stands in for it.
// Federal holidays of the United States in 2026 as its Office of Personnel Management
// publishes them (from memory): 4 July is a Saturday, so that Friday 3 stands in for it.
func TestPublicHolidaysOfAYear(t *testing.T) {
	for country, want := range map[string][]string{
		"GB": {"01-01", "04-03", "04-06", "05-04", "05-25", "08-31", "12-25", "12-26", "12-28"},
		"US": {"01-01", "01-19", "02-16", "05-25", "06-19", "07-03", "07-04", "09-07", "10-12", "11-11", "11-26", "12-25"},
	} {
		c, faults := Compile(Times{Holidays: Holidays{country, "holiday"}, DefaultState: "open"})
		require.Empty(t, faults)
		var days []string
		for d := moment(t, "2026-01-01T12:00:00Z"); d.Year() == 2026; d = d.AddDate(0, 0, 1) {
			if c.At(d) == "holiday" {
				days = append(days, d.Format("01-02"))
			}
		}
		assert.Equal(t, want, days, country)
	}
}

// Each holiday that the library works out, and each day in lieu, is one in the calendar;
// and no others are, for every country that is known.
func TestHolidaysAgreeWithTheLibrary(t *testing.T) {
	for _, country := range Countries() {
		c, faults := Compile(Times{Holidays: Holidays{country, "holiday"}, DefaultState: "open"})
		require.Empty(t, faults)
		want := map[string]bool{}
		for year := 2025; year <= 2029; year++ {
			for _, h := range observances[country] {
				actual, observed := h.Calc(year)
				want[actual.Format(time.DateOnly)], want[observed.Format(time.DateOnly)] = true, true
			}
		}
		for d := moment(t, "2026-01-01T12:00:00Z"); d.Year() < 2029; d = d.AddDate(0, 0, 1) {
			assert.Equal(t, want[d.Format(time.DateOnly)], c.At(d) == "holiday", "%s %s", country, d)
		}
	}
}

func TestDatesThatCannotBeAreTold(t *testing.T) {
	for reason, d := range map[string]Dated{
		`dates/0/until: it ends on 2026-12-24, before it begins on 2026-12-26`:                                           {On: "2026-12-26", Until: "2026-12-24"},
		`dates/0/to: it ends at 08:00, before it begins at 18:00; where it goes past midnight, its last day is the next`: {On: "2026-12-26", From: "18:00", To: "08:00"},
		`dates/0/on: "26.12." is no day; write it as 2026-12-24`:                                                         {On: "26.12."},
		`dates/0/until: "never" is no day; write it as 2026-12-24, or leave it empty`:                                    {On: "2026-12-26", Until: "never"},
		`dates/0/from: invalid time "noon"; allowed: 00:00 to 23:59`:                                                     {On: "2026-12-26", From: "noon"},
		`dates/0/to: invalid time "25:00"; allowed: 00:00 to 24:00`:                                                      {On: "2026-12-26", To: "25:00"},
		`dates/0/until: it is longer than a year, and comes again each year`:                                             {On: "2026-01-01", Until: "2027-06-01", Yearly: true},
	} {
		_, faults := Compile(Times{Dates: []Dated{d}})
		require.Len(t, faults, 1, reason)
		assert.Equal(t, reason, faults[0].Field+": "+faults[0].Reason)
	}
	_, faults := Compile(Times{Holidays: Holidays{"XX", "holiday"}})
	assert.Equal(t, `no holidays known for country "XX"; use an ISO 3166 code such as GB`, faults[0].Reason)
}

// The next change and the stretches of a month are what asking each minute finds, over
// nights of daylight saving too.
func TestChangesAgreeWithAskingEachMinute(t *testing.T) {
	c := bookings(t)
	rapid.Check(t, func(t *rapid.T) {
		from := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC).Add(time.Duration(rapid.IntRange(0, 3*365*24*60).Draw(t, "minute")) * time.Minute)
		at, state, ok := c.Next(from)
		require.True(t, ok)
		for m := from; m.Before(at); m = m.Add(time.Minute) {
			require.Equal(t, c.At(from), c.At(m), m)
		}
		require.NotEqual(t, c.At(from), c.At(at))
		require.Equal(t, state, c.At(at))
	})
	for _, night := range []string{"2026-03-28T12:00:00Z", "2026-10-24T12:00:00Z", "2026-12-30T00:00:00Z"} {
		from := moment(t, night)
		spans := c.Spans(from, from.AddDate(0, 0, 5))
		require.Equal(t, from, spans[0].From)
		for i, s := range spans {
			for m := s.From; m.Before(s.To); m = m.Add(time.Minute) {
				state, because := c.Explain(m)
				require.Equal(t, s.State, state, m)
				require.Equal(t, s.Because, because)
			}
			if i > 0 {
				require.Equal(t, spans[i-1].To, s.From)
			}
		}
		require.Equal(t, from.AddDate(0, 0, 5), spans[len(spans)-1].To)
	}
}

// Source: IANA time zone database, Europe/London: 25 October 2026 has 25 hours, and
// 29 March 2026 has 23.
func TestADayThatIsLongerOrShorter(t *testing.T) {
	c, _ := Compile(Times{Zone: "Europe/London", DefaultState: "night", Dates: []Dated{{Name: "Long", On: "2026-10-25", State: "day"}, {Name: "Short", On: "2026-03-29", State: "day"}}})
	at, _, ok := c.Next(moment(t, "2026-10-25T12:00:00Z"))
	require.True(t, ok)
	assert.Equal(t, moment(t, "2026-10-26T00:00:00Z"), at.UTC())
	at, _, _ = c.Next(moment(t, "2026-10-24T12:00:00Z"))
	assert.Equal(t, moment(t, "2026-10-24T23:00:00Z"), at.UTC(), "25 hours before")
	at, _, _ = c.Next(moment(t, "2026-03-29T12:00:00Z"))
	assert.Equal(t, moment(t, "2026-03-29T23:00:00Z"), at.UTC())
	at, _, _ = c.Next(moment(t, "2026-03-28T12:00:00Z"))
	assert.Equal(t, moment(t, "2026-03-29T00:00:00Z"), at.UTC(), "23 hours before")
}
