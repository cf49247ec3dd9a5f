package digits

import (
	"errors"
	"slices"
	"strings"
)

// maxReadable bounds a pattern that is written back from a set, in bytes. What
// needs more is not readable.
const maxReadable = 2000

// ErrUnreadable says that a set has no pattern of a length that people read.
var ErrUnreadable = errors.New("the set of numbers has no short pattern")

// Readable is a pattern that was written back from a set.
type Readable struct {
	Text string
	// Expression is true for an RE2 expression, where no dial pattern says it.
	Expression bool
}

// Readable writes a pattern that matches exactly the numbers of the set: a dial
// pattern if one says it, else an RE2 expression. What it returns was compiled
// and compared with the set.
func (s Set) Readable() (Readable, error) {
	t := s.term()
	if t == nil {
		return Readable{}, ErrUnreadable
	}
	if text, ok := s.dial(t, maxReadable); ok {
		return Readable{Text: text}, nil
	}
	text := expressionText(t)
	if len(text) <= maxReadable {
		if p, err := CompileExpression(text); err == nil && p.Set().Equal(s) {
			return Readable{text, true}, nil
		}
	}
	return Readable{}, ErrUnreadable
}

// DialPattern is Readable for who wants a dial pattern of at most so many bytes, or
// nothing.
func (s Set) DialPattern(most int) (text string, ok bool) {
	t := s.term()
	if t == nil {
		return "", false
	}
	return s.dial(t, most)
}

func (s Set) dial(t *term, most int) (text string, ok bool) {
	text, ok = dialText(t)
	if !ok || len(text) > most {
		return "", false
	}
	p, err := Compile(text)
	return text, err == nil && p.Set().Equal(s)
}

// setText writes a set of symbols as a position of a dial pattern.
func setText(set symbolSet) string {
	if set == digitMask {
		return "x"
	}
	var b strings.Builder
	count := 0
	for i := 0; i < symbolCount; i++ {
		if set&(1<<i) == 0 {
			continue
		}
		end := i
		for end+1 < 10 && i < 10 && set&(1<<(end+1)) != 0 {
			end++
		}
		b.WriteByte(symbols[i])
		if end > i {
			if end > i+1 {
				b.WriteByte('-')
			}
			b.WriteByte(symbols[end])
		}
		count += end - i + 1
		i = end
	}
	if count == 1 {
		return b.String()
	}
	return "[" + b.String() + "]"
}

// dialText writes a term as a dial pattern; ok is false if none says it, since
// a dial pattern has no way to let something be missing.
func dialText(t *term) (text string, ok bool) {
	variants := expand(t)
	if variants == nil {
		return "", false
	}
	var out []string
	for _, v := range variants {
		if v.isEpsilon() {
			return "", false
		}
		out = append(out, dialWrite(v))
	}
	return strings.Join(out, "|"), true
}

// maxVariants bounds how often what may be missing is written both ways.
const maxVariants = 64

// expand writes out what may be missing: with it, and without. nil if that
// gives too many variants.
func expand(t *term) []*term {
	switch t.kind {
	case termSet:
		if t.set&plusMask != 0 && t.set != plusMask { // + cannot stand in a range
			return []*term{{kind: termSet, set: plusMask}, {kind: termSet, set: t.set &^ plusMask}}
		}
	case termAlt:
		var out []*term
		var plain []*term
		for _, p := range t.parts {
			list := expand(p)
			if list == nil {
				return nil
			}
			for _, v := range list {
				if v.isEpsilon() {
					out = append(out, v)
				} else {
					plain = append(plain, v)
				}
			}
		}
		return bounded(append(out, altPlain(plain)...))
	case termCat:
		out := []*term{epsilon()}
		for _, p := range t.parts {
			list := expand(p)
			var next []*term
			for _, before := range out {
				for _, v := range list {
					next = append(next, cat(before, v))
				}
			}
			if out = bounded(next); out == nil {
				return nil
			}
		}
		return out
	case termStar:
		body := expand(t.parts[0])
		if body == nil {
			return nil
		}
		body = slices.DeleteFunc(body, (*term).isEpsilon)
		return []*term{{kind: termStar, parts: altPlain(body)}}
	}
	return []*term{t}
}

// altPlain keeps alternatives together in one term, not factored again.
func altPlain(list []*term) []*term {
	if len(list) < 2 {
		return list
	}
	return []*term{{kind: termAlt, parts: list}}
}

func bounded(list []*term) []*term {
	if len(list) > maxVariants {
		return nil
	}
	return list
}

func dialWrite(t *term) string {
	switch t.kind {
	case termSet:
		return setText(t.set)
	case termAlt:
		return joinWith(t.parts, "|", dialWrite)
	case termStar:
		if body := t.parts[0]; body.kind != termSet {
			return "(" + dialWrite(body) + ")."
		}
		return dialWrite(t.parts[0]) + "."
	}
	return joinWith(t.parts, "", func(p *term) string {
		if p.kind == termAlt {
			return "(" + dialWrite(p) + ")"
		}
		return dialWrite(p)
	})
}

func joinWith(list []*term, sep string, write func(*term) string) string {
	var out []string
	for _, p := range list {
		out = append(out, write(p))
	}
	return strings.Join(out, sep)
}

// expressionText writes a term as an RE2 expression.
func expressionText(t *term) string {
	switch {
	case t == nil:
		return "[^\\x00-\\x{10FFFF}]"
	case t.kind == termSet:
		return expressionSet(t.set)
	case t.kind == termAlt:
		return alternatives(t)
	case t.kind == termStar && t.parts[0].kind == termSet:
		return expressionText(t.parts[0]) + "*"
	case t.kind == termStar:
		return "(?:" + expressionText(t.parts[0]) + ")*"
	}
	return joinWith(t.parts, "", func(p *term) string {
		if text := expressionText(p); p.kind == termAlt && !strings.HasSuffix(text, ")?") {
			return "(?:" + text + ")"
		} else {
			return text
		}
	})
}

func alternatives(t *term) string {
	rest := slices.DeleteFunc(slices.Clone(t.parts), (*term).isEpsilon)
	text := joinWith(rest, "|", expressionText)
	if len(rest) < len(t.parts) {
		return "(?:" + text + ")?"
	}
	return text
}

func expressionSet(set symbolSet) string {
	switch text := setText(set); {
	case set == digitMask:
		return "[0-9]"
	case text[0] == '[':
		return text
	case text == "*" || text == "+":
		return `\` + text
	default:
		return text
	}
}
