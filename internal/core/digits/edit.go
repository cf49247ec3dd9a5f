package digits

import (
	"fmt"
	"strings"
)

// Fate says what a rewrite did to a run of symbols.
type Fate string

// The fates of a run of symbols.
const (
	Kept    Fate = "kept"
	Dropped Fate = "dropped"
	Added   Fate = "added"
)

// Run is a stretch of symbols that met the same fate.
type Run struct {
	Text string `json:"text"`
	Fate Fate   `json:"fate" enum:"kept,dropped,added"`
}

// Edit is one change to a number, told by what became of every symbol: the
// kept and dropped runs spell the number before, the kept and added ones the
// number after.
type Edit struct{ Runs []Run }

// NewEdit joins runs, leaving empty ones out.
func NewEdit(runs ...Run) Edit {
	var e Edit
	for _, r := range runs {
		if r.Text != "" {
			e.Runs = append(e.Runs, r)
		}
	}
	return e
}

// Before spells the number before the edit.
func (e Edit) Before() Number { return e.spell(Added) }

// After spells the number after the edit.
func (e Edit) After() Number { return e.spell(Dropped) }

// Changes tells whether the edit drops or adds anything.
func (e Edit) Changes() bool {
	for _, r := range e.Runs {
		if r.Fate != Kept {
			return true
		}
	}
	return false
}

func (e Edit) spell(without Fate) Number {
	var b strings.Builder
	for _, r := range e.Runs {
		if r.Fate != without {
			b.WriteString(r.Text)
		}
	}
	return Number{b.String()}
}

// checked returns the edit if its result is a number.
func (e Edit) checked() (Edit, error) {
	after := e.After()
	if strings.LastIndexByte(after.s, '+') > 0 {
		return Edit{}, fmt.Errorf("the result %s has a + that does not stand first", after)
	}
	if len(after.Symbols()) > MaxSymbols {
		return Edit{}, fmt.Errorf("the result %s is longer than %d symbols", after, MaxSymbols)
	}
	return e, nil
}

func tooShort(n Number, want int) error {
	return fmt.Errorf("wants %d symbols, %s has %d", want, shown(n), len(n.s))
}

func shown(n Number) string {
	if n.Empty() {
		return "the empty number"
	}
	return n.s
}

// DropFirst drops the first count symbols; a leading '+' counts as one.
func DropFirst(n Number, count int) (Edit, error) {
	if count > len(n.s) {
		return Edit{}, tooShort(n, count)
	}
	return NewEdit(Run{n.s[:count], Dropped}, Run{n.s[count:], Kept}).checked()
}

// DropLast drops the last count symbols.
func DropLast(n Number, count int) (Edit, error) {
	if count > len(n.s) {
		return Edit{}, tooShort(n, count)
	}
	at := len(n.s) - count
	return NewEdit(Run{n.s[:at], Kept}, Run{n.s[at:], Dropped}).checked()
}

// KeepFirst keeps the first count symbols and drops the rest.
func KeepFirst(n Number, count int) (Edit, error) {
	if count > len(n.s) {
		return Edit{}, tooShort(n, count)
	}
	return DropLast(n, len(n.s)-count)
}

// KeepLast keeps the last count symbols and drops the rest.
func KeepLast(n Number, count int) (Edit, error) {
	if count > len(n.s) {
		return Edit{}, tooShort(n, count)
	}
	return DropFirst(n, len(n.s)-count)
}

// PutBefore puts s in front.
func PutBefore(n, s Number) (Edit, error) {
	return NewEdit(Run{s.s, Added}, Run{n.s, Kept}).checked()
}

// PutAfter puts s behind.
func PutAfter(n, s Number) (Edit, error) {
	return NewEdit(Run{n.s, Kept}, Run{s.s, Added}).checked()
}

// ReplaceWith puts s in place of the whole number.
func ReplaceWith(n, s Number) (Edit, error) {
	return NewEdit(Run{n.s, Dropped}, Run{s.s, Added}).checked()
}

// ReplacePrefix puts b in place of the prefix a; a number without that prefix
// is an error, so that nothing passes unchanged in silence.
func ReplacePrefix(n, a, b Number) (Edit, error) {
	rest, ok := strings.CutPrefix(n.s, a.s)
	if !ok {
		return Edit{}, fmt.Errorf("%s does not begin with %s", shown(n), a)
	}
	return NewEdit(Run{a.s, Dropped}, Run{b.s, Added}, Run{rest, Kept}).checked()
}

// Rewritten is the edit between two numbers of which only the front differs:
// equal symbols at the end are kept.
func Rewritten(before, after Number) Edit {
	same := commonSuffix(before.s, after.s)
	return NewEdit(
		Run{before.s[:len(before.s)-same], Dropped},
		Run{after.s[:len(after.s)-same], Added},
		Run{after.s[len(after.s)-same:], Kept},
	)
}

func commonSuffix(a, b string) int {
	n := 0
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	return n
}
