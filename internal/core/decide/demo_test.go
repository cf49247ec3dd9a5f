package decide_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/demo"
)

func demoPlan(t *testing.T) plan.Plan {
	p, err := demo.Plan()
	require.NoError(t, err)
	return p
}

// The demo's checks say what its plan has to do; each must pass at any hour that it
// does not name itself.
func TestTheDemoDoesWhatItsChecksSay(t *testing.T) {
	p := demoPlan(t)
	s := calltest.Compile(t, p)
	assert.GreaterOrEqual(t, len(p.Checks), 30)
	for _, c := range p.Checks {
		for _, now := range []time.Time{friday, sunday} {
			done := s.Check(c, now)
			assert.True(t, done.Passed, "%s: %v\n%s", c.Name, done.Differences, trail.Text(done.Result.Steps))
		}
	}
}

func TestTheDemosTablesHaveNoGraveFindings(t *testing.T) {
	s := calltest.Compile(t, demoPlan(t))
	for _, table := range s.Plan().Tables {
		for _, f := range findings.InTable(s, table.ID, "") {
			assert.False(t, f.Grave, "%s: %s", table.ID, f.Text)
		}
	}
	hidden, err := findings.Hides(s)
	require.NoError(t, err)
	assert.Empty(t, hidden)
}

func TestACheckTellsWhatDiffersAndWhatItHangsOn(t *testing.T) {
	s := calltest.Compile(t, demoPlan(t))
	done := s.Check(plan.Check{From: "2001", Called: "901914980850", Expected: plan.Expected{Outcome: "refused", TrunkOut: "penhallow", CalledOut: "01914980850", Cause: 21}}, friday)
	assert.False(t, done.Passed)
	var what []string
	for _, d := range done.Differences {
		what = append(what, d.What)
	}
	assert.Equal(t, []string{"outcome", "cause", "trunk", "called"}, what)
	touched := decide.Passed(done.Result.Steps)
	for _, k := range []plan.Key{{Kind: plan.KindTable, ID: "outside"}, {Kind: plan.KindTrunk, ID: "ostrel"}, {Kind: plan.KindPath, ID: "national"}, {Kind: plan.KindCallerGroup, ID: "managers"}} {
		assert.Contains(t, touched, k)
	}
	assert.NotContains(t, touched, plan.Key{Kind: plan.KindTrunk, ID: "penhallow"})

	done = s.Check(plan.Check{From: "9999", Called: "1", Expected: plan.Expected{Outcome: "answered"}}, friday)
	assert.Equal(t, "from", done.Differences[0].What)
	done = s.Check(plan.Check{From: "2001", Called: "2150", Simulate: plan.Simulated{Down: []string{"gone"}}, Expected: plan.Expected{Outcome: "answered"}}, friday)
	assert.False(t, done.Passed, "what it supposes cannot be supposed")
	assert.Equal(t, decide.Difference{What: "simulate", Expected: "gone", Actual: "unknown trunk"}, done.Differences[0])
	assert.Equal(t, plan.Expected{Outcome: "answered", TrunkOut: "ostrel", CalledOut: "+441914980850", CallerOut: "+441914980101"}, decide.Expect(s.Check(plan.Check{From: "2001", Called: "901914980850"}, friday).Result))
}
