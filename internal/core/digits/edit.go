package digits

import "fmt"

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

// Edit is one change to a number. All have one shape: something is dropped at
// the front and at the back, something else is put there, the middle is kept.
// An edit that could not be made says why by Err and changes nothing. It is a
// plain value: making one allocates nothing.
type Edit struct {
	before, after        Number
	dropFront, dropBack  uint8 // symbols of before
	addFront, addBack    uint8 // symbols of after
	fault                fault
	want                 uint8  // tooShort: how many symbols
	prefix, first, final Number // wrongPrefix; outside
}

type fault uint8

const (
	fits fault = iota
	tooShort
	tooLong
	plusInside
	wrongPrefix
	outside
)

// Before returns the number before the edit.
func (e Edit) Before() Number { return e.before }

// After returns the number after the edit; the one before if it failed.
func (e Edit) After() Number { return e.after }

// OK tells whether the edit could be made.
func (e Edit) OK() bool { return e.fault == fits }

// Changes tells whether the edit drops or adds anything.
func (e Edit) Changes() bool { return e.dropFront|e.dropBack|e.addFront|e.addBack != 0 }

// Err says why the edit could not be made; nil if it could.
func (e Edit) Err() error {
	switch e.fault {
	case tooShort:
		return fmt.Errorf("wants %d symbols, %s has %d", e.want, shown(e.before), e.before.length)
	case tooLong:
		return fmt.Errorf("the result would be longer than %d symbols", MaxSymbols)
	case plusInside:
		return fmt.Errorf("the result would have a + that does not stand first")
	case wrongPrefix:
		return fmt.Errorf("%s does not begin with %s", shown(e.before), e.prefix)
	case outside:
		return fmt.Errorf("%s is not in the block %s to %s", shown(e.before), e.first, e.final)
	}
	return nil
}

// Runs tells what became of every symbol: the kept and dropped runs spell the
// number before, the kept and added ones the number after.
func (e Edit) Runs() []Run {
	runs := []Run{}
	add := func(text []byte, fate Fate) {
		if len(text) > 0 {
			runs = append(runs, Run{string(text), fate})
		}
	}
	before, after := e.before.bytes(), e.after.bytes()
	end := len(before) - int(e.dropBack)
	add(before[:e.dropFront], Dropped)
	add(after[:e.addFront], Added)
	add(before[e.dropFront:end], Kept)
	add(before[end:], Dropped)
	add(after[len(after)-int(e.addBack):], Added)
	return runs
}

// edited drops symbols at both ends of n and puts others there.
func edited(n Number, dropFront, dropBack int, front, back Number) Edit {
	e := Edit{before: n, dropFront: uint8(dropFront), dropBack: uint8(dropBack), addFront: front.length, addBack: back.length}
	kept := n.bytes()[dropFront : int(n.length)-dropBack]
	plus := front.Plus() || front.length == 0 && len(kept) > 0 && kept[0] == '+' ||
		int(front.length)+len(kept) == 0 && back.Plus()
	length := int(front.length) + len(kept) + int(back.length)
	if length > MaxSymbols && !(plus && length == maxText) {
		return failed(n, tooLong)
	}
	e.after = front
	for _, c := range kept {
		e.after.push(c)
	}
	for _, c := range back.bytes() {
		e.after.push(c)
	}
	if !e.after.wellFormed() {
		return failed(n, plusInside)
	}
	return e
}

func failed(n Number, f fault) Edit { return Edit{before: n, after: n, fault: f} }

func short(n Number, want int) Edit {
	return Edit{before: n, after: n, fault: tooShort, want: uint8(want)}
}

func shown(n Number) string {
	if n.Empty() {
		return "the empty number"
	}
	return n.String()
}

// DropFirst drops the first count symbols; a leading '+' counts as one.
func DropFirst(n Number, count int) Edit {
	if count > n.Len() {
		return short(n, count)
	}
	return edited(n, count, 0, Number{}, Number{})
}

// DropLast drops the last count symbols.
func DropLast(n Number, count int) Edit {
	if count > n.Len() {
		return short(n, count)
	}
	return edited(n, 0, count, Number{}, Number{})
}

// KeepFirst keeps the first count symbols and drops the rest.
func KeepFirst(n Number, count int) Edit {
	if count > n.Len() {
		return short(n, count)
	}
	return DropLast(n, n.Len()-count)
}

// KeepLast keeps the last count symbols and drops the rest.
func KeepLast(n Number, count int) Edit {
	if count > n.Len() {
		return short(n, count)
	}
	return DropFirst(n, n.Len()-count)
}

// PutBefore puts s in front.
func PutBefore(n, s Number) Edit { return edited(n, 0, 0, s, Number{}) }

// PutAfter puts s behind.
func PutAfter(n, s Number) Edit { return edited(n, 0, 0, Number{}, s) }

// ReplaceWith puts s in place of the whole number.
func ReplaceWith(n, s Number) Edit { return edited(n, n.Len(), 0, s, Number{}) }

// ReplacePrefix puts b in place of the prefix a; a number without that prefix
// is a fault, so that nothing passes unchanged in silence.
func ReplacePrefix(n, a, b Number) Edit {
	if a.length > n.length || string(a.bytes()) != string(n.text[:a.length]) {
		return Edit{before: n, after: n, fault: wrongPrefix, prefix: a}
	}
	return edited(n, a.Len(), 0, b, Number{})
}

// Rewritten is the edit between two numbers of which only the front differs:
// equal symbols at the end are kept.
func Rewritten(before, after Number) Edit {
	same := commonSuffix(before.bytes(), after.bytes())
	return Edit{before: before, after: after, dropFront: before.length - same, addFront: after.length - same}
}

func commonSuffix(a, b []byte) (n uint8) {
	for int(n) < min(len(a), len(b)) && a[len(a)-1-int(n)] == b[len(b)-1-int(n)] {
		n++
	}
	return n
}
