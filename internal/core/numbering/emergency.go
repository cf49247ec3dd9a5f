package numbering

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
)

// Emergency returns the emergency numbers of the region: those of its country, of which
// the best known is the first, then those of the site.
func (r *Region) Emergency() []digits.Number { return slices.Clone(r.emergency) }

// IsEmergency tells whether a number is an emergency number of the region, in
// whatever form it is said to be.
func (r *Region) IsEmergency(n digits.Number) bool { return slices.Contains(r.emergency, n) }

// AlsoEmergency adds emergency numbers.
func (r *Region) AlsoEmergency(numbers ...digits.Number) {
	r.emergency = slices.Clip(r.emergency)
	for _, n := range numbers {
		if !slices.Contains(r.emergency, n) {
			r.emergency = append(r.emergency, n)
		}
	}
}

// service is an emergency service that has a number of its own.
type service struct {
	name   string // its labels behind sos, such as fire
	number digits.Number
}

// AddService says which number an emergency service has, by the labels behind "sos" in
// its URN, such as "fire" (RFC 5031 section 4.2).
func (r *Region) AddService(name string, number digits.Number) {
	r.services = append(slices.Clip(r.services), service{strings.ToLower(name), number})
}

// ServiceURN is how the URN of every emergency service begins (RFC 5031 section 4.2).
const ServiceURN = "urn:service:sos"

// SOS is the number that an emergency service has here, by its URN: that of the service
// itself, else that of the service which it is part of, else the best known emergency
// number (RFC 5031 section 3: whoever does not know a service takes the one above it).
// The error says why there is none.
func (r *Region) SOS(urn string) (digits.Number, error) {
	name, ok := serviceIn(urn)
	if !ok {
		return digits.Number{}, fmt.Errorf("invalid emergency service URN %q; it begins with %s", urn, ServiceURN)
	}
	for name != "" {
		for _, s := range r.services {
			if s.name == name {
				return s.number, nil
			}
		}
		name = name[:max(0, strings.LastIndexByte(name, '.'))]
	}
	if len(r.emergency) == 0 {
		return digits.Number{}, fmt.Errorf("no emergency number known for %s; add one to the region of the switch", r.Country)
	}
	return r.emergency[0], nil
}

// IsServiceURN tells whether a text is the URN of an emergency service.
func IsServiceURN(text string) bool {
	_, ok := serviceIn(text)
	return ok
}

// serviceIn reads the labels behind "sos" in a URN, which has no upper and lower case
// here (RFC 5031 section 4.1).
func serviceIn(urn string) (name string, ok bool) {
	rest, ok := strings.CutPrefix(strings.ToLower(urn), ServiceURN)
	if !ok || rest != "" && !strings.HasPrefix(rest, ".") {
		return "", false
	}
	return strings.TrimPrefix(rest, "."), true
}
