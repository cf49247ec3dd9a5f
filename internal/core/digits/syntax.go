package digits

import (
	"fmt"
	"strings"
)

// MaxPatternBytes bounds the text of a pattern. RFC 3435 wants gateways to
// cope with at least 2048 octets (from memory).
const MaxPatternBytes = 4096

// PatternError says where in a dial pattern something is wrong, and how to
// mend it.
type PatternError struct {
	Pattern string
	Offset  int // byte offset, from 0
	Reason  string
}

func (e *PatternError) Error() string {
	return fmt.Sprintf("pattern %s, position %d: %s", Quoted(e.Pattern), e.Offset+1, e.Reason)
}

// node is a piece of a parsed pattern: exactly one of set, seq and alt is in
// use, told by kind.
type node struct {
	kind   nodeKind
	set    symbolSet
	parts  []*node // of a sequence or an alternation
	repeat bool    // '.' stood after it: zero or more
	at     int     // offset in the text
	end    int     // offset behind it, its '.' included
}

type nodeKind uint8

const (
	setNode nodeKind = iota
	seqNode
	altNode
)

type parser struct {
	text string
	pos  int
	open []int // where the groups begin that are not closed yet
}

// parsePattern reads a digit map: RFC 3435 section 2.1.5 and the grammar of
// its appendix A, with our extensions: outer parentheses may be missing and
// may nest, '.' may follow a closing parenthesis, '+' may stand first.
func parsePattern(text string) (*node, error) {
	p := &parser{text: text}
	if text == "" {
		return nil, p.fail(0, "empty pattern; write a digit map such as 0x., or leave the field out")
	}
	if len(text) > MaxPatternBytes {
		return nil, p.fail(MaxPatternBytes, fmt.Sprintf("longer than %d bytes", MaxPatternBytes))
	}
	root, err := p.alternatives()
	if err != nil {
		return nil, err
	}
	if p.pos < len(text) {
		return nil, p.fail(p.pos, "this ) has no ( before it")
	}
	if err := p.checkPlaces(root, true, true); err != nil {
		return nil, err
	}
	return root, nil
}

func (p *parser) fail(at int, reason string) error {
	return &PatternError{Pattern: p.text, Offset: at, Reason: reason}
}

func (p *parser) more() bool { return p.pos < len(p.text) }

func (p *parser) alternatives() (*node, error) {
	alt := &node{kind: altNode, at: p.pos}
	for {
		seq, err := p.sequence()
		if err != nil {
			return nil, err
		}
		seq.end = p.pos
		alt.parts = append(alt.parts, seq)
		if !p.more() || p.text[p.pos] != '|' {
			break
		}
		p.pos++
	}
	alt.end = p.pos
	if len(alt.parts) == 1 {
		return alt.parts[0], nil
	}
	return alt, nil
}

func (p *parser) sequence() (*node, error) {
	seq := &node{kind: seqNode, at: p.pos}
	for p.more() && p.text[p.pos] != '|' && p.text[p.pos] != ')' {
		n, err := p.element()
		if err != nil {
			return nil, err
		}
		seq.parts = append(seq.parts, n)
	}
	switch {
	case len(seq.parts) > 0:
	case !p.more() && len(p.open) > 0:
		return nil, p.fail(p.open[len(p.open)-1], "this ( is never closed")
	case p.more() && p.text[p.pos] == ')' && len(p.open) == 0:
		return nil, p.fail(p.pos, "this ) has no ( before it")
	default:
		return nil, p.fail(p.pos, "an alternative is empty; for no digits at all the rule has a match of its own")
	}
	return seq, nil
}

func (p *parser) element() (*node, error) {
	n, err := p.position()
	if err != nil {
		return nil, err
	}
	if p.more() && p.text[p.pos] == '.' {
		n.repeat = true
		p.pos++
		if p.more() && p.text[p.pos] == '.' {
			return nil, p.fail(p.pos, "a second . adds nothing; one . already means zero or more")
		}
	}
	n.end = p.pos
	return n, nil
}

func (p *parser) position() (*node, error) {
	at, c := p.pos, p.text[p.pos]
	switch c {
	case '(':
		return p.group()
	case '[':
		return p.bracket()
	case '.':
		return nil, p.fail(at, ". repeats the preceding symbol, but none precedes it")
	case ']':
		return nil, p.fail(at, "this ] has no [ before it")
	}
	set, ok := letter(c)
	if !ok {
		return nil, p.fail(at, unknownLetter(p.text[at:]))
	}
	p.pos++
	return &node{kind: setNode, set: set, at: at}, nil
}

func (p *parser) group() (*node, error) {
	at := p.pos
	p.pos++
	p.open = append(p.open, at)
	n, err := p.alternatives()
	if err != nil {
		return nil, err
	}
	p.open = p.open[:len(p.open)-1]
	if !p.more() {
		return nil, p.fail(at, "this ( is never closed")
	}
	p.pos++
	// A group keeps a node of its own, so that '.' after it repeats all of it.
	return &node{kind: seqNode, parts: []*node{n}, at: at}, nil
}

// bracket reads a range: digits, subranges of digits, and letters.
func (p *parser) bracket() (*node, error) {
	n := &node{kind: setNode, at: p.pos}
	for p.pos++; p.more() && p.text[p.pos] != ']'; p.pos++ {
		at, c := p.pos, p.text[p.pos]
		if c == '-' {
			return nil, p.fail(at, "- stands between two digits, as in [2-9]")
		}
		set, ok := letter(c)
		if !ok {
			return nil, p.fail(at, unknownLetter(p.text[at:]))
		}
		if set == plusMask {
			return nil, p.fail(at, "+ cannot stand in a range; write (+|0)")
		}
		if at+1 < len(p.text) && p.text[at+1] == '-' {
			if set, ok = p.subrange(at); !ok {
				return nil, p.fail(at, "a subrange goes from a digit up to another, as in [2-9]; list letters one by one, as in [ABCD]")
			}
		}
		n.set |= set
	}
	if !p.more() {
		return nil, p.fail(n.at, "this [ is never closed")
	}
	p.pos++
	if n.set == 0 {
		return nil, p.fail(n.at, "an empty range matches nothing")
	}
	return n, nil
}

// subrange reads a-b at offset at and leaves the parser on b.
func (p *parser) subrange(at int) (symbolSet, bool) {
	if at+2 >= len(p.text) {
		return 0, false
	}
	lo, hi := p.text[at], p.text[at+2]
	if !isDigit(lo) || !isDigit(hi) || lo > hi {
		return 0, false
	}
	p.pos = at + 2
	return (symbolSet(1)<<(hi-'0'+1) - 1) &^ (symbolSet(1)<<(lo-'0') - 1), true
}

// checkPlaces holds T to the end of an alternative and '+' to its start: no
// number has either anywhere else.
func (p *parser) checkPlaces(n *node, head, tail bool) error {
	if n.repeat && n.contains(timerMask) {
		return p.fail(n.at, "T stands for the digit timer and cannot be repeated")
	}
	if n.repeat && n.contains(plusMask) {
		return p.fail(n.at, "+ cannot be repeated")
	}
	switch n.kind {
	case setNode:
		if n.set&timerMask != 0 && !tail {
			return p.fail(n.at, "T stands for the digit timer and can only end an alternative")
		}
		if n.set&plusMask != 0 && !head {
			return p.fail(n.at, "+ can only stand first")
		}
	case altNode:
		for _, part := range n.parts {
			if err := p.checkPlaces(part, head, tail); err != nil {
				return err
			}
		}
	case seqNode:
		for i, part := range n.parts {
			if err := p.checkPlaces(part, head && i == 0, tail && i == len(n.parts)-1); err != nil {
				return err
			}
		}
	}
	return nil
}

func (n *node) contains(set symbolSet) bool {
	if n.kind == setNode {
		return n.set&set != 0
	}
	for _, part := range n.parts {
		if part.contains(set) {
			return true
		}
	}
	return false
}

func letter(c byte) (symbolSet, bool) {
	switch c {
	case 'x', 'X':
		return digitMask, true
	case 't', 'T':
		return timerMask, true
	}
	if i := symbolIndex(c); i >= 0 {
		return symbolSet(1) << i, true
	}
	return 0, false
}

func unknownLetter(rest string) string {
	c := printable(rest)
	if strings.TrimSpace(c) == "" {
		return "a pattern has no white space"
	}
	return fmt.Sprintf("%q means nothing in a dial pattern; it knows 0-9 * # A-D, x for any digit, [ ], ., |, ( ), T, and + in front", c)
}

func isDigit(c byte) bool { return c >= '0' && c <= '9' }
