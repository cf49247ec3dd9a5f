package numbering

import (
	"github.com/nyaruka/phonenumbers"

	"switchback.example/switchback/internal/core/digits"
)

// WithoutArea is an E.164 number without country and area code, as it is dialled and
// given within its area. ok is false where numbers of its kind have no area code, or the
// library does not know it.
func WithoutArea(n digits.Number) (local digits.Number, ok bool) {
	if !n.Plus() {
		return local, false
	}
	read, err := phonenumbers.Parse(n.String(), "ZZ")
	if err != nil {
		return local, false
	}
	national := phonenumbers.GetNationalSignificantNumber(read)
	area := phonenumbers.GetLengthOfGeographicalAreaCode(read)
	if area <= 0 || area >= len(national) {
		return local, false
	}
	local, err = digits.ParseNumber(national[area:])
	return local, err == nil
}
