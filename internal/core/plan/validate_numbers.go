package plan

import (
	"errors"
	"slices"

	"switchback.example/switchback/internal/core/digits"
)

// numbers checks the inventory of public numbers: each row, and that no two
// claim the same number, but for a single number inside a block.
func (v *validator) numbers() {
	blocks := make([]digits.Block, 0, len(v.plan.Numbers))
	places := make([]int, 0, len(v.plan.Numbers))
	for i, n := range v.plan.Numbers {
		if b, ok := v.number(place("numbers", n.ID, i), n); ok {
			blocks, places = append(blocks, b), append(places, i)
		}
	}
	var clash *digits.RangeError
	if _, err := digits.NewRanges(blocks); errors.As(err, &clash) {
		i := places[clash.Place]
		v.bad(place("numbers", v.plan.Numbers[i].ID, i)+"/first", "%s", clash.Reason)
	}
}

func (v *validator) number(at string, n Number) (b digits.Block, ok bool) {
	v.named("number", at, n.ID, n.First, n.Note)
	if !slices.Contains([]string{NumberOrdered, NumberTrial, NumberActive, NumberPorting, NumberSpare}, n.State) {
		v.bad(at+"/state", "%q is not a state; these are ordered, trial, active, porting and spare", n.State)
	}
	if n.Carrier != "" {
		v.known(at+"/carrier", "far end", n.Carrier, v.index.FarEnds[n.Carrier] != nil)
	}
	if n.Destination != "" {
		v.known(at+"/destination", "destination", n.Destination, v.index.Destinations[n.Destination] != nil)
	}
	b, err := n.Block()
	if err == nil {
		err = b.Check()
	}
	if err == nil && (!b.First.Plus() || b.First.HasPrefix("+0") || b.First.Len() > digits.MaxRangeDigits+1) {
		err = errors.New("a public number is written as E.164: +, country code, at most 15 digits")
	}
	if err != nil {
		v.bad(at+"/first", "%s", err)
		return b, false
	}
	if n.Extension != "" {
		v.extension(at+"/extension", n, b)
	}
	return b, true
}

func (v *validator) extension(at string, n Number, b digits.Block) {
	first, err := digits.ParseNumber(n.Extension)
	switch {
	case err != nil:
		v.bad(at, "%s", err)
	case n.Destination == "":
		v.bad(at, "is mapped at a destination, and none is named")
	case !b.Fits(first):
		v.bad(at, "%s has no room for the %s numbers of the block", first, b.Size())
	}
}
