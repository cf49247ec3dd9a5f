package numbering

import (
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/nyaruka/phonenumbers"

	"switchback.example/switchback/internal/core/digits"
)

// facts are what the phone-number library's metadata say of a country.
type facts struct {
	region Region
	plan   *phonenumbers.PhoneMetadata
	// sharing are the other countries of the same country code.
	sharing []*phonenumbers.PhoneMetadata
	classes func() classes // compiled when they are first asked for
	sets    func() sets    // worked out when they are first asked for
}

// library is the metadata of all countries, by ISO 3166-1 code, read once.
var library = sync.OnceValue(func() map[string]*facts {
	all, err := phonenumbers.MetadataCollection()
	short, errShort := phonenumbers.ShortNumberMetadataCollection()
	if err != nil || errShort != nil {
		panic("numbering: the phone-number library has no metadata") // it is compiled in
	}
	shorts := map[string]*phonenumbers.PhoneMetadata{}
	for _, m := range short.GetMetadata() {
		shorts[m.GetId()] = m
	}
	out := map[string]*facts{}
	codes := map[int32][]*phonenumbers.PhoneMetadata{}
	for _, m := range all.GetMetadata() {
		codes[m.GetCountryCode()] = append(codes[m.GetCountryCode()], m)
	}
	for _, m := range all.GetMetadata() {
		if len(m.GetId()) != 2 { // networks and services of no country
			continue
		}
		f := &facts{region: regionOf(m, shorts[m.GetId()]), plan: m}
		for _, other := range codes[m.GetCountryCode()] {
			if other != m {
				f.sharing = append(f.sharing, other)
			}
		}
		f.classes, f.sets = sync.OnceValue(f.compile), sync.OnceValue(f.count)
		out[m.GetId()] = f
	}
	return out
})

// regionOf is a country without a site. What is known better from other sources is
// put in its place.
func regionOf(m, short *phonenumbers.PhoneMetadata) Region {
	r := Region{
		Country: m.GetId(), CountryCode: strconv.Itoa(int(m.GetCountryCode())), National: m.GetNationalPrefix(), International: internationalPrefix(m),
	}
	emergency := emergencyOf(short)
	if known, ok := countries[r.Country]; ok {
		known.AlsoEmergency(emergency...)
		return known
	}
	r.emergency = emergency
	r.short = shortOf(short)
	r.looseNational = beginsWith(m.GetGeneralDesc().GetNationalNumberPattern(), r.National)
	return r
}

// internationalPrefix is the one that is preferred where there are several, without
// the sign for a wait ("8~10"), else the shortest: in some countries one has to say by
// whom the call is to go, and that is part of it.
func internationalPrefix(m *phonenumbers.PhoneMetadata) string {
	if text := m.GetPreferredInternationalPrefix(); text != "" {
		return strings.ReplaceAll(text, "~", "")
	}
	p, err := digits.CompileExpression(m.GetInternationalPrefix())
	if err != nil {
		return ""
	}
	n, _ := p.Shortest()
	return n.String()
}

// emergencyOf are all numbers that the metadata call emergency numbers, the one that is
// known best first.
func emergencyOf(m *phonenumbers.PhoneMetadata) []digits.Number {
	p := pattern(m.GetEmergency())
	if p == nil {
		return nil
	}
	list, ok := p.Set().Members(maxEmergency)
	if !ok {
		panic("numbering: " + m.GetId() + " has more emergency numbers than a table of them may hold") // it is compiled in
	}
	return bestKnownFirst(list)
}

// maxEmergency bounds the emergency numbers of a country; the most are 102, of Gabon.
const maxEmergency = 1000

// bestKnownFirst puts 112 first, which is the emergency number of the mobile networks
// (3GPP TS 22.101 section 10.1), else 911, which is too, else 999 (common practice).
func bestKnownFirst(list []digits.Number) []digits.Number {
	for _, best := range []string{"999", "911", "112"} {
		if i := slices.Index(list, digits.MustNumber(best)); i > 0 {
			list = slices.Insert(slices.Delete(list, i, i+1), 0, digits.MustNumber(best))
		}
	}
	return list
}

// shortOf are short numbers that can be called: without those for text messages
// alone, of which some are as long as extensions.
func shortOf(m *phonenumbers.PhoneMetadata) *digits.Pattern {
	all := pattern(m.GetShortCode())
	if all == nil {
		return digits.Nothing()
	}
	texts := pattern(m.GetSmsServices())
	if texts == nil {
		return all
	}
	rest, err := all.Set().Minus(texts.Set())
	if err != nil || rest.Empty() {
		return digits.Nothing()
	}
	return rest.Pattern()
}

// pattern compiles a description of the metadata; nil if it has none.
func pattern(d *phonenumbers.PhoneNumberDesc) *digits.Pattern {
	text := d.GetNationalNumberPattern()
	if text == "" || text == "NA" {
		return nil
	}
	p, err := digits.CompileExpression(text)
	if err != nil {
		return nil // none of the library's is refused; a test says so
	}
	return p
}

// beginsWith tells whether numbers of an expression can begin with a prefix.
func beginsWith(expression, prefix string) bool {
	if prefix == "" {
		return false
	}
	all, err := digits.CompileExpression(expression)
	with, errWith := digits.Compile(prefix + "x.")
	if err != nil || errWith != nil {
		return false
	}
	both, err := all.Set().Intersect(with.Set())
	return err == nil && !both.Empty()
}
