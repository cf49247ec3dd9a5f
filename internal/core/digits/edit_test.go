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
		edit func() (Edit, error)
		want string
	}{
		"drop first":     {func() (Edit, error) { return DropFirst(n, 1) }, "01914980123"},
		"drop last":      {func() (Edit, error) { return DropLast(n, 2) }, "9019149801"},
		"keep first":     {func() (Edit, error) { return KeepFirst(n, 5) }, "90191"},
		"keep last":      {func() (Edit, error) { return KeepLast(n, 4) }, "0123"},
		"put before":     {func() (Edit, error) { return PutBefore(n, MustNumber("+44")) }, "+44901914980123"},
		"put after":      {func() (Edit, error) { return PutAfter(n, MustNumber("#")) }, "901914980123#"},
		"replace with":   {func() (Edit, error) { return ReplaceWith(n, MustNumber("2000")) }, "2000"},
		"replace prefix": {func() (Edit, error) { return ReplacePrefix(n, MustNumber("90"), MustNumber("+44")) }, "+441914980123"},
	} {
		e, err := c.edit()
		require.NoError(t, err, name)
		assert.Equal(t, c.want, e.After().String(), name)
		assert.Equal(t, n, e.Before(), name)
	}
}

func TestEditsSayWhatIsWrong(t *testing.T) {
	n := MustNumber("999")
	_, err := DropFirst(n, 4)
	assert.EqualError(t, err, "wants 4 symbols, 999 has 3")
	_, err = KeepLast(Number{}, 1)
	assert.EqualError(t, err, "wants 1 symbols, the empty number has 0")
	_, err = ReplacePrefix(n, MustNumber("0"), MustNumber("44"))
	assert.EqualError(t, err, "999 does not begin with 0")
	_, err = PutBefore(MustNumber("+44"), MustNumber("9"))
	assert.EqualError(t, err, "the result 9+44 has a + that does not stand first")
	_, err = PutBefore(MustNumber("12345678901234567890123456789012"), MustNumber("9"))
	assert.ErrorContains(t, err, "longer than 32 symbols")
}

func TestMapBlock(t *testing.T) {
	// Source: the demo's own blocks, the sum done by hand: 0191 498 0100-0299
	// onto 2000-2199 means 0191 498 0223 is the 123rd after the first, 2123.
	from := Block{MustNumber("01914980100"), MustNumber("01914980299")}
	to := Block{MustNumber("2000"), MustNumber("2199")}
	require.NoError(t, from.Check())
	assert.Equal(t, from.Size(), to.Size())
	e, err := MapBlock(MustNumber("01914980223"), from, to)
	require.NoError(t, err)
	assert.Equal(t, "2123", e.After().String())

	padded := Block{MustNumber("0000"), MustNumber("0199")}
	e, err = MapBlock(MustNumber("2007"), to, padded)
	require.NoError(t, err)
	assert.Equal(t, "0007", e.After().String())

	_, err = MapBlock(MustNumber("01914980300"), from, to)
	assert.EqualError(t, err, "01914980300 is not in the block 01914980100 to 01914980299")
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
		e, err := MapBlock(number(4, first+place), from, to)
		require.NoError(t, err)
		require.Equal(t, number(6, base+place), e.After())
		require.Equal(t, number(4, first+place), e.Before())
		back, err := MapBlock(e.After(), to, from)
		require.NoError(t, err)
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
