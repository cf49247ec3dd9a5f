package digits

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParseNumber(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		{"", ""},
		{"0191 498 0123", "01914980123"},
		{"(617) 555-0123", "6175550123"},
		{"+44 20.7946/0018", "+442079460018"},
		{"%23 21", "#21"},
		{"%2B441914980123", "+441914980123"},
		{"*69", "*69"},
		{"abcd", "ABCD"},
		{strings.Repeat("9", 32), strings.Repeat("9", 32)},
		{"+" + strings.Repeat("9", 32), "+" + strings.Repeat("9", 32)},
	} {
		n, err := ParseNumber(c.in)
		require.NoError(t, err, c.in)
		assert.Equal(t, c.want, n.String())
	}
}

func TestParseNumberRefuses(t *testing.T) {
	for _, c := range []struct {
		in, want string
	}{
		{"12x4", `number "12x4", position 3: "x" is not a symbol of a number; these are: 0-9 * # A B C D, and + in front`},
		{"44+1", `number "44+1", position 3: + can only stand first`},
		{"++44", `number "++44", position 2: + can only stand first`},
		{"%2", `number "%2", position 1: % wants two hexadecimal digits after it, such as %23 for #`},
		{"1%41%00", `number "1%41%00", position 5: "%" is not a symbol of a number; these are: 0-9 * # A B C D, and + in front`},
		{"12é", `number "12é", position 3: "é" is not a symbol of a number; these are: 0-9 * # A B C D, and + in front`},
		{strings.Repeat("1", 33), `number "` + strings.Repeat("1", 33) + `", position 33: longer than 32 symbols`},
	} {
		_, err := ParseNumber(c.in)
		assert.EqualError(t, err, c.want)
	}
}

func TestNumberReadsItsOwnText(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		in := rapid.StringMatching(`\+?[0-9*#A-D]{0,32}`).Draw(t, "number")
		n, err := ParseNumber(in)
		require.NoError(t, err)
		again, err := ParseNumber(n.String())
		require.NoError(t, err)
		assert.Equal(t, n, again)
		assert.Equal(t, in, n.String())
	})
}
