package numbering

import "switchback.example/switchback/internal/core/digits"

// Written is a number together with the form in which it is written: a number
// in flight.
type Written struct {
	Number digits.Number `json:"number"`
	Form   Form          `json:"form"`
}

// As returns the number read as form f. A number that begins with + is E.164
// whatever is claimed, and an empty form is unknown.
func As(n digits.Number, f Form) Written {
	switch {
	case n.Plus():
		f = E164
	case f == "":
		f = Unknown
	}
	return Written{n, f}
}
