package digits

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The slow twin asks every pattern.
func TestIndexAgreesWithAskingEveryPattern(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var patterns []*Pattern
		for i, n := 0, rapid.IntRange(1, 60).Draw(t, "patterns"); i < n; i++ {
			if rapid.IntRange(0, 15).Draw(t, "any") == 0 {
				patterns = append(patterns, nil)
				continue
			}
			p, err := Compile(drawPattern(1).Draw(t, "pattern"))
			require.NoError(t, err)
			patterns = append(patterns, p)
		}
		x := NewIndex(patterns)
		for range 20 {
			n := MustNumber(rapid.StringMatching(`[0124*#A]{0,7}`).Draw(t, "number"))
			places, goesOn := x.Candidates(n)
			require.True(t, slices.IsSorted(places))
			longer := false
			for i, p := range patterns {
				candidate := slices.Contains(places, int32(i))
				if p == nil || p.Matches(n) {
					require.True(t, candidate, "%s matches pattern %d", n, i)
				}
				if p != nil && !candidate && p.Dialled(n).State == Partial {
					longer = true
				}
			}
			require.True(t, !longer || goesOn, "%s could go on", n)
		}
	})
}

func TestIndexIsBoundedAndItsListsShort(t *testing.T) {
	var patterns []*Pattern
	for i := range 5000 {
		patterns = append(patterns, MustCompile(fmt.Sprintf("0%05dxxxx", i*7)))
	}
	x := NewIndex(patterns)
	assert.LessOrEqual(t, len(x.nodes), nodesPerPattern*len(patterns)+64+symbolCount*MaxSymbols)
	places, goesOn := x.Candidates(MustNumber("0000701234"))
	assert.False(t, goesOn)
	assert.Contains(t, places, int32(10))
	assert.LessOrEqual(t, len(places), leafSize)
	none, _ := x.Candidates(MustNumber("9"))
	assert.Empty(t, none)
	_, goesOn = x.Candidates(MustNumber("0"))
	assert.True(t, goesOn)

	var wild []*Pattern // wildcards in front tell nothing apart for long
	for i := range 500 {
		wild = append(wild, MustCompile(fmt.Sprintf("xxxx%03d", i)))
	}
	assert.LessOrEqual(t, len(NewIndex(wild).nodes), nodesPerPattern*len(wild)+64+symbolCount*MaxSymbols)
	empty, _ := NewIndex(nil).Candidates(MustNumber("1"))
	assert.Empty(t, empty)
}

func TestCandidatesAllocatesNothing(t *testing.T) {
	x := NewIndex([]*Pattern{MustCompile("1x"), MustCompile("2x"), nil})
	n := MustNumber("12")
	assert.Zero(t, testing.AllocsPerRun(100, func() { x.Candidates(n) }))
}
