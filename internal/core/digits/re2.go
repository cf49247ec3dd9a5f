package digits

import (
	"errors"
	"fmt"
	"regexp/syntax"
)

// CompileExpression reads an RE2 expression (the syntax of Go's regexp) on the
// whole number: it is anchored at both ends, ^ and $ there are allowed and add
// nothing. It compiles to the same automata as a dial pattern. Errors are
// *PatternError.
func CompileExpression(text string) (*Pattern, error) {
	fail := func(reason string) (*Pattern, error) { return nil, &PatternError{text, 0, reason} }
	if len(text) > MaxPatternBytes {
		return fail(fmt.Sprintf("longer than %d bytes", MaxPatternBytes))
	}
	tree, err := syntax.Parse(text, syntax.Perl)
	var bad *syntax.Error
	if errors.As(err, &bad) {
		return fail(fmt.Sprintf("%s: %s", bad.Code, bad.Expr))
	}
	root, err := fromExpression(tree.Simplify(), true, true)
	if err != nil {
		return fail(err.Error())
	}
	a, err := compileTree(text, root)
	if err != nil {
		return nil, err
	}
	all, err := (Set{a}).Intersect(wellFormed())
	if err != nil {
		return fail(err.Error())
	}
	return &Pattern{text: text, made: all.a}, nil
}

// wellFormed is every string that is a number but for its length: '+' stands
// first or not at all.
func wellFormed() Set {
	var n nfa
	final := n.add(nfaState{})
	loop := n.add(nfaState{})
	any := n.add(nfaState{set: 1<<plusIndex - 1, to: loop})
	n.states[loop].free = []int32{any, final}
	plus := n.add(nfaState{set: plusMask, to: loop})
	s, err := n.set(n.add(nfaState{free: []int32{plus, loop}}), final)
	if err != nil {
		panic(err) // two states
	}
	return s
}

// fromExpression turns an expression's tree into a pattern's. first and last
// tell whether a piece stands at the ends, where anchors mean nothing new.
func fromExpression(e *syntax.Regexp, first, last bool) (*node, error) {
	switch e.Op {
	case syntax.OpEmptyMatch:
		return &node{kind: seqNode}, nil
	case syntax.OpNoMatch:
		return &node{kind: setNode}, nil
	case syntax.OpBeginText, syntax.OpBeginLine:
		if first {
			return &node{kind: seqNode}, nil
		}
		return nil, errors.New("^ can only stand first: the whole number is matched")
	case syntax.OpEndText, syntax.OpEndLine:
		if last {
			return &node{kind: seqNode}, nil
		}
		return nil, errors.New("$ can only stand last: the whole number is matched")
	case syntax.OpLiteral:
		return literal(e.Rune), nil
	case syntax.OpCharClass:
		return &node{kind: setNode, set: class(e.Rune)}, nil
	case syntax.OpAnyChar, syntax.OpAnyCharNotNL:
		return &node{kind: setNode, set: 1<<symbolCount - 1}, nil
	case syntax.OpCapture:
		return fromExpression(e.Sub[0], first, last)
	case syntax.OpStar, syntax.OpPlus, syntax.OpQuest:
		return repeated(e)
	case syntax.OpConcat, syntax.OpAlternate:
		return joined(e, first, last)
	}
	return nil, fmt.Errorf("%s has no meaning on a number", e)
}

func literal(runes []rune) *node {
	seq := &node{kind: seqNode}
	for _, r := range runes {
		seq.parts = append(seq.parts, &node{kind: setNode, set: class([]rune{r, r})})
	}
	return seq
}

// class is the symbols in pairs of first and last runes; runes that are in no
// number match nothing.
func class(ranges []rune) symbolSet {
	var set symbolSet
	for i := range symbolCount {
		for j := 0; j < len(ranges); j += 2 {
			if r := rune(symbols[i]); ranges[j] <= r && r <= ranges[j+1] {
				set |= 1 << i
			}
		}
	}
	return set
}

func repeated(e *syntax.Regexp) (*node, error) {
	body, err := fromExpression(e.Sub[0], false, false)
	if err != nil {
		return nil, err
	}
	group := &node{kind: seqNode, parts: []*node{body}}
	switch e.Op {
	case syntax.OpQuest:
		return &node{kind: altNode, parts: []*node{group, {kind: seqNode}}}, nil
	case syntax.OpStar:
		group.repeat = true
		return group, nil
	}
	again := &node{kind: seqNode, parts: []*node{body}, repeat: true}
	return &node{kind: seqNode, parts: []*node{group, again}}, nil
}

func joined(e *syntax.Regexp, first, last bool) (*node, error) {
	n := &node{kind: seqNode}
	if e.Op == syntax.OpAlternate {
		n.kind = altNode
	}
	for i, sub := range e.Sub {
		atStart, atEnd := first, last
		if e.Op == syntax.OpConcat {
			atStart, atEnd = first && i == 0, last && i == len(e.Sub)-1
		}
		part, err := fromExpression(sub, atStart, atEnd)
		if err != nil {
			return nil, err
		}
		n.parts = append(n.parts, part)
	}
	return n, nil
}
