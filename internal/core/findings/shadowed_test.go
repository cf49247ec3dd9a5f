package findings_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/plan"
)

// A group that is said never to act has no caller of a small world by any trunk, and one
// that is not said so has one.
func TestAGroupThatNeverActsIsFound(t *testing.T) {
	patterns := []string{"", "1", "2", "x", "1x", "x1", "12", "[12]x", "x.", "xx"}
	trunks := [][]string{nil, {"phones"}, {"one"}, {"one", "two"}}
	// A word of each sort that the patterns can tell apart.
	world := []string{"", "1", "2", "3", "11", "12", "13", "21", "22", "23", "31", "32", "33", "111"}
	rapid.Check(t, func(t *rapid.T) {
		p := calltest.Small("GB")
		for i := range rapid.IntRange(1, 5).Draw(t, "groups") {
			id := fmt.Sprint("g", i)
			p.CallerGroups = append(p.CallerGroups, plan.CallerGroup{
				ID: id, Name: id, CallerPattern: rapid.SampledFrom(patterns).Draw(t, "callers"), Trunks: rapid.SampledFrom(trunks).Draw(t, "trunks"),
			})
		}
		s, problems := decide.Compile(p)
		require.Empty(t, problems)
		acts := map[string]bool{}
		for _, trunk := range []string{"phones", "one", "two"} {
			for _, caller := range world {
				if g, ok := s.GroupOf(trunk, digits.MustNumber(caller)); ok {
					acts[g.ID] = true
				}
			}
		}
		shadowed, err := findings.Shadowed(s.Graph)
		require.NoError(t, err)
		said := map[string]bool{}
		for _, g := range shadowed {
			said[g.Group.ID] = true
			require.NotEmpty(t, g.By)
		}
		for _, g := range p.CallerGroups {
			require.Equal(t, !acts[g.ID], said[g.ID], "%s of %+v", g.ID, p.CallerGroups)
		}
	})
}

func TestANewGroupBehindACatchAll(t *testing.T) {
	p := calltest.Small("GB")
	p.CallerGroups = []plan.CallerGroup{{ID: "all", Name: "All"}, {ID: "crew", Name: "Crew", CallerPattern: "22xx"}}
	list, err := findings.Shadowed(calltest.Compile(t, p).Graph)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "Crew never applies: All precedes it and matches all its callers", list[0].Text)
}
