package numbering

import (
	"fmt"
	"testing"

	"github.com/nyaruka/phonenumbers"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/digits"
)

// thirty countries of every continent, with and without national prefixes, some that
// share a country code.
var thirty = []string{
	"AE", "AR", "AT", "AU", "BE", "BR", "BS", "CA", "CH", "CN", "CZ", "DE", "DK", "ES", "FI", "FR", "GB", "IE", "IN", "IT", "JP", "KE", "KR", "MX", "NL", "NO", "NZ", "PL", "US", "ZA",
}

// classOf is the class that a type of the library stands for.
var classOf = map[phonenumbers.PhoneNumberType]Class{
	phonenumbers.FIXED_LINE: ClassNational, phonenumbers.FIXED_LINE_OR_MOBILE: ClassNational, phonenumbers.MOBILE: ClassMobile, phonenumbers.TOLL_FREE: ClassFreephone,
	phonenumbers.PREMIUM_RATE: ClassPremium, phonenumbers.SHARED_COST: ClassSharedCost, phonenumbers.VOIP: ClassNational, phonenumbers.PERSONAL_NUMBER: ClassPremium,
	phonenumbers.PAGER: ClassPremium, phonenumbers.UAN: ClassNational,
}

// Source: the phone-number library, its example number of every type in thirty
// countries, classified by the library itself in the same test. From another country
// each of them is international.
func TestClassesAgreeWithTheLibrary(t *testing.T) {
	asked := 0
	for _, country := range thirty {
		r := region(t, country, "")
		abroad := region(t, map[bool]string{true: "DE", false: "GB"}[country == "GB"], "")
		for kind := range classOf {
			example := phonenumbers.GetExampleNumberForType(country, kind)
			if example == nil {
				continue
			}
			text := phonenumbers.Format(example, phonenumbers.E164)
			want, ok := classOf[phonenumbers.GetNumberType(example)]
			// Numbers that several countries of one code have, such as +1 800, are
			// in the plan of each, and the library names the first of them.
			if !phonenumbers.IsValidNumberForRegion(example, country) && phonenumbers.GetRegionCodeForNumber(example) != "US" {
				want = ClassInternational
			}
			require.True(t, ok, text)
			asked++
			n := As(digits.MustNumber(text), E164)
			got, why := r.Class(n)
			assert.Equalf(t, want, got, "%s in %s: %s", text, country, why)
			if got, _ = abroad.Class(n); country != "DE" {
				assert.Equal(t, ClassInternational, got, "%s from %s", text, abroad.Country)
			}
		}
	}
	assert.Greater(t, asked, 150)
}

// disagree are the numbers, of all examples of all countries, that the library does not
// read as they are dialled by our rules, and why.
var disagree = map[string]string{
	"03211234567": "Colombia: the prefix 0 is left of a way to dial that ended when all numbers got ten digits (from memory); mobiles never had it",
	"01919123456": "Israel: numbers that begin with 1 are dialled without the prefix 0 (from memory)",
	"01599123456": "Israel: as above",
}

// Source: the library's example number of every type in every country, in E.164. What
// is dialled in the country by our rules is that number, as the library reads it, and
// becomes E.164 again; so does what is dialled in another country.
func TestFormsAgreeWithTheLibrary(t *testing.T) {
	told := map[string]bool{}
	for _, country := range Countries() {
		r := region(t, country, "")
		for kind := range classOf {
			example := phonenumbers.GetExampleNumberForType(country, kind)
			if example == nil {
				continue
			}
			world := phonenumbers.Format(example, phonenumbers.E164)
			reads := func(n digits.Number, in string) bool {
				parsed, err := phonenumbers.Parse(n.String(), in)
				return err == nil && phonenumbers.Format(parsed, phonenumbers.E164) == world
			}
			n := digits.MustNumber(world)
			assert.Equal(t, phonenumbers.GetNationalSignificantNumber(example), r.Convert(n, E164, NationalBare).Edit.After().String(), world)
			national := r.Convert(n, E164, National).Edit.After()
			_, known := disagree[national.String()]
			assert.Equal(t, !known, reads(national, country), "%s in %s", national, country)
			told[national.String()] = known
			back := r.Convert(national, National, E164)
			assert.Equal(t, world, back.Edit.After().String(), "%s in %s: %s", national, country, back.Unchanged)
			from := region(t, map[bool]string{true: "FR", false: "JP"}[country == "JP"], "")
			dialled := from.Convert(n, E164, International).Edit.After()
			assert.True(t, reads(dialled, from.Country), "%s from %s", dialled, from.Country)
		}
	}
	for number := range disagree {
		assert.True(t, told[number], "%s is no disagreement any more", number)
	}
}

// Source: the library's own table of emergency numbers.
func TestEmergencyNumbersAgreeWithTheLibrary(t *testing.T) {
	for _, country := range thirty {
		r := region(t, country, "")
		require.NotEmpty(t, r.Emergency(), country)
		for _, n := range r.Emergency() {
			assert.True(t, phonenumbers.IsEmergencyNumber(n.String(), country), "%s in %s", n, country)
			class, _ := r.Class(As(n, AsDialled))
			assert.Equal(t, ClassEmergency, class)
		}
	}
}

// Every expression of the library's metadata compiles: none is left out silently.
func TestEveryExpressionOfTheLibraryCompiles(t *testing.T) {
	all, err := phonenumbers.MetadataCollection()
	require.NoError(t, err)
	for _, m := range all.GetMetadata() {
		for _, d := range []*phonenumbers.PhoneNumberDesc{m.GeneralDesc, m.FixedLine, m.Mobile, m.TollFree, m.PremiumRate, m.SharedCost, m.PersonalNumber, m.Voip, m.Pager, m.Uan} {
			if text := d.GetNationalNumberPattern(); text != "" && text != "NA" {
				_, err := digits.CompileExpression(text)
				assert.NoError(t, err, "%s: %s", m.GetId(), text)
			}
		}
	}
}

// At a site: its area is local, so are others that it names, and its own classes come
// before the metadata. Numbers of demo.md: those of Ofcom for mobiles in drama are in
// no plan.
func TestClassesOfASite(t *testing.T) {
	r := region(t, "GB", "191")
	us := region(t, "US", "617")
	for _, c := range []struct {
		r      *Region
		number string
		form   Format
		want   Class
	}{
		{&r, "01914980123", National, ClassLocal}, {&r, "4980123", Local, ClassLocal}, {&r, "02079460123", National, ClassNational},
		{&r, "08081570123", National, ClassFreephone}, {&r, "09098790123", National, ClassPremium}, {&r, "0016175550123", International, ClassInternational},
		{&r, "999", AsDialled, ClassEmergency}, {&r, "123", AsDialled, ClassService}, {&r, "*21", AsDialled, ClassService}, {&r, "2001", Private, ClassInternal},
		{&r, "2001", AsDialled, ClassUnknown}, {&r, "07700900461", National, ClassUnknown},
		{&us, "16175550123", National, ClassLocal}, {&us, "2125550123", NationalBare, ClassNational}, {&us, "18005550199", National, ClassFreephone},
		{&us, "19005550123", National, ClassPremium}, {&us, "12423456789", National, ClassInternational}, {&us, "011442079460123", International, ClassInternational},
	} {
		got, why := c.r.Class(As(digits.MustNumber(c.number), c.form))
		assert.Equal(t, c.want, got, fmt.Sprint(c.number, " ", c.form, ": ", why))
		assert.NotEmpty(t, why.String())
	}
	r.Override(ClassMobile, digits.MustCompile("+447700900xxx"))
	r.AlsoLocal("20")
	for number, want := range map[string]Class{"07700900461": ClassMobile, "02079460123": ClassLocal} {
		got, _ := r.Class(As(digits.MustNumber(number), National))
		assert.Equal(t, want, got, number)
	}
}
