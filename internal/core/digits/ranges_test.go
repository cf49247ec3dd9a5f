package digits

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The slow twin asks every block; a single number is asked first.
func TestRangesAgreeWithAskingEveryBlock(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var blocks []Block
		taken := map[string]bool{}
		for _, at := range rapid.SliceOfNDistinct(rapid.IntRange(0, 99), 0, 30, rapid.ID).Draw(t, "tens") {
			first := rapid.IntRange(0, 9).Draw(t, "first")
			last := rapid.IntRange(first, 9).Draw(t, "last")
			blocks = append(blocks, Block{MustNumber("+" + pad(4, 1000+at*10+first)), MustNumber("+" + pad(4, 1000+at*10+last))})
			if first == last {
				taken[blocks[len(blocks)-1].First.String()] = true
			}
		}
		for _, v := range rapid.SliceOfNDistinct(rapid.IntRange(1000, 1999), 0, 30, rapid.ID).Draw(t, "singles") {
			if n := MustNumber("+" + pad(4, v)); !taken[n.String()] {
				blocks = append(blocks, Block{n, n})
			}
		}
		r, err := NewRanges(blocks)
		require.NoError(t, err)
		for range 50 {
			n := MustNumber(rapid.StringMatching(`\+?1[0-9]{2,4}`).Draw(t, "number"))
			want, there := -1, false
			for i, b := range blocks {
				if b.Contains(n) && (!there || b.First == b.Last) {
					want, there = i, true
				}
			}
			got, ok := r.Find(n)
			require.Equal(t, there, ok, "%s", n)
			if ok {
				require.Equal(t, want, got, "%s", n)
			}
		}
	})
}

func TestRangesRefuse(t *testing.T) {
	block := func(a, b string) Block { return Block{MustNumber(a), MustNumber(b)} }
	for _, c := range []struct {
		blocks       []Block
		place, other int
		reason       string
	}{
		{[]Block{block("+441", "+449"), block("+445", "+446")}, 1, 0, "+445 to +446 overlaps +441 to +449"},
		{[]Block{block("+44", "+44"), block("+45", "+45"), block("+44", "+44")}, 2, 0, "+44 is there twice"},
		{[]Block{block("+44", "+44"), block("45", "45")}, 1, 0, "some numbers have a + in front and some have none"},
		{[]Block{block("3*", "4*")}, 0, -1, "a block is written with digits only, such as 2000 to 2199"},
		{[]Block{block("+1234567890123456", "+1234567890123456")}, 0, -1, "+1234567890123456 is longer than 15 digits"},
	} {
		_, err := NewRanges(c.blocks)
		var bad *RangeError
		require.ErrorAs(t, err, &bad)
		assert.Equal(t, RangeError{c.place, c.other, c.reason}, *bad)
	}
}

func TestRangesTellWidthsApartAndAllocateNothing(t *testing.T) {
	n := MustNumber("007")
	r, err := NewRanges([]Block{{MustNumber("07"), MustNumber("07")}, {n, n}})
	require.NoError(t, err)
	place, ok := r.Find(n)
	assert.True(t, ok)
	assert.Equal(t, 1, place)
	_, ok = r.Find(MustNumber("0007"))
	assert.False(t, ok)
	assert.Zero(t, testing.AllocsPerRun(100, func() { r.Find(n) }))
}
