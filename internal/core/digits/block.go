package digits

import (
	"bytes"
	"fmt"
	"math/big"
	"strconv"
	"strings"
)

// Block is a contiguous range of numbers of one width, First to Last
// inclusive, compared as decimal numbers behind an optional '+'.
type Block struct {
	First Number `json:"first"`
	Last  Number `json:"last"`
}

// Check returns an error unless the block is two numbers of digits only, of
// one width, in order.
func (b Block) Check() error {
	if !b.First.Digits() || !b.Last.Digits() {
		return fmt.Errorf("a block is written with digits only, such as 2000 to 2199")
	}
	if b.First.length != b.Last.length || b.First.Plus() != b.Last.Plus() {
		return fmt.Errorf("%s and %s have different widths", b.First, b.Last)
	}
	if b.First.compare(&b.Last) > 0 {
		return fmt.Errorf("%s lies above %s", b.First, b.Last)
	}
	return nil
}

// Contains tells whether n is a member of the block.
func (b Block) Contains(n Number) bool {
	return n.length == b.First.length && n.Plus() == b.First.Plus() && n.Digits() && b.First.compare(&n) <= 0 && n.compare(&b.Last) <= 0
}

// Size returns how many numbers the block holds.
func (b Block) Size() *big.Int {
	size := new(big.Int).Sub(value(b.Last), value(b.First))
	return size.Add(size, big.NewInt(1))
}

// MapBlock maps a member of one block on the member of another at the same
// place: First to First, and so on by arithmetic. The blocks must have equal
// sizes (Check them first); a number outside from is a fault. Equal digits at
// the end count as kept.
func MapBlock(n Number, from, to Block) Edit {
	if !from.Contains(n) {
		return Edit{before: n, after: n, fault: outside, first: from.First, final: from.Last}
	}
	return Shift(n, from.First, to.First)
}

// Shift maps a member of a block that begins with from, by arithmetic, on the
// block of equal size that begins with to. Both blocks are taken for granted.
func Shift(n, from, to Number) Edit { return Rewritten(n, to.plus(n.minus(from))) }

// Fits tells whether a block of as many numbers as b can begin with first
// without running out of digits.
func (b Block) Fits(first Number) bool {
	if !first.Digits() {
		return false
	}
	span := b.Last.minus(b.First)
	digits := span.bytes()[span.Len()-span.symbols():]
	for len(digits) > first.symbols() {
		if digits[0] != '0' {
			return false
		}
		digits = digits[1:]
	}
	last := first.plus(span)
	return first.compare(&last) <= 0
}

// minus returns n - m for digits of one width with n not below m, and plus adds
// a number that is no wider in effect: both by school arithmetic, since 32
// digits fit no machine word.
func (n Number) minus(m Number) Number {
	borrow := byte(0)
	for i := int(n.length) - 1; i >= 0 && n.text[i] != '+'; i-- {
		d := n.text[i] - m.text[i] + 10 - borrow
		n.text[i], borrow = '0'+d%10, 1-d/10
	}
	return n
}

func (n Number) plus(m Number) Number {
	carry := byte(0)
	for i := 1; i <= int(n.length) && n.text[int(n.length)-i] != '+'; i++ {
		d := n.text[int(n.length)-i] - '0' + carry
		if i <= int(m.length) && m.text[int(m.length)-i] != '+' {
			d += m.text[int(m.length)-i] - '0'
		}
		n.text[int(n.length)-i], carry = '0'+d%10, d/10
	}
	return n
}

// compare orders numbers of one width.
func (n *Number) compare(m *Number) int { return bytes.Compare(n.bytes(), m.bytes()) }

// padded puts zeros in front up to a width.
func padded(digits string, width int) string {
	return strings.Repeat("0", max(0, width-len(digits))) + digits
}

func value(n Number) *big.Int {
	v, _ := new(big.Int).SetString(n.Symbols(), 10)
	return v
}

// Nth is the number so many places after another, of its width. Places beyond the width
// wrap round.
func (n Number) Nth(places uint64) Number {
	return n.plus(numberOf(strconv.FormatUint(places, 10)))
}

// Last returns the last so many symbols; all of them if there are no more. A '+' stays
// away unless everything is kept.
func (n Number) Last(symbols int) Number {
	if symbols >= n.symbols() {
		return n
	}
	return numberOf(n.String()[int(n.length)-symbols:])
}
