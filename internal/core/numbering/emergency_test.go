package numbering

import (
	"fmt"
	"regexp"
	"regexp/syntax"
	"testing"

	"github.com/nyaruka/phonenumbers"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/digits"
)

// Source: the phone-number library's own emergency numbers, of every country: of all
// numbers of two to four digits, and of five and six where it has any so long, the region
// knows those and no others. The library's expressions are matched with the standard
// library's regexp, and what they match is held to the library's own function.
func TestEmergencyNumbersAreThoseOfTheLibrary(t *testing.T) {
	short, err := phonenumbers.ShortNumberMetadataCollection()
	require.NoError(t, err)
	asked := 0
	for _, m := range short.GetMetadata() {
		country := m.GetId()
		r, err := NewRegion(country, "")
		if err != nil {
			continue // no country
		}
		read, err := syntax.Parse(m.GetEmergency().GetNationalNumberPattern(), syntax.Perl)
		require.NoError(t, err)
		longest := max(4, longestMatch(read))
		require.LessOrEqual(t, longest, 6, country)
		theirs := regexp.MustCompile("^(?:" + m.GetEmergency().GetNationalNumberPattern() + ")$")
		known := map[string]bool{}
		for _, n := range r.Emergency() {
			known[n.String()] = true
		}
		found := 0
		for length, count := 2, 100; length <= longest; length, count = length+1, count*10 {
			for i := range count {
				n := fmt.Sprintf("%0*d", length, i)
				if asked++; theirs.MatchString(n) != known[n] {
					t.Fatalf("%s in %s: the library says %t, the region %t", n, country, theirs.MatchString(n), known[n])
				}
				if known[n] {
					found++
					require.True(t, phonenumbers.IsEmergencyNumber(n, country), "%s in %s", n, country)
				}
			}
		}
		assert.Equal(t, len(known), found, country)
	}
	assert.Greater(t, asked, 200*11_100)
}

// longestMatch is how many symbols an expression without endless repeats matches at most.
func longestMatch(e *syntax.Regexp) (n int) {
	switch e.Op {
	case syntax.OpLiteral:
		return len(e.Rune)
	case syntax.OpCharClass:
		return 1
	case syntax.OpAlternate:
		for _, sub := range e.Sub {
			n = max(n, longestMatch(sub))
		}
	case syntax.OpConcat, syntax.OpCapture, syntax.OpQuest:
		for _, sub := range e.Sub {
			n += longestMatch(sub)
		}
	case syntax.OpRepeat:
		return e.Max * longestMatch(e.Sub[0])
	}
	return n
}

// From memory, and the reason for this test: 112 is the emergency number of the European
// Union (Directive 91/396/EEC), and was missing where the metadata write it as a set.
func TestEmergencyNumbersOfSomeCountries(t *testing.T) {
	for country, want := range map[string][]string{
		"DE": {"112", "110"}, "FR": {"112", "15", "17", "18"}, "AT": {"112", "122", "133", "144"}, "NO": {"112", "110", "113"}, "JP": {"110", "119"},
		"BE": {"112", "100", "101"}, "CH": {"112", "117", "118", "144"}, "IT": {"112", "113", "115", "118"}, "GB": {"999", "112"}, "US": {"911", "112"},
	} {
		r := region(t, country, "")
		var got []string
		for _, n := range r.Emergency() {
			got = append(got, n.String())
		}
		assert.Equal(t, want, got, country)
	}
}

func TestASiteHasEmergencyNumbersOfItsOwn(t *testing.T) {
	r := region(t, "GB", "191")
	r.AlsoEmergency(digits.MustNumber("2222"), digits.MustNumber("999"))
	assert.Len(t, r.Emergency(), 3)
	class, _ := r.Class(As(digits.MustNumber("2222"), Private))
	assert.Equal(t, ClassEmergency, class)
	same := region(t, "GB", "191")
	assert.Len(t, same.Emergency(), 2, "other sites of the country do not have it")
}

// Source: RFC 5031 section 4.2, its services and sub-services.
func TestServiceURNs(t *testing.T) {
	r := region(t, "DE", "30")
	r.AddService("police", digits.MustNumber("110"))
	r.AddService("fire.works", digits.MustNumber("2222"))
	for urn, want := range map[string]string{
		"urn:service:sos": "112", "urn:service:sos.police": "110", "URN:Service:SOS.Police": "110", "urn:service:sos.police.traffic": "110",
		"urn:service:sos.fire": "112", "urn:service:sos.fire.works": "2222", "urn:service:sos.ambulance": "112",
	} {
		n, err := r.SOS(urn)
		require.NoError(t, err, urn)
		assert.Equal(t, want, n.String(), urn)
	}
	for _, urn := range []string{"urn:service:sosfire", "urn:service:counseling", "urn:service:", "sos", ""} {
		assert.False(t, IsServiceURN(urn), urn)
		_, err := r.SOS(urn)
		assert.Error(t, err, urn)
	}
	none := region(t, "GN", "")
	_, err := none.SOS(ServiceURN)
	assert.EqualError(t, err, "no emergency number known for GN; add one to the region of the switch")
}
