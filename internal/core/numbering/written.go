package numbering

import "switchback.example/switchback/internal/core/digits"

// Written is a number together with the form in which it is written: a number
// in flight.
type Written struct {
	Number digits.Number `json:"number"`
	Format Format        `json:"format"`
}

// As returns the number read as form f. A number that begins with + is E.164
// whatever is claimed, and an empty form is unknown.
func As(n digits.Number, f Format) Written {
	switch {
	case n.Plus():
		f = E164
	case f == "":
		f = Unknown
	}
	return Written{n, f}
}

// Received is As for a number that comes from a far end: one that gives national numbers
// without a + gives foreign ones behind the international prefix (common practice), which
// no national number here begins with.
func (r *Region) Received(n digits.Number, f Format) Written {
	w := As(n, f)
	if w.Format != National && w.Format != NationalBare && w.Format != Local || r.International == "" || !n.HasPrefix(r.International) {
		return w
	}
	if own, _ := r.split(n, w.Format); own.ok {
		return w
	}
	if abroad, _ := r.split(n, International); abroad.ok {
		return Written{n, International}
	}
	return w
}
