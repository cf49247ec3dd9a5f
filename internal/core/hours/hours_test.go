package hours

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func office(t *testing.T) *Calendar {
	c, faults := Compile(Times{Zone: "Europe/London", DefaultState: "night", Week: []Weekly{
		{Days: []string{"mon", "tue", "wed", "thu", "fri"}, From: "08:30", To: "12:00", State: "day"},
		{Days: []string{"mon", "tue", "wed", "thu", "fri"}, From: "13:00", To: "17:30", State: "day"},
		{Days: []string{"sun"}, From: "22:00", To: "02:00", State: "sailing"},
		{Days: []string{"sat"}, From: "00:00", To: "24:00", State: "saturday"},
	}})
	require.Empty(t, faults)
	return c
}

func moment(t *testing.T, text string) time.Time {
	m, err := time.Parse(time.RFC3339, text)
	require.NoError(t, err)
	return m
}

func TestStates(t *testing.T) {
	for text, want := range map[string]string{
		"2026-11-27T08:29:59Z": "night", // a Friday; London keeps UTC in winter
		"2026-11-27T08:30:00Z": "day",
		"2026-11-27T11:59:59Z": "day",
		"2026-11-27T12:00:00Z": "night",
		"2026-11-27T13:00:00Z": "day",
		"2026-11-27T17:30:00Z": "night",
		"2026-11-28T00:00:00Z": "saturday",
		"2026-11-28T23:59:59Z": "saturday",
		"2026-11-29T21:59:00Z": "night",
		"2026-11-29T22:00:00Z": "sailing",
		"2026-11-30T01:59:00Z": "sailing", // past the end of the week
		"2026-11-30T02:00:00Z": "night",
		"2026-07-01T07:30:00Z": "day", // 08:30 in summer
	} {
		assert.Equal(t, want, office(t).At(moment(t, text)), text)
	}
}

// Source: IANA time zone database, Europe/London: on 29 March 2026 clocks go from 01:00
// to 02:00, on 25 October 2026 from 02:00 back to 01:00 (both at 01:00 UTC).
func TestNightsOfDaylightSaving(t *testing.T) {
	c, faults := Compile(Times{Zone: "Europe/London", DefaultState: "night", Week: []Weekly{{Days: []string{"sun"}, From: "01:00", To: "02:00", State: "early"}}})
	require.Empty(t, faults)
	assert.Equal(t, "night", c.At(moment(t, "2026-03-29T00:59:00Z")))
	assert.Equal(t, "night", c.At(moment(t, "2026-03-29T01:00:00Z")), "there is no such hour that night")
	assert.Equal(t, "early", c.At(moment(t, "2026-10-25T00:00:00Z")), "the first of the two")
	assert.Equal(t, "early", c.At(moment(t, "2026-10-25T01:30:00Z")), "the second")
	assert.Equal(t, "night", c.At(moment(t, "2026-10-25T02:00:00Z")))
}

func TestNextChange(t *testing.T) {
	when, state, ok := office(t).Next(moment(t, "2026-11-27T12:10:20Z"))
	require.True(t, ok)
	assert.Equal(t, "day", state)
	assert.Equal(t, moment(t, "2026-11-27T13:00:00Z"), when.UTC())
	always, _ := Compile(Times{DefaultState: "day"})
	_, _, ok = always.Next(moment(t, "2026-11-27T12:10:20Z"))
	assert.False(t, ok)
}

func TestFaultsAreToldAtTheirPlaces(t *testing.T) {
	_, faults := Compile(Times{Zone: "Sea/Middle", Week: []Weekly{{Days: []string{"mon", "mo"}, From: "8:30", To: "24:01"}, {From: "24:00", To: "10:60"}}, DefaultState: "night"})
	var fields []string
	for _, f := range faults {
		fields = append(fields, f.Field)
	}
	assert.Equal(t, []string{"timeZone", "week/0/from", "week/0/to", "week/0/days/1", "week/1/from", "week/1/to", "week/1/days"}, fields)
	_, err := Zone("Local")
	assert.Error(t, err)
}
