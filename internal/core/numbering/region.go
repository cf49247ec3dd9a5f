// Package numbering knows regions: their prefixes, their emergency and short
// numbers, the forms in which a number is written, and how one form is turned
// into another. It works on prefixes alone, so that what it does to one number
// can be computed on a whole set of numbers alike.
//
// It never decides where a call goes, and it does no I/O.
package numbering

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
)

// Region is where a switch stands, as far as numbers go.
type Region struct {
	Country       string // ISO 3166-1 alpha-2
	CountryCode   string // ITU-T E.164
	International string // prefix dialled before a country code
	National      string // prefix dialled before a national number
	Area          string // the site's own area code, without the national prefix
	emergency     []digits.Number
	services      []service // of emergency, by their URNs
	short         *digits.Pattern
	// looseNational: numbers of the country can begin with its national prefix.
	looseNational bool
	overrides     []classed // of the site
	local         []string  // prefixes that are local beside the area
}

// countries are those of which facts are known better than from the library's
// metadata, from reference tables.
//
// GB: trunk prefix 0, international prefix 00, emergency 999 and 112, three
// digit services, 116xxx and 118xxx (Ofcom National Telephone Numbering Plan;
// from memory for detail). US: 1, 011, 911, N11 codes and 988 (NANPA and FCC
// N11 pages; published).
var countries = map[string]Region{
	"GB": {
		Country: "GB", CountryCode: "44", International: "00", National: "0",
		emergency: []digits.Number{digits.MustNumber("999"), digits.MustNumber("112")},
		short:     digits.MustCompile("1xx|116xxx|118xxx"),
	},
	"US": {
		Country: "US", CountryCode: "1", International: "011", National: "1",
		emergency: []digits.Number{digits.MustNumber("911")},
		short:     digits.MustCompile("[2-8]11|988"),
	},
}

// Countries returns the codes of the countries that are known, in order: those of the
// phone-number library.
func Countries() []string { return slices.Sorted(maps.Keys(library())) }

// NewRegion returns the region of a site in a country. The area code may be
// empty; then no number can be taken from or put into the local form.
func NewRegion(country, area string) (Region, error) {
	f, ok := library()[country]
	if !ok {
		return Region{}, fmt.Errorf("unknown country %q; use an ISO 3166 code such as GB", country)
	}
	r := f.region
	if strings.Trim(area, "0123456789") != "" {
		return Region{}, fmt.Errorf("area code %q: only digits are allowed", area)
	}
	if area != "" && r.National != "" && !r.looseNational && strings.HasPrefix(area, r.National) {
		return Region{}, fmt.Errorf("area code %q: omit the national prefix %s", area, r.National)
	}
	r.Area = area
	return r, nil
}

// Kind is what sort of number the form rules of a contract speak of.
type Kind string

// The kinds. Internal is a number in the private form, such as an extension;
// Other is one whose form does not tell.
const (
	Emergency Kind = "emergency"
	Short     Kind = "short"
	Home      Kind = "domestic"
	Foreign   Kind = "international"
	Internal  Kind = "internal"
	Other     Kind = "other"
)

// Reading is what a number in a form is, read once for all that is asked of it.
type Reading struct {
	Kind   Kind
	number digits.Number
	form   Format
	parts  parts
	why    Why
}

// Classify says of which kind a number in the given form is.
func (r *Region) Classify(n digits.Number, f Format) Kind { return r.Read(n, f).Kind }

// Read reads a number in the given form.
func (r *Region) Read(n digits.Number, f Format) Reading {
	read := Reading{Kind: Foreign, number: n, form: f}
	switch {
	case r.IsEmergency(n):
		read.Kind, read.why = Emergency, Why{text: "emergency numbers are never converted"}
		return read
	case n.HasService() || (f != Private && r.short.Matches(n)):
		read.Kind, read.why = Short, Why{text: "short and service numbers are never converted"}
		return read
	}
	read.parts, read.why = r.split(n, f)
	switch {
	case f == Private:
		read.Kind = Internal
	case !read.parts.ok:
		read.Kind = Other
	case read.parts.home:
		read.Kind = Home
	}
	return read
}
