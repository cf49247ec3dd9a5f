package record

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/trail"
)

var began = time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)

// Source: RFC 6076 section 4.3: the session request delay runs from the INVITE to the first
// provisional response other than 100, or to the final one.
func TestPostDialDelay(t *testing.T) {
	answered := []trail.Step{{Ended: &trail.Ended{Outcome: trail.Answered, Cause: cause.Answered}}}
	for name, c := range map[string]struct {
		call        Call
		delay, for_ int64
	}{
		"rang, then answered":         {Call{Answered: began.Add(4 * time.Second), Legs: []Leg{{}, {RangMs: 1200}}}, 1200, 2800},
		"answered without ringing":    {Call{Answered: began.Add(700 * time.Millisecond), Legs: []Leg{{}, {}}}, 700, 0},
		"first of two that rang":      {Call{Answered: began.Add(9 * time.Second), Legs: []Leg{{}, {RangMs: 800}, {RangMs: 5000}}}, 800, 8200},
		"rang, and nobody answered":   {Call{Ended: began.Add(31 * time.Second), Legs: []Leg{{}, {RangMs: 1000}}}, 1000, 30_000},
		"still rings":                 {Call{Legs: []Leg{{}, {RangMs: 1000}}}, 1000, 0},
		"neither rang nor answered":   {Call{Ended: began.Add(time.Second), Legs: []Leg{{}}}, 0, 0},
		"a ring after the answer was": {Call{Answered: began.Add(time.Second), Legs: []Leg{{}, {RangMs: 1500}}}, 1500, 0},
	} {
		c.call.Started, c.call.Trail = began, answered
		s := Summarize(c.call)
		assert.Equal(t, c.delay, s.PostDialDelayMs, name)
		assert.Equal(t, c.for_, s.RingMs, name)
	}
}

func TestSummaryTellsWhoReleased(t *testing.T) {
	c := Call{Started: began, Ended: began.Add(time.Minute), ReleasedBy: SideCalled}
	assert.Empty(t, Summarize(c).ReleasedBy, "nobody releases what was not answered")
	assert.Equal(t, "failed", Summarize(c).Outcome, "the process ended within it")
	c.Answered = began.Add(time.Second)
	assert.Equal(t, SideCalled, Summarize(c).ReleasedBy)
	assert.InDelta(t, 59, Summarize(c).Seconds(began), 1e-9)
}

// A transfer puts another call in the place of the first: the list tells of the first one's
// attempts and outcome.
func TestSummaryIsOfTheCallBeforeATransfer(t *testing.T) {
	sent := func(trunk string) trail.Step {
		return trail.Step{Sent: &trail.Sent{Trunk: trail.Ref{ID: trunk, Name: trunk}}}
	}
	c := Call{Started: began, Trail: []trail.Step{
		{Received: &trail.Received{Trunk: trail.Ref{ID: "a", Name: "A"}}}, sent("b"),
		{Ended: &trail.Ended{Outcome: trail.Answered, Cause: cause.Answered}},
		{Redirected: &trail.Redirected{How: trail.HowTransferred}}, sent("c"),
		{Ended: &trail.Ended{Outcome: trail.Failed, Why: "busy"}},
	}}
	s := Summarize(c)
	assert.Equal(t, 1, s.Attempts)
	assert.Equal(t, "answered", s.Outcome)
	assert.Equal(t, "c", s.TrunkOut)
}

func TestNumberQueries(t *testing.T) {
	for _, c := range []struct {
		text, number string
		want         bool
	}{
		{"0123", "+44 20 7946 0123", true}, {"0123", "02079460123", true}, {"0123", "01230000", false},
		{"+44 (20) 7946", "442079461", false}, {"+44 20*", "+442079460123", true}, {"20*", "+4420", false},
		{"*946*", "02079460123", true}, {"*946", "02079460946", true}, {"*946", "9461", false},
	} {
		q, err := ParseNumberQuery(c.text)
		if c.text == "20*" {
			assert.ErrorContains(t, err, "fewer than 3")
			continue
		}
		require.NoError(t, err, c.text)
		assert.Equal(t, c.want, q.Matches(c.number), "%s in %s", c.text, c.number)
	}
	_, err := ParseNumberQuery("20x1")
	assert.ErrorContains(t, err, `'x' at place 3`)
	q, err := ParseNumberQuery("  ")
	require.NoError(t, err)
	assert.True(t, q.Empty())
}

func TestCursorsGoThroughText(t *testing.T) {
	c := Cursor{began.Add(123 * time.Millisecond), "abc"}
	got, err := ParseCursor(c.String())
	require.NoError(t, err)
	assert.Equal(t, c, got)
	assert.Empty(t, Cursor{}.String())
	for _, bad := range []string{"abc", "2026-11-23T12:00:00Z_", "yesterday_abc"} {
		_, err := ParseCursor(bad)
		assert.ErrorContains(t, err, bad)
	}
}

func TestSpansAreRoundAndFew(t *testing.T) {
	for _, d := range []time.Duration{time.Second, time.Minute, time.Hour, 24 * time.Hour, 7 * 24 * time.Hour, 400 * 24 * time.Hour, 9000 * 24 * time.Hour} {
		span := SpanFor(began, began.Add(d))
		assert.LessOrEqual(t, int64(d/span)+1, int64(MaxSpans), d.String())
		assert.Positive(t, span)
	}
	assert.Equal(t, 15*time.Minute, SpanFor(began, began.Add(24*time.Hour)))
}
