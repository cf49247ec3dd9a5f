// Package digits is the bottom of the core: numbers in flight, the dial
// patterns that match them, and the automata behind the patterns.
//
// It knows symbols and sets of numbers only. It never knows a country, a plan,
// a trunk or what a number is for, and it does no I/O.
package digits

import (
	"fmt"
	"strconv"
	"strings"
)

// MaxSymbols is the longest number that is accepted, in symbols after an
// optional leading '+'. E.164 numbers have at most 15 digits (ITU-T E.164);
// the rest is room for prefixes, codes and extensions.
const MaxSymbols = 32

// Number is a called or calling number: symbols from 0-9 * # A B C D, with an
// optional '+' in front. It is a plain value of fixed size, so that rewriting a
// number allocates nothing; it is comparable and usable as a map key. The zero
// Number is the empty number, which is legal: it is what a phone sends that is
// lifted and not dialled.
type Number struct {
	length uint8
	text   [maxText]byte // zero behind length
}

// maxText is the longest text of a number, in bytes.
const maxText = MaxSymbols + 1

// NumberError says where in an input a number went wrong, and why.
type NumberError struct {
	Input  string
	Offset int // byte offset of the offending symbol, from 0
	Reason string
}

func (e *NumberError) Error() string {
	return fmt.Sprintf("number %s, position %d: %s", Quoted(e.Input), e.Offset+1, e.Reason)
}

// Quoted writes what somebody gave in quotes, as much of it as a message can bear.
func Quoted(in string) string {
	if len(in) <= maxQuoted {
		return strconv.Quote(in)
	}
	return fmt.Sprintf("%q… (%d bytes)", in[:maxQuoted], len(in))
}

// maxQuoted is how much of an input a message repeats, in bytes.
const maxQuoted = 60

// ParseNumber reads a number as people and signalling write it. Visual
// separators (space - . ( ) /) are dropped, %-escapes are decoded (RFC 3986
// section 2.1, since '#' travels as %23 in a SIP URI), a-d become A-D.
// Anything else is refused with its position.
func ParseNumber(in string) (Number, error) {
	var n Number
	for i := 0; i < len(in); i++ {
		at, c := i, in[i]
		if c == '%' {
			d, ok := unescape(in[i:])
			if !ok {
				return Number{}, &NumberError{in, at, "% wants two hexadecimal digits after it, such as %23 for #"}
			}
			c, i = d, i+2
		}
		switch {
		case strings.IndexByte(" \t-.()/", c) >= 0:
			continue
		case c == '+' && n.length > 0:
			return Number{}, &NumberError{in, at, "+ can only stand first"}
		case c >= 'a' && c <= 'd':
			c -= 'a' - 'A'
		}
		if symbolIndex(c) < 0 {
			return Number{}, &NumberError{in, at, fmt.Sprintf("%q is not a symbol of a number; these are: 0-9 * # A B C D, and + in front", printable(in[at:]))}
		}
		if c != '+' && n.symbols() == MaxSymbols {
			return Number{}, &NumberError{in, at, fmt.Sprintf("longer than %d symbols", MaxSymbols)}
		}
		n.push(c)
	}
	return n, nil
}

// MustNumber is ParseNumber for constants in code and tests; it panics on an
// error.
func MustNumber(in string) Number {
	n, err := ParseNumber(in)
	if err != nil {
		panic(err)
	}
	return n
}

// numberOf makes a number of text that is known to be one.
func numberOf(text string) Number {
	n := Number{length: uint8(len(text))}
	if copy(n.text[:], text) < len(text) {
		panic("digits: no number is as long as " + text)
	}
	return n
}

func (n *Number) push(c byte) {
	n.text[n.length] = c
	n.length++
}

// bytes is the text in place; it must not outlive n.
func (n *Number) bytes() []byte { return n.text[:n.length] }

// symbols is how many symbols there are behind the '+'.
func (n *Number) symbols() int {
	if n.Plus() {
		return int(n.length) - 1
	}
	return int(n.length)
}

// String returns the number as it is sent: symbols only, '+' in front if it
// has one.
func (n Number) String() string { return string(n.text[:n.length]) }

// Shown is String for sentences, in which a number without digits is named.
func (n Number) Shown() string {
	if n.Empty() {
		return "the empty number"
	}
	return n.String()
}

// Empty tells whether no digit at all was dialled.
func (n Number) Empty() bool { return n.length == 0 }

// Plus tells whether the number has a leading '+'.
func (n Number) Plus() bool { return n.text[0] == '+' }

// Symbols returns the number without its '+'.
func (n Number) Symbols() string { return strings.TrimPrefix(n.String(), "+") }

// Digits tells whether the number, without its '+', is one or more of 0-9.
func (n Number) Digits() bool {
	body := n.bytes()
	if n.Plus() {
		body = body[1:]
	}
	for _, c := range body {
		if !isDigit(c) {
			return false
		}
	}
	return len(body) > 0
}

// HasPrefix tells whether the number begins with the given text.
func (n Number) HasPrefix(text string) bool {
	return len(text) <= int(n.length) && string(n.text[:len(text)]) == text
}

// From returns the number without its first count symbols, '+' among them;
// empty if it has no more.
func (n Number) From(count int) Number {
	var out Number
	if count < int(n.length) {
		out.length = uint8(copy(out.text[:], n.text[count:n.length]))
	}
	return out
}

// First returns the first count symbols, a leading '+' among them.
func (n Number) First(count int) Number { return numberOf(n.String()[:min(count, n.Len())]) }

// Behind puts texts in front of the number, in their order. ok is false if the
// result is no number: longer than MaxSymbols, or with a '+' that is not first.
func (n Number) Behind(texts ...string) (out Number, ok bool) {
	for _, text := range texts {
		if int(out.length)+len(text) > maxText {
			return Number{}, false
		}
		out.length += uint8(copy(out.text[out.length:], text))
	}
	if int(out.length)+int(n.length) > maxText {
		return Number{}, false
	}
	out.length += uint8(copy(out.text[out.length:], n.bytes()))
	return out, out.wellFormed()
}

// wellFormed tells whether the text is a number: '+' stands first or not at
// all, and not too many symbols follow.
func (n *Number) wellFormed() bool {
	for i, c := range n.bytes() {
		if c == '+' && i > 0 {
			return false
		}
	}
	return n.symbols() <= MaxSymbols
}

// HasService tells whether the number contains * or #, as service codes do.
func (n Number) HasService() bool {
	for _, c := range n.bytes() {
		if c == '*' || c == '#' {
			return true
		}
	}
	return false
}

// Len returns how many symbols the number has, its '+' counted.
func (n Number) Len() int { return int(n.length) }

// MarshalText writes the number as String does.
func (n Number) MarshalText() ([]byte, error) { return n.text[:n.length], nil }

// UnmarshalText reads a number as ParseNumber does.
func (n *Number) UnmarshalText(b []byte) error {
	v, err := ParseNumber(string(b))
	if err == nil {
		*n = v
	}
	return err
}

func unescape(s string) (byte, bool) {
	if len(s) < 3 {
		return 0, false
	}
	hi, lo := hexValue(s[1]), hexValue(s[2])
	if hi < 0 || lo < 0 {
		return 0, false
	}
	return byte(hi<<4 | lo), true
}

func hexValue(c byte) int {
	switch {
	case c >= '0' && c <= '9':
		return int(c - '0')
	case c >= 'a' && c <= 'f':
		return int(c-'a') + 10
	case c >= 'A' && c <= 'F':
		return int(c-'A') + 10
	}
	return -1
}

// printable returns the first character of s, whole if it is more than a byte.
func printable(s string) string {
	for _, r := range s {
		return string(r)
	}
	return ""
}
