package targets

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/assert"
)

func addresses(list []Target) (out []string) {
	for _, t := range list {
		out = append(out, t.Address)
	}
	return out
}

func TestPriorityComesFirst(t *testing.T) {
	list := []Target{{"c", 20, 100}, {"a", 10, 0}, {"d", 30, 0}}
	assert.Equal(t, []string{"a", "c", "d"}, addresses(Order(list, func(n int) int { return n - 1 })))
	assert.Equal(t, "c", list[0].Address, "the list that was given stays")
	assert.Empty(t, Order(nil, func(int) int { return 0 }))
}

// RFC 2782, usage rules: those of weight 0 stand first in the running sum, so that
// they are taken only by the draw 0; then each in proportion to its weight.
func TestTheRunningSum(t *testing.T) {
	list := []Target{{"one", 1, 1}, {"three", 1, 3}, {"zero", 1, 0}}
	for draw, want := range map[int]string{0: "zero", 1: "one", 2: "three", 3: "three", 4: "three"} {
		first := true
		got := Order(list, func(n int) int {
			if first {
				first = false
				assert.Equal(t, 5, n, "0 to the sum of the weights")
				return draw
			}
			return 0
		})
		assert.Equal(t, want, got[0].Address, "draw %d", draw)
		assert.Len(t, got, 3)
	}
}

func TestSharesFollowTheWeights(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2)) //nolint:gosec // repeatable
	list := []Target{{"a", 1, 10}, {"b", 1, 30}}
	first := map[string]int{}
	for range 10_000 {
		first[Order(list, r.IntN)[0].Address]++
	}
	assert.InDelta(t, 7_500, first["b"], 300)
}
