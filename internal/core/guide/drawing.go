package guide

import (
	"strings"

	"switchback.example/switchback/internal/core/digits"
)

// drawing is the numbers of a table's rules, in the order in which they are tried. Each
// new rule is fitted in between: it takes nothing of those before it, or all of it.
type drawing struct {
	placed []digits.Set
	taken  digits.Set
}

// longest is how long a pattern may be, in bytes. Most are far shorter; the exact numbers
// of a class of a large country are not.
const longest = 2000

// take gives numbers a place as they are; it is false if they have one already.
func (d *drawing) take(s digits.Set) bool {
	if left, err := s.Minus(d.taken); err != nil || left.Empty() {
		return false
	}
	d.place(s)
	return true
}

func (d *drawing) place(s digits.Set) {
	d.placed = append(d.placed, s)
	if all, err := d.taken.Union(s); err == nil {
		d.taken = all
	}
}

// draw finds a place for numbers behind those that are placed, and writes their pattern.
// What rules before it take is left out of it, unless the rule can say its numbers more
// simply with all of that. ok is false if nothing is left, or no pattern says it.
func (d *drawing) draw(s digits.Set) (text string, ok bool) {
	r, ok := d.fits(s)
	if ok {
		d.place(r.set)
	}
	return r.text, ok
}

// fitted is numbers that have a pattern and a place.
type fitted struct {
	set  digits.Set
	text string
}

// fits is draw, without taking the place.
func (d *drawing) fits(s digits.Set) (best fitted, ok bool) {
	left, err := s.Minus(d.taken)
	if err != nil || left.Empty() {
		return best, false
	}
	// Whoever contains a rule before it keeps those numbers: it is simpler, and they
	// never come to it. Whoever only overlaps one leaves them.
	whole := s
	for _, p := range d.placed {
		both, err := whole.Intersect(p)
		if err != nil {
			return best, false
		}
		if both.Empty() || p.Within(whole) {
			continue
		}
		if whole, err = whole.Minus(p); err != nil {
			return best, false
		}
	}
	for _, c := range []digits.Set{whole, left} {
		if text, written := c.DialPattern(longest); written && (!ok || len(text) < len(best.text)) {
			best, ok = fitted{c, text}, true
		}
	}
	return best, ok
}

// openFrom is from how many different lengths on a pattern leaves the last ones open:
// where numbers are of many lengths, none is the last for certain.
const openFrom = 5

// outline is the numbers that begin with a digit with which some member of a set begins,
// and are as long as some member; where these are of many lengths, as long or longer.
func outline(s digits.Set) digits.Set {
	all := s.CountByLength()
	if len(all) < openFrom {
		return lengths(s, digits.MaxSymbols)
	}
	p, err := digits.Compile(firstDigits(s) + strings.Repeat("x", max(0, all[0].Length-2)) + "x.")
	if err != nil || all[0].Length < 2 {
		return lengths(s, digits.MaxSymbols)
	}
	return p.Set()
}

// lengths is the numbers that begin with a digit with which some member of a set begins,
// and are as long as some member, but no longer than most.
func lengths(s digits.Set, most int) digits.Set {
	var forms []string
	first := firstDigits(s)
	for _, l := range s.CountByLength() {
		if l.Length > most {
			break
		}
		forms = append(forms, first+strings.Repeat("x", max(0, l.Length-1)))
	}
	p, err := digits.Compile(strings.Join(forms, "|"))
	if err != nil || len(forms) == 0 || first == "[]" {
		return digits.Set{}
	}
	return p.Set()
}

// firstDigits are those with which members of a set begin, as a position of a pattern.
func firstDigits(s digits.Set) string {
	var firsts strings.Builder
	for d := range 10 {
		digit := string(rune('0' + d))
		p, err := digits.Compile(digit + "x.")
		if err != nil {
			continue
		}
		if some, err := s.Intersect(p.Set()); err == nil && !some.Empty() {
			firsts.WriteString(digit)
		}
	}
	return "[" + firsts.String() + "]"
}
