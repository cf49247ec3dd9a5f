package digits

import (
	"math/big"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func block(first, last string) Block { return Block{MustNumber(first), MustNumber(last)} }

func TestMissingMembersOfABlock(t *testing.T) {
	count, runs := MustCompile("2[0-2]xx|23[0-7]x").Missing(block("2300", "2399"), 10)
	assert.Equal(t, "20", count.String())
	assert.Equal(t, []Block{block("2380", "2399")}, runs)
	count, runs = MustCompile("2[0-3]xx").Missing(block("2000", "2399"), 10)
	assert.Zero(t, count.Sign())
	assert.Empty(t, runs)
	count, runs = MustCompile("2[0-3]xx").Missing(block("2395", "2404"), 10)
	assert.Equal(t, "5", count.String())
	assert.Equal(t, []Block{block("2400", "2404")}, runs)
	count, runs = MustCompile("+44x.").Missing(block("+440000000000000", "+459999999999999"), 10)
	assert.Equal(t, "10000000000000", count.String(), "a million million numbers are not tried one by one")
	assert.Equal(t, []Block{block("+450000000000000", "+459999999999999")}, runs)
	count, runs = MustCompile("2x[13579]").Missing(block("200", "299"), 2)
	assert.Equal(t, "50", count.String(), "all are counted, and two runs listed")
	assert.Len(t, runs, 2)
}

// What is missing of a block is what the pattern does not match, tried one by one.
func TestMissingAgreesWithTryingEach(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p := MustCompile(rapid.SampledFrom([]string{"2[0-2]xx|23[0-7]x", "x.", "2x[13579]x", "20xx|2100|2[3-5]9x", "9xxx", "1xx"}).Draw(t, "pattern"))
		first := rapid.IntRange(1000, 9999).Draw(t, "first")
		last := rapid.IntRange(first, 9999).Draw(t, "last")
		b := block(big.NewInt(int64(first)).String(), big.NewInt(int64(last)).String())
		count, runs := p.Missing(b, 10_000)
		var missed, listed []Number
		for n := first; n <= last; n++ {
			if m := MustNumber(big.NewInt(int64(n)).String()); !p.Matches(m) {
				missed = append(missed, m)
			}
		}
		for i, r := range runs {
			require.NoError(t, r.Check())
			for n := r.First; ; n = n.plus(MustNumber("1")) {
				listed = append(listed, n)
				if n == r.Last {
					break
				}
			}
			if i > 0 {
				assert.NotEqual(t, runs[i-1].Last.plus(MustNumber("1")), r.First, "neighbours are one run")
			}
		}
		assert.Equal(t, missed, listed)
		assert.Equal(t, int64(len(missed)), count.Int64())
	})
}

func TestPackedNumbersKeepTheirOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		digit := rapid.StringMatching(`[0-9]{1,15}`)
		a, b := MustNumber(digit.Draw(t, "a")), MustNumber("+"+digit.Draw(t, "b"))
		x, ok := Pack(a)
		require.True(t, ok)
		y, ok := Pack(b)
		require.True(t, ok)
		assert.Equal(t, a, Unpack(x, false))
		assert.Equal(t, b, Unpack(y, true))
		if la, lb := a.Len(), b.Len()-1; la != lb {
			assert.Equal(t, la < lb, x < y)
		} else {
			assert.Equal(t, a.String() < b.String()[1:], x < y)
		}
	})
	_, ok := Pack(MustNumber("1234567890123456"))
	assert.False(t, ok, "sixteen digits")
	_, ok = Pack(MustNumber("*1"))
	assert.False(t, ok)
	assert.Equal(t, Number{}, Unpack(0, true))
}
