package api_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/ical"
	"switchback.example/switchback/internal/core/plan"
)

func TestAMonthOfACalendarAndItsFiles(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	bookings := plan.Calendar{
		ID: "bookings", Name: "Bookings", Holidays: hours.Holidays{Country: "GB", State: "holiday"}, DefaultState: "night",
		Week:  []hours.Weekly{{Days: []string{"mon", "tue", "wed", "thu", "fri"}, From: "07:00", To: "20:00", State: "day"}},
		Dates: []hours.Dated{{Name: "Christmas Eve", On: "2026-12-24", From: "14:00", Yearly: true, State: "night"}},
	}
	var m api.CalendarMonth
	c.Ask("POST", "/api/draft/calendar-preview", api.CalendarAsk{Calendar: bookings, Month: "2026-12", Zone: "Europe/London"}, &m)
	require.Len(t, m.Days, 31)
	eve := m.Days[23]
	assert.Equal(t, "night 00:00-07:00, day 07:00-14:00, night 14:00-24:00", spansText(eve))
	assert.Equal(t, "holiday", m.Days[24].Spans[0].State)
	assert.Equal(t, "Christmas Day", m.Days[24].Spans[0].Because.Name)
	require.Len(t, m.Next, 10)
	for i, turn := range m.Next {
		require.True(t, turn.At.After(time.Now().Add(-time.Minute)), "from now on")
		require.True(t, i == 0 || turn.At.After(m.Next[i-1].At) && turn.State != m.Next[i-1].State, "each a change, one after the other")
	}
	c.Ask("POST", "/api/draft/calendar-preview", api.CalendarAsk{Calendar: bookings, Month: "2026-10", Zone: "Europe/London"}, &m)
	assert.InDelta(t, 25, m.Days[24].Hours, 0.01)
	bookings.Dates[0].Until = "2026-12-20"
	m = api.CalendarMonth{}
	c.Ask("POST", "/api/draft/calendar-preview", api.CalendarAsk{Calendar: bookings, Month: "2026-12"}, &m)
	assert.Equal(t, []plan.Problem{{Place: "dates/0/until", Reason: "it ends on 2026-12-20, before it begins on 2026-12-24"}}, m.Problems)
	c.Problem(422, "POST", "/api/draft/calendar-preview", api.CalendarAsk{Calendar: bookings, Month: "December"})

	status, text := c.Send("GET", "/api/draft/calendars/office/calendar.ics", nil, nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, string(text), "BEGIN:VCALENDAR")
	var read ical.Reading
	_, body := c.Send("POST", "/api/ical?zone=Europe/London&state=holiday", []byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20261224\r\nSUMMARY:Closed\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"), http.Header{"Content-Type": {"text/calendar"}})
	require.NoError(t, json.Unmarshal(body, &read))
	assert.Equal(t, []hours.Dated{{Name: "Closed", On: "2026-12-24", State: "holiday"}}, read.Dates)
	status, _ = c.Send("POST", "/api/ical", []byte("no calendar"), http.Header{"Content-Type": {"text/calendar"}})
	assert.Equal(t, 422, status)
	var countries []string
	c.Ask("GET", "/api/holidays", nil, &countries)
	assert.Contains(t, countries, "GB")
	var clocks api.Clocks
	c.Ask("GET", "/api/clocks", nil, &clocks)
	require.NotNil(t, clocks.Database)
	assert.False(t, clocks.Database.Differ)
}

func spansText(d api.CalendarDay) string {
	var out []string
	for _, s := range d.Spans {
		out = append(out, fmt.Sprintf("%s %s-%s", s.State, s.From, s.To))
	}
	return strings.Join(out, ", ")
}

func TestNumbersThatDependOnACalendar(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	var out api.CalendarNumbers
	c.Ask("GET", "/api/draft/calendars/bookings/numbers", nil, &out)
	assert.NotEmpty(t, out.Numbers)
	assert.Equal(t, out.Of, out.Rows)
	c.Problem(404, "GET", "/api/draft/calendars/none/numbers", nil)
}
