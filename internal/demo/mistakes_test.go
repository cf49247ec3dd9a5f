package demo_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
)

// evidence is what checks and findings say of a plan: failed checks and findings of rules.
func evidence(t *testing.T, p plan.Plan) map[string]bool {
	s, problems := (*decide.Snapshot)(nil).Compile(p)
	require.Empty(t, problems)
	out := map[string]bool{}
	for _, c := range p.Checks {
		if got := s.Check(c, time.Date(2026, 3, 2, 12, 0, 0, 0, time.UTC)); !got.Passed {
			out["check "+c.ID] = true
		}
	}
	for _, table := range p.Tables {
		for _, f := range findings.InTable(s, table.ID, "") {
			out["finding "+table.ID+"/"+f.Rule+" "+f.Kind] = true
		}
	}
	return out
}

// Each mistake leaves a plan that can go live, and what is wrong with it is found without a
// call: else it would show nothing. The one of the addresses shows beside the far end's own.
func TestEachMistakeOfTheDraftIsFound(t *testing.T) {
	live, err := demo.Plan()
	require.NoError(t, err)
	before := evidence(t, live)
	for _, m := range demo.Mistakes() {
		p, err := demo.Plan()
		require.NoError(t, err)
		require.NoError(t, m.Make(&p), m.Name)
		require.NotEqual(t, live, p, m.Name)
		fresh := 0
		for e := range evidence(t, p) {
			if !before[e] {
				t.Log(m.Name, "→", e)
				fresh++
			}
		}
		if m.Name == "a signalling address that is not trusted" {
			continue
		}
		require.Positive(t, fresh, m.Name)
	}
}

func TestTheDraftHasEveryMistake(t *testing.T) {
	live, err := demo.Plan()
	require.NoError(t, err)
	draft, err := demo.Draft()
	require.NoError(t, err)
	changes, _, err := plan.Diff(live, draft)
	require.NoError(t, err)
	require.Len(t, changes, len(demo.Mistakes()))
}
