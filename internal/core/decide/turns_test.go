package decide_test

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// numbers are those of a test.
type fixedNumbers struct {
	random *rand.Rand
	turn   uint64
}

func (n *fixedNumbers) Draw() uint64       { return n.random.Uint64() }
func (n *fixedNumbers) Turn(string) uint64 { n.turn++; return n.turn - 1 }

// tried decides a call over the national path, in which everything is
// congested, and returns the trunks in the order in which they were tried.
func tried(t *testing.T, s *decide.Snapshot, numbers decide.Numbers) (trunks []string, text string) {
	call, err := s.CallFrom("2001", "901914980850", "")
	require.NoError(t, err)
	call.Numbers = numbers
	congested := decide.Report{Kind: trail.ReportRefused, Status: 503}
	res, err := s.Dry(call, decide.Suppose{Hears: map[string]decide.Report{"ostrel": congested, "penhallow": congested}})
	require.NoError(t, err)
	for _, a := range res.Attempts {
		trunks = append(trunks, a.Trunk)
	}
	return trunks, trail.Text(res.Steps)
}

func ordered(t *testing.T, order string, change func(p *plan.Plan)) *decide.Snapshot {
	p := calltest.Plan(t, "skerry-line")
	i := slices.IndexFunc(p.Paths, func(p plan.Path) bool { return p.ID == "national" })
	p.Paths[i].Order = order
	if change != nil {
		change(&p)
	}
	return calltest.Compile(t, p)
}

func TestCheapestFirst(t *testing.T) {
	s := ordered(t, plan.CheapestFirst, func(p *plan.Plan) {
		for i := range p.Trunks {
			p.Trunks[i].CostRank = map[string]int{"ostrel": 5, "penhallow": 2}[p.Trunks[i].ID]
		}
	})
	trunks, text := tried(t, s, nil)
	assert.Equal(t, []string{"penhallow", "ostrel"}, trunks)
	assert.Contains(t, text, "path national, least cost: Penhallow has rank 2")
	same := ordered(t, plan.CheapestFirst, func(p *plan.Plan) {
		for i := range p.Trunks {
			p.Trunks[i].CostRank = 3
		}
	})
	trunks, _ = tried(t, same, nil)
	assert.Equal(t, []string{"ostrel", "penhallow"}, trunks, "of equal ranks the listed order holds")
}

func TestRoundRobin(t *testing.T) {
	s := ordered(t, plan.RoundRobin, nil)
	numbers := &fixedNumbers{}
	for i := range 6 {
		trunks, text := tried(t, s, numbers)
		want := []string{"ostrel", "penhallow"}
		if i%2 == 1 {
			want = []string{"penhallow", "ostrel"}
		}
		assert.Equal(t, want, trunks, "call %d", i)
		assert.Contains(t, text, "round robin: ")
	}
	trunks, _ := tried(t, s, nil)
	assert.Equal(t, []string{"ostrel", "penhallow"}, trunks, "a dry try takes nobody's turn")
}

func TestByWeight(t *testing.T) {
	s := ordered(t, plan.ByWeight, func(p *plan.Plan) {
		i := slices.IndexFunc(p.Paths, func(p plan.Path) bool { return p.ID == "national" })
		p.Paths[i].Choices[0].Weight, p.Paths[i].Choices[1].Weight = 3, 1
	})
	numbers := &fixedNumbers{random: rand.New(rand.NewPCG(1, 2))}
	first := map[string]int{}
	const calls = 4000
	for range calls {
		trunks, _ := tried(t, s, numbers)
		require.Len(t, trunks, 2, "each is tried once, whichever comes first")
		require.NotEqual(t, trunks[0], trunks[1])
		first[trunks[0]]++
	}
	// Three quarters, within five standard deviations of a binomial: 3000 ± 137.
	assert.InDelta(t, calls*3/4, first["ostrel"], 137)
}

func TestOrdersAreValidated(t *testing.T) {
	p := calltest.Plan(t, "skerry-line")
	p.Paths[0].Order = "by-mood"
	p.Paths[0].Choices[0].Weight = 1001
	p.Trunks[0].CostRank = -1
	var told []string
	for _, problem := range p.Validate() {
		told = append(told, problem.Place)
	}
	assert.Equal(t, []string{"/trunks/quay-phones/costRank", "/paths/" + p.Paths[0].ID + "/order", "/paths/" + p.Paths[0].ID + "/choices/0/weight"}, told)
}
