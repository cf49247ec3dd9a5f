package numbering

import (
	"testing"

	"github.com/nyaruka/phonenumbers"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/digits"
)

func region(t *testing.T, country, area string) Region {
	r, err := NewRegion(country, area)
	require.NoError(t, err)
	return r
}

// Source: the phone-number library github.com/nyaruka/phonenumbers and its
// metadata, asked in the same test. Each number is dialled in its region and
// must come out as the library's E.164, and back as its national format.
func TestConversionsAgreeWithPhoneNumberLibrary(t *testing.T) {
	for _, c := range []struct {
		country, area, number string
		form                  Format
	}{
		{"GB", "191", "01914980123", National},
		{"GB", "191", "02079460018", National},
		{"GB", "191", "08081570123", National},
		{"GB", "191", "07700900461", National},
		{"GB", "191", "4980123", Local},
		{"GB", "191", "1914980123", NationalBare},
		{"GB", "191", "0016175550123", International},
		{"GB", "191", "00442079460018", International},
		{"GB", "191", "442079460018", E164Bare},
		{"US", "617", "6175550123", NationalBare},
		{"US", "617", "16175550123", National},
		{"US", "617", "5550123", Local},
		{"US", "617", "011442079460018", International},
		{"US", "617", "0111617555010", International},
		{"US", "617", "+442079460018", E164},
		{"US", "617", "16175550123", E164Bare},
	} {
		r := region(t, c.country, c.area)
		n := digits.MustNumber(c.number)
		got := r.Convert(n, c.form, E164)
		require.Empty(t, got.Unchanged, c.number)

		dialled := c.number
		switch c.form {
		case Local:
			dialled = r.Area + c.number // the library has no site, hence no area
		case E164Bare:
			dialled = "+" + c.number
		}
		parsed, err := phonenumbers.Parse(dialled, c.country)
		require.NoError(t, err, c.number)
		assert.Equal(t, phonenumbers.Format(parsed, phonenumbers.E164), got.Edit.After().String(), c.number)
		assert.Equal(t, n, got.Edit.Before())

		back := r.Convert(got.Edit.After(), E164, c.form)
		assert.Empty(t, back.Unchanged, c.number)
		if c.form != E164 {
			assert.Equal(t, n, back.Edit.After(), "back to %s", c.form)
		}
	}
}

// Source: the library's metadata for each country.
func TestRegionPrefixesAgreeWithPhoneNumberLibrary(t *testing.T) {
	for _, country := range Countries() {
		r := region(t, country, "")
		assert.Equal(t, phonenumbers.GetNddPrefixForRegion(country, true), r.National, country)
		assert.EqualValues(t, r.CountryCode, itoa(phonenumbers.GetCountryCodeForRegion(country)), country)
		parsed, err := phonenumbers.Parse(r.International+"442079460018", country)
		require.NoError(t, err)
		assert.Equal(t, "+442079460018", phonenumbers.Format(parsed, phonenumbers.E164))
	}
}

func itoa(n int) string {
	if n < 10 {
		return string(rune('0' + n))
	}
	return itoa(n/10) + string(rune('0'+n%10))
}

func TestConvertLeavesAloneAndSaysWhy(t *testing.T) {
	gb, us := region(t, "GB", "191"), region(t, "US", "617")
	for _, c := range []struct {
		r        Region
		number   string
		from, to Format
		why      string
	}{
		{gb, "999", National, E164, "emergency numbers are never converted"},
		{gb, "112", Unknown, E164, "emergency numbers are never converted"},
		{us, "911", NationalBare, E164, "emergency numbers are never converted"},
		{us, "411", NationalBare, E164, "short and service numbers are never converted"},
		{gb, "118500", National, E164, "short and service numbers are never converted"},
		{gb, "*21#", National, E164, "short and service numbers are never converted"},
		{gb, "2001", Private, E164, "format is private"},
		{gb, "16175550100", Unknown, E164, "format is unknown"},
		{gb, "16175550100", "", E164, "format is unknown"},
		{gb, "01914980123", E164, National, "an E.164 number begins with +"},
		{gb, "+4402079460018", E164, National, "no national number here begins with the national prefix 0"},
		{gb, "+16175550123", E164, National, "an international number has no format national"},
		{gb, "+442079460018", E164, Local, "the number is not in area 191"},
		{gb, "+441914980123", E164, Private, "no conversion to format private"},
		{gb, "1914980123", National, E164, "a national number begins with 0 and not with 00 here"},
		{gb, "+1234567890123456", E164, E164Bare, "longer than the 15 digits of E.164"},
		{region(t, "GB", ""), "4980123", Local, E164, "a subscriber number needs an area code in the region"},
	} {
		got := c.r.Convert(digits.MustNumber(c.number), c.from, c.to)
		assert.Equal(t, c.why, got.Unchanged.String(), "%s from %s to %s", c.number, c.from, c.to)
		assert.Equal(t, c.from, got.Form)
		assert.False(t, got.Edit.Changes())
	}
}

func TestClassify(t *testing.T) {
	gb := region(t, "GB", "191")
	for _, c := range []struct {
		number string
		form   Format
		want   Kind
	}{
		{"999", E164, Emergency}, {"101", AsDialled, Short}, {"101", Private, Internal},
		{"+441914980123", E164, Home}, {"0016175550123", International, Foreign},
		{"2001", Private, Internal}, {"01914980123", AsDialled, Other}, {"#21", Private, Short},
	} {
		assert.Equal(t, c.want, gb.Classify(digits.MustNumber(c.number), c.form), "%s as %s", c.number, c.form)
	}
}

func TestNewRegionRefuses(t *testing.T) {
	_, err := NewRegion("XX", "")
	assert.EqualError(t, err, `unknown country "XX"; use an ISO 3166 code such as GB`)
	_, err = NewRegion("GB", "0191")
	assert.EqualError(t, err, `area code "0191": omit the national prefix 0`)
	_, err = NewRegion("GB", "19a")
	assert.EqualError(t, err, `area code "19a": only digits are allowed`)
}
