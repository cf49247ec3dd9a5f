package digits

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Meeting is held to the intersection of the two sets, also between plain chains.
func TestMeetIsTheShortestOfTheIntersection(t *testing.T) {
	texts := []string{"2xx", "[2-4]x.", "20", "x.", "0[1-3]xxxx.", "00x.", "+44x.", "+x.", "(2x|30x.)", "9[9]9|112", "2xT", "[12]xx.", "#x", "x"}
	rapid.Check(t, func(t *rapid.T) {
		p, q := MustCompile(rapid.SampledFrom(texts).Draw(t, "p")), MustCompile(rapid.SampledFrom(texts).Draw(t, "q"))
		both, err := p.Set().Intersect(q.Set())
		require.NoError(t, err)
		want, wantOK := both.Shortest()
		got, ok := p.Meet(q)
		require.Equal(t, wantOK, ok)
		require.Equal(t, want, got)
	})
}
