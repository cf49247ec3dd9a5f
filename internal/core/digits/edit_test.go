package digits

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestEdits(t *testing.T) {
	n := MustNumber("901914980123")
	for name, c := range map[string]struct {
		edit func() Edit
		want string
	}{
		"drop first":     {func() Edit { return DropFirst(n, 1) }, "01914980123"},
		"drop last":      {func() Edit { return DropLast(n, 2) }, "9019149801"},
		"keep first":     {func() Edit { return KeepFirst(n, 5) }, "90191"},
		"keep last":      {func() Edit { return KeepLast(n, 4) }, "0123"},
		"put before":     {func() Edit { return PutBefore(n, MustNumber("+44")) }, "+44901914980123"},
		"put after":      {func() Edit { return PutAfter(n, MustNumber("#")) }, "901914980123#"},
		"replace with":   {func() Edit { return ReplaceWith(n, MustNumber("2000")) }, "2000"},
		"replace prefix": {func() Edit { return ReplacePrefix(n, MustNumber("90"), MustNumber("+44")) }, "+441914980123"},
	} {
		e := c.edit()
		require.NoError(t, e.Err(), name)
		assert.Equal(t, c.want, e.After().String(), name)
		assert.Equal(t, n, e.Before(), name)
	}
}

func TestEditsSayWhatIsWrong(t *testing.T) {
	n := MustNumber("999")
	assert.EqualError(t, DropFirst(n, 4).Err(), "wants 4 symbols, 999 has 3")
	assert.EqualError(t, KeepLast(Number{}, 1).Err(), "wants 1 symbols, the empty number has 0")
	assert.EqualError(t, ReplacePrefix(n, MustNumber("0"), MustNumber("44")).Err(), "999 does not begin with 0")
	assert.EqualError(t, PutBefore(MustNumber("+44"), MustNumber("9")).Err(), "the result would have a + that does not stand first")
	assert.ErrorContains(t, PutBefore(MustNumber("12345678901234567890123456789012"), MustNumber("9")).Err(), "longer than 32 symbols")
}

func TestMapBlock(t *testing.T) {
	// Source: the demo's own blocks, the sum done by hand: 0191 498 0100-0299
	// onto 2000-2199 means 0191 498 0223 is the 123rd after the first, 2123.
	from := Block{MustNumber("01914980100"), MustNumber("01914980299")}
	to := Block{MustNumber("2000"), MustNumber("2199")}
	require.NoError(t, from.Check())
	assert.Equal(t, from.Size(), to.Size())
	e := MapBlock(MustNumber("01914980223"), from, to)
	require.NoError(t, e.Err())
	assert.Equal(t, "2123", e.After().String())

	padded := Block{MustNumber("0000"), MustNumber("0199")}
	e = MapBlock(MustNumber("2007"), to, padded)
	require.NoError(t, e.Err())
	assert.Equal(t, "0007", e.After().String())

	assert.EqualError(t, MapBlock(MustNumber("01914980300"), from, to).Err(), "01914980300 is not in the block 01914980100 to 01914980299")
}

func TestBlockCheck(t *testing.T) {
	block := func(a, b string) Block { return Block{MustNumber(a), MustNumber(b)} }
	assert.ErrorContains(t, block("100", "2000").Check(), "different widths")
	assert.ErrorContains(t, block("300", "200").Check(), "lies above")
	assert.ErrorContains(t, block("3*0", "400").Check(), "digits only")
	assert.ErrorContains(t, block("", "").Check(), "digits only")
}

func TestMapBlockIsABijection(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		first := rapid.IntRange(1000, 8000).Draw(t, "first")
		size := rapid.IntRange(1, 999).Draw(t, "size")
		base := rapid.IntRange(0, 99000).Draw(t, "base")
		number := func(width, v int) Number { return MustNumber(pad(width, v)) }
		from := Block{number(4, first), number(4, first+size-1)}
		to := Block{number(6, base), number(6, base+size-1)}
		place := rapid.IntRange(0, size-1).Draw(t, "place")
		e := MapBlock(number(4, first+place), from, to)
		require.NoError(t, e.Err())
		require.Equal(t, number(6, base+place), e.After())
		require.Equal(t, number(4, first+place), e.Before())
		back := MapBlock(e.After(), to, from)
		require.NoError(t, back.Err())
		require.Equal(t, e.Before(), back.After())
	})
}

func pad(width, v int) string {
	b := make([]byte, width)
	for i := width - 1; i >= 0; i-- {
		b[i], v = byte('0'+v%10), v/10
	}
	return string(b)
}

func TestBlockFits(t *testing.T) {
	block := Block{MustNumber("+441914980100"), MustNumber("+441914980299")}
	for first, want := range map[string]bool{"2000": true, "000": true, "800": true, "801": false, "99": false, "9800": true, "9801": false, "+9800": true, "": false, "2*00": false} {
		assert.Equal(t, want, block.Fits(MustNumber(first)), first)
	}
}
