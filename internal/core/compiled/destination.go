package compiled

import (
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Destination is a destination with the trunk that it is behind and the numbers that it has: one, or
// those of a pattern.
type Destination struct {
	plan.Destination
	Ref     trail.Ref
	To      *Trunk
	Digits  digits.Number
	Form    numbering.Format // of number
	Pattern *digits.Pattern
}

// dialledForm is the form in which an outside number of a plan is written, as its digits
// tell: international or national with their prefixes; with a + it is E.164 anyway.
func dialledForm(r *numbering.Region, n digits.Number) numbering.Format {
	for _, f := range []numbering.Format{numbering.International, numbering.National} {
		if ok, _ := r.Fits(n, f); ok && !n.Plus() && (f != numbering.National || r.National != "") {
			return f
		}
	}
	return numbering.AsDialled
}

// Holds tells whether a number is one of the destination's own.
func (d *Destination) Holds(n digits.Number) bool {
	if d.Pattern != nil {
		return d.Pattern.Matches(n)
	}
	return d.Digits == n
}

// Set is the destination's own numbers.
func (d *Destination) Set() digits.Set {
	if d.Pattern != nil {
		return d.Pattern.Set()
	}
	s, _ := digits.SetOf(d.Digits) // one number is never too large
	return s
}

// IsExtension tells whether a number is one that the plan delivers to a phone system:
// what a trunk says of its callers' form does not make an outside number an extension.
func (s *Graph) IsExtension(n digits.Number) bool {
	if n.Empty() {
		return false
	}
	for _, d := range s.Destinations {
		if strings.HasPrefix(d.Kind, "extension") && !d.To.Outside && d.Holds(n) {
			return true
		}
	}
	return false
}
