package digits

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// found is what an index finds: all places, those that match, and whether more
// could.
func found(x *Index, n Number) (places, matching []int, goesOn bool) {
	goesOn = x.Find(n, func(place int, matches bool) bool {
		places = append(places, place)
		if matches {
			matching = append(matching, place)
		}
		return true
	})
	return places, matching, goesOn
}

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
			places, matching, goesOn := found(x, n)
			require.True(t, slices.IsSorted(places))
			longer := false
			for i, p := range patterns {
				candidate := slices.Contains(places, i)
				require.Equal(t, p == nil || p.Matches(n), slices.Contains(matching, i), "%s and pattern %d", n, i)
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
	places, matching, goesOn := found(x, MustNumber("0000701234"))
	assert.False(t, goesOn)
	assert.Equal(t, []int{10}, matching, "0 00070 1234")
	assert.LessOrEqual(t, len(places), leafSize)
	none, _, _ := found(x, MustNumber("9"))
	assert.Empty(t, none)
	_, _, goesOn = found(x, MustNumber("0"))
	assert.True(t, goesOn)

	var wild []*Pattern // wildcards in front tell nothing apart for long
	for i := range 500 {
		wild = append(wild, MustCompile(fmt.Sprintf("xxxx%03d", i)))
	}
	assert.LessOrEqual(t, len(NewIndex(wild).nodes), nodesPerPattern*len(wild)+64+symbolCount*MaxSymbols)
	empty, _, _ := found(NewIndex(nil), MustNumber("1"))
	assert.Empty(t, empty)
}

func TestFindAllocatesNothing(t *testing.T) {
	x := NewIndex([]*Pattern{MustCompile("1x"), MustCompile("2x|30"), nil})
	n := MustNumber("30")
	last := -1
	assert.Zero(t, testing.AllocsPerRun(100, func() {
		x.Find(n, func(place int, matches bool) bool {
			last = place
			return !matches
		})
	}))
	assert.Equal(t, 1, last)
}
