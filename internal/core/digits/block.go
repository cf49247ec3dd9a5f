package digits

import (
	"fmt"
	"math/big"
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
	if !allDigits(b.First) || !allDigits(b.Last) {
		return fmt.Errorf("a block is written with digits only, such as 2000 to 2199")
	}
	if len(b.First.s) != len(b.Last.s) || b.First.Plus() != b.Last.Plus() {
		return fmt.Errorf("%s and %s have different widths", b.First, b.Last)
	}
	if b.First.s > b.Last.s {
		return fmt.Errorf("%s lies above %s", b.First, b.Last)
	}
	return nil
}

// Contains tells whether n is a member of the block.
func (b Block) Contains(n Number) bool {
	return len(n.s) == len(b.First.s) && allDigits(n) && b.First.s <= n.s && n.s <= b.Last.s
}

// Size returns how many numbers the block holds.
func (b Block) Size() *big.Int {
	size := new(big.Int).Sub(value(b.Last), value(b.First))
	return size.Add(size, big.NewInt(1))
}

// MapBlock maps a member of one block on the member of another at the same
// place: First to First, and so on by arithmetic. The blocks must have equal
// sizes (Check them first); a number outside from is an error. Equal digits at
// the end count as kept.
func MapBlock(n Number, from, to Block) (Edit, error) {
	if !from.Contains(n) {
		return Edit{}, fmt.Errorf("%s is not in the block %s to %s", shown(n), from.First, from.Last)
	}
	v := new(big.Int).Sub(value(n), value(from.First))
	v.Add(v, value(to.First))
	width := len(to.First.Symbols())
	after := padded(v.String(), width)
	if to.First.Plus() {
		after = "+" + after
	}
	return Rewritten(n, Number{after}).checked()
}

// padded puts zeros in front up to a width.
func padded(digits string, width int) string {
	return strings.Repeat("0", max(0, width-len(digits))) + digits
}

func value(n Number) *big.Int {
	v, _ := new(big.Int).SetString(n.Symbols(), 10)
	return v
}

func allDigits(n Number) bool {
	s := n.Symbols()
	return s != "" && strings.Trim(s, "0123456789") == ""
}
