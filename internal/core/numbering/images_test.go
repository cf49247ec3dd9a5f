package numbering

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/core/digits"
)

// The set's image is held to Convert, number by number: the image of a single
// number is exactly what Convert makes of it.
func TestConvertSetAgreesWithConvert(t *testing.T) {
	gb, us := region(t, "GB", "191"), region(t, "US", "617")
	noArea := region(t, "GB", "")
	rapid.Check(t, func(t *rapid.T) {
		r := rapid.SampledFrom([]Region{gb, us, noArea}).Draw(t, "region")
		from := rapid.SampledFrom(Formats()).Draw(t, "from")
		to := rapid.SampledFrom(Formats()).Draw(t, "to")
		lead := rapid.SampledFrom([]string{"", "0", "00", "+", "1", "011", "+44", "0044", "44", "191", "0191", "+1", "617", "1617", "+44191", "+440", "999", "#"}).Draw(t, "lead")
		text := lead + rapid.StringMatching(`[0-9]{0,13}[0-9*#A]?`).Draw(t, "rest")
		n, err := digits.ParseNumber(text)
		require.NoError(t, err)
		want := r.Convert(n, from, to).Edit.After()
		one, err := digits.SetOf(n)
		require.NoError(t, err)
		image, err := r.ConvertSet(one, from, to)
		require.NoError(t, err)
		require.Equal(t, []digits.Number{want}, image.Samples(3), "%s %s from %s to %s", r.Country, n, from, to)
	})
}

func TestConvertSetOnWholePatterns(t *testing.T) {
	gb := region(t, "GB", "191")
	for _, c := range []struct {
		pattern  string
		from, to Format
		want     string
	}{
		{"0[1-3]xxxxxxxxx", National, E164, "+44[1-3]xxxxxxxxx"},
		{"999|112|0191498xxxx", National, E164, "999|112|+44191498xxxx"},
		{"+44191498xxxx|+16175550[01]xx", E164, International, "0044191498xxxx|0016175550[01]xx"},
		{"+44191498xxxx|+442079460xxx", E164, Local, "498xxxx|+442079460xxx"},
		{"2[0-3]xx", Private, E164, "2[0-3]xx"},
	} {
		got, err := gb.ConvertSet(digits.MustCompile(c.pattern).Set(), c.from, c.to)
		require.NoError(t, err)
		assert.Equal(t, digits.Equal, digits.Compare(got, digits.MustCompile(c.want).Set()).Relation, "%s", c.pattern)
	}
}

func TestSketch(t *testing.T) {
	gb := region(t, "GB", "191")
	sketch := func(home bool) string {
		var all []string
		for _, f := range append(Formats(), "") {
			all = append(all, gb.Sketch(f, home))
		}
		return strings.Join(all, " ")
	}
	assert.Equal(t, "+44… 44… 0044… 0… 191… local private as-dialled unknown unknown", sketch(true))
	assert.Equal(t, "+… … 00… national national-bare local private as-dialled unknown unknown", sketch(false))
}

// The preimage is held to Convert, number by number.
func TestBeforeConvertSetAgreesWithConvert(t *testing.T) {
	gb, us := region(t, "GB", "191"), region(t, "US", "617")
	rapid.Check(t, func(t *rapid.T) {
		r := rapid.SampledFrom([]Region{gb, us}).Draw(t, "region")
		from := rapid.SampledFrom(Formats()).Draw(t, "from")
		to := rapid.SampledFrom(Formats()).Draw(t, "to")
		lead := rapid.SampledFrom([]string{"", "0", "00", "+", "1", "011", "+44", "0044", "44", "191", "0191", "+1", "617", "1617", "+44191", "999", "#"}).Draw(t, "lead")
		n, err := digits.ParseNumber(lead + rapid.StringMatching(`[0-9]{0,13}`).Draw(t, "rest"))
		require.NoError(t, err)
		target := r.Convert(n, from, to).Edit.After()
		one, err := digits.SetOf(target)
		require.NoError(t, err)
		before, err := r.BeforeConvertSet(one, from, to)
		require.NoError(t, err)
		require.True(t, before.Contains(n), "%s %s from %s to %s is %s", r.Country, n, from, to, target)
		for _, m := range before.Samples(5) {
			require.Equal(t, target, r.Convert(m, from, to).Edit.After(), "%s %s from %s to %s", r.Country, m, from, to)
		}
	})
}
