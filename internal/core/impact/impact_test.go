package impact_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/impact"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/demo"
)

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func skerry(t require.TestingT, change func(p *plan.Plan)) *decide.Snapshot {
	p, err := demo.Plan()
	require.NoError(t, err)
	if change != nil {
		change(&p)
	}
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	return s
}

func rule(p *plan.Plan, id string) *plan.Rule {
	for i := range p.Tables {
		for j := range p.Tables[i].Rules {
			if p.Tables[i].Rules[j].ID == id {
				return &p.Tables[i].Rules[j]
			}
		}
	}
	return nil
}

func sample(t *testing.T, s *decide.Snapshot, from, dial string) impact.Sample {
	call, err := s.CallFrom(from, dial, "")
	require.NoError(t, err)
	call.At = noon
	return impact.Sample{Name: from + " dials " + dial, Call: call}
}

func TestEachTrunkIsTakenAwayInTurn(t *testing.T) {
	s := skerry(t, nil)
	away, err := impact.TakeAway(s, []impact.Sample{
		sample(t, s, "2001", "999"), sample(t, s, "2001", "901914980850"), sample(t, s, "4123", "911"), sample(t, s, "2001", "2150"), sample(t, s, "2250", "902079460850"),
	})
	require.NoError(t, err)
	got := map[string]impact.Away{}
	for _, a := range away {
		got[a.Trunk.ID] = a
	}
	assert.Equal(t, []int{2, 2, 0}, []int{got["ostrel"].Uses, got["ostrel"].Moved, len(got["ostrel"].Lost)}, "both find another trunk")
	require.Len(t, got["tamarack"].Lost, 1, "Cape has one way out for emergencies")
	lost := got["tamarack"].Lost[0]
	assert.Equal(t, []any{"4123 dials 911", "911", true, "Tamarack did not respond"}, []any{lost.Name, lost.Called, lost.Emergency, lost.Why})
	assert.Len(t, got["quay-phones"].Lost, 1)
	assert.NotContains(t, got, "penhallow", "no sample goes by it while Ostrel is there; the one that is refused anyway is not counted")
}

// happened decides calls as they may have happened.
func happened(t *testing.T, s *decide.Snapshot, suppose decide.Suppose, calls ...[2]string) (out []impact.Past) {
	for _, c := range calls {
		call, err := s.CallFrom(c[0], c[1], "")
		require.NoError(t, err)
		call.At = noon
		res, err := s.Dry(call, suppose)
		require.NoError(t, err)
		out = append(out, impact.Past{ID: c[0] + c[1], Started: noon, Trail: res.Steps})
	}
	return out
}

func TestPastCallsAreDecidedAgain(t *testing.T) {
	s := skerry(t, nil)
	past := happened(t, s, decide.Suppose{}, [2]string{"2001", "901914980850"}, [2]string{"2150", "901914980851"}, [2]string{"2150", "907700900850"}, [2]string{"2001", "2150"}, [2]string{"2250", "902079460850"}, [2]string{"2150", "5555"})
	same := impact.Decide(s, s, past)
	assert.Equal(t, impact.Again{Decided: 6, Same: 6, Groups: []impact.Group{}}, same)

	draft := skerry(t, func(p *plan.Plan) {
		rule(p, "outside-national").Then = plan.Then{Path: "abroad"} // Penhallow first
		rule(p, "outside-mobile").Then = plan.Then{RejectCause: 21}
		p.CallerGroups[1].Permissions = append([]plan.Permission{{Class: "national"}, {Class: "local"}}, p.CallerGroups[1].Permissions...) // the crew may
	})
	again := impact.Decide(s, draft, past)
	assert.Equal(t, 2, again.Same)
	var told [][4]any
	for _, g := range again.Groups {
		told = append(told, [4]any{g.What, g.Before, g.After, g.Count})
	}
	assert.Equal(t, [][4]any{
		{impact.NowRefused, "ostrel", "Call rejected", 1},
		{impact.NowThrough, "Call rejected", "penhallow", 1},
		{impact.Elsewhere, "ostrel", "penhallow", 2},
	}, told)
	example := again.Groups[2].Calls[0]
	assert.Equal(t, []string{"ostrel", "penhallow"}, []string{example.Happened.Attempts[0].Trunk, example.Would.Attempts[0].Trunk}, "both trails are there")
}

// What trunks and far ends did then is supposed again, so that only the plan makes a
// difference.
func TestTheCircumstancesOfThenAreSupposed(t *testing.T) {
	s := skerry(t, nil)
	past := happened(t, s, decide.Suppose{Down: map[string]bool{"ostrel": true}, Hears: map[string]decide.Report{"penhallow": {Kind: trail.ReportRefused, Status: 486}}}, [2]string{"2001", "901914980850"})
	call, suppose, ok := past[0].Call()
	require.True(t, ok)
	assert.Equal(t, noon, call.At)
	assert.Equal(t, map[string]bool{"ostrel": true}, suppose.Down)
	assert.Equal(t, 486, suppose.Hears["penhallow"].Status)
	draft := skerry(t, func(p *plan.Plan) { rule(p, "outside-national").CallerSteps = nil })
	again := impact.Decide(s, draft, past)
	assert.Equal(t, 1, again.Same, "it is the path that makes the caller's number")

	draft = skerry(t, func(p *plan.Plan) {
		for i := range p.Paths {
			if p.Paths[i].ID == "national" {
				p.Paths[i].Choices = p.Paths[i].Choices[:1]
			}
		}
	})
	again = impact.Decide(s, draft, past)
	require.Len(t, again.Groups, 1)
	assert.Equal(t, impact.NowRefused, again.Groups[0].What, "Ostrel was down then, and would be")

	straight := impact.Past{Trail: []trail.Step{{Kind: trail.StepReceived, Received: &trail.Received{}}}}
	assert.Equal(t, impact.Again{Left: 1, Groups: []impact.Group{}}, impact.Decide(s, s, []impact.Past{straight}))
}

// BenchmarkPast decides a thousand past calls again.
func BenchmarkPast(b *testing.B) {
	s := skerry(b, nil)
	draft := skerry(b, func(p *plan.Plan) { rule(p, "outside-national").Then = plan.Then{Path: "abroad"} })
	var past []impact.Past
	for i := range 1000 {
		call, _ := s.CallFrom([]string{"2001", "2150", "2250", "4123"}[i%4], []string{"901914980850", "907700900850", "2150", "999"}[i/4%4], "")
		call.At = noon
		res, _ := s.Dry(call, decide.Suppose{})
		past = append(past, impact.Past{Started: noon, Trail: res.Steps})
	}
	for b.Loop() {
		impact.Decide(s, draft, past)
	}
}
