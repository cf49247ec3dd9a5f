package digits

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// No two patterns that meet are missed, whatever parts them.
func TestPairsMissNone(t *testing.T) {
	texts := []string{"2xx", "[2-4]x.", "20", "x.", "0[1-3]xxxx.", "00x.", "+44x.", "+x.", "(2x|30x.)", "9[9]9|112", "2xT", "[12]xx.", "#x", "x", "", "00012x.", "00013x.", "0001xxx", "xxx1x", "xxx2x"}
	rapid.Check(t, func(t *rapid.T) {
		var patterns []*Pattern
		for range rapid.IntRange(2, 60).Draw(t, "count") {
			text := rapid.SampledFrom(texts).Draw(t, "pattern")
			if text == "" {
				patterns = append(patterns, nil)
				continue
			}
			patterns = append(patterns, MustCompile(text))
		}
		found := Pairs(patterns)
		for i := range patterns {
			seen := map[int]bool{}
			for _, j := range found[i] {
				require.Less(t, j, i)
				require.False(t, seen[j], "once")
				seen[j] = true
			}
			for j := range i {
				meets := patterns[i] == nil || patterns[j] == nil
				if !meets {
					_, meets = patterns[i].Meet(patterns[j])
				}
				if meets {
					require.True(t, slices.Contains(found[i], j), "%d and %d", i, j)
				}
			}
		}
	})
}

func TestPairsOfManyAreFew(t *testing.T) {
	var patterns []*Pattern
	for i := range 5000 {
		patterns = append(patterns, MustCompile(fmt.Sprintf("00%05dx.", i)))
	}
	pairs := 0
	for _, list := range Pairs(patterns) {
		pairs += len(list)
	}
	require.Less(t, pairs, 50_000, "of 12 million")
}
