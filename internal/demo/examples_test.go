package demo_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/demo"
)

// Every example call has a source and a decision in the demo's plan, and most are carried:
// calls that reach nothing would teach nothing.
func TestExampleCallsAreCarriedByThePlan(t *testing.T) {
	p, err := demo.Plan()
	require.NoError(t, err)
	s, problems := (*decide.Snapshot)(nil).Compile(p)
	require.Empty(t, problems)
	calls := demo.ExampleCalls(600, 7)
	require.Equal(t, calls, demo.ExampleCalls(600, 7), "the same seed gives the same calls")
	carried, sources := 0, map[string]bool{}
	for _, e := range calls {
		require.True(t, e.TalkSeconds >= 1 && e.TalkSeconds <= 60, e)
		c, err := s.CallFrom(e.From, e.Called, e.Caller)
		require.NoError(t, err, e)
		c.At = time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC)
		got, err := s.Dry(c, decide.Suppose{})
		require.NoError(t, err, e)
		require.NotEmpty(t, got.Steps, e)
		sources[c.Trunk] = true
		if got.Outcome == "answered" {
			carried++
		} else {
			t.Log(e, got.Cause)
		}
	}
	require.Greater(t, carried, 560)
	require.GreaterOrEqual(t, len(sources), 5, "calls come from phones and from carriers")
}
