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

func TestThePatternsThatAreBlocks(t *testing.T) {
	for text, want := range map[string]Block{
		"+4420794604[0-7]x":        block("+442079460400", "+442079460479"),
		"2[01]xx":                  block("2000", "2199"),
		"23[0-7]x|238x|239x":       block("2300", "2399"),
		"xx":                       block("00", "99"),
		"0xx":                      block("000", "099"),
		"9xx":                      block("900", "999"),
		"2150":                     block("2150", "2150"),
		"xxxxxxxxxxxxxxxxxxxxxxxx": block("000000000000000000000000", "999999999999999999999999"),
	} {
		b, ok := MustCompile(text).Block()
		assert.True(t, ok, text)
		assert.Equal(t, want, b, text)
	}
	for _, text := range []string{"2[0-2]xx|23[0-7]", "9x.", "20xx|22xx", "+4x|4x", "*71", "2x|2*", "1xx|5xx|9xx"} {
		_, ok := MustCompile(text).Block()
		assert.False(t, ok, text)
	}
}

// A pattern is a block exactly if it has all numbers of it and no others.
func TestBlocksOfPatternsAgreeWithTryingEach(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		set := rapid.SampledFrom([]string{"x", "[0-4]", "[5-9]", "3", "[13]", "0", "9", "[89]"})
		p := MustCompile(set.Draw(t, "a") + set.Draw(t, "b") + set.Draw(t, "c"))
		var has []int
		for n := range 1000 {
			if p.Matches(MustNumber(padded(big.NewInt(int64(n)).String(), 3))) {
				has = append(has, n)
			}
		}
		b, ok := p.Block()
		require.Equal(t, has[len(has)-1]-has[0]+1 == len(has), ok)
		if ok {
			assert.Equal(t, []int64{int64(has[0]), int64(has[len(has)-1])}, []int64{value(b.First).Int64(), value(b.Last).Int64()})
		}
	})
}
