package digits

// symbols is the alphabet of numbers; a symbol's index is its place here.
const symbols = "0123456789*#ABCD+"

const (
	symbolCount = len(symbols)    // 17
	plusIndex   = symbolCount - 1 // '+'
	timerIndex  = symbolCount     // T: an event of the digit timer, in no number
	columns     = symbolCount + 1 // columns of a transition table
	digitMask   = symbolSet(1<<10 - 1)
	timerMask   = symbolSet(1) << timerIndex
	plusMask    = symbolSet(1) << plusIndex
)

// symbolSet is a set of symbols, bit i for the symbol with index i.
type symbolSet uint32

var indexOf = func() (t [256]int8) {
	for i := range t {
		t[i] = -1
	}
	for i := range len(symbols) {
		t[symbols[i]] = int8(i)
	}
	for c := byte('a'); c <= 'd'; c++ {
		t[c] = t[c-'a'+'A']
	}
	return t
}()

// symbolIndex returns the index of c in the alphabet, or -1.
func symbolIndex(c byte) int { return int(indexOf[c]) }
