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
	if text, ok := dialText(t); ok && len(text) <= maxReadable {
		if p, err := Compile(text); err == nil && p.Set().Equal(s) {
			return Readable{Text: text}, nil
		}
	}
	text := expressionText(t)
	if len(text) <= maxReadable {
		if p, err := CompileExpression(text); err == nil && p.Set().Equal(s) {
			return Readable{text, true}, nil
		}
	}
	return Readable{}, ErrUnreadable
}

// term is a regular expression over symbols. A nil term matches nothing.
type term struct {
	kind  termKind
	set   symbolSet
	parts []*term
}

type termKind uint8

const (
	termSet termKind = iota
	termCat
	termAlt
	termStar
)

// nothing at all: the empty number. It is the cat of no parts.
func epsilon() *term { return &term{kind: termCat} }

func (t *term) isEpsilon() bool { return t.kind == termCat && len(t.parts) == 0 }

// key tells terms apart.
func (t *term) key() string { return expressionText(t) }

func cat(parts ...*term) *term {
	var flat []*term
	for _, p := range parts {
		switch {
		case p == nil:
			return nil
		case p.kind == termCat:
			flat = append(flat, p.parts...)
		default:
			flat = append(flat, p)
		}
	}
	if len(flat) == 1 {
		return flat[0]
	}
	return &term{kind: termCat, parts: flat}
}

func star(t *term) *term {
	if t == nil || t.isEpsilon() {
		return epsilon()
	}
	if t.kind == termStar {
		return t
	}
	if t.kind == termAlt { // what may be missing may be missing anyway
		t = alt(slices.DeleteFunc(slices.Clone(t.parts), (*term).isEpsilon)...)
	}
	return &term{kind: termStar, parts: []*term{t}}
}

// alt joins alternatives: single symbols become one set, and what they have in
// common at the front or the end is written once.
func alt(parts ...*term) *term {
	var flat []*term
	var set symbolSet
	seen := map[string]bool{}
	for _, p := range flatten(parts) {
		if p.kind == termSet {
			set |= p.set
		} else if k := p.key(); !seen[k] {
			seen[k] = true
			flat = append(flat, p)
		}
	}
	if set != 0 {
		flat = append(flat, &term{kind: termSet, set: set})
	}
	flat = absorb(flat)
	switch len(flat) {
	case 0:
		return nil
	case 1:
		return flat[0]
	}
	if joined := factor(flat); joined != nil {
		return joined
	}
	return &term{kind: termAlt, parts: flat}
}

func flatten(parts []*term) []*term {
	var out []*term
	for _, p := range parts {
		if p == nil {
			continue
		}
		if p.kind == termAlt {
			out = append(out, p.parts...)
		} else {
			out = append(out, p)
		}
	}
	return out
}

// absorb writes "nothing, or x followed by any number of x" as any number of
// x.
func absorb(list []*term) []*term {
	e := slices.IndexFunc(list, (*term).isEpsilon)
	if e < 0 {
		return list
	}
	for i, t := range list {
		if t.kind == termCat && len(t.parts) == 2 && t.parts[1].kind == termStar && t.parts[1].parts[0].key() == t.parts[0].key() {
			list = slices.Clone(list)
			list[i] = t.parts[1]
			return slices.Delete(list, e, e+1)
		}
		if t.kind == termStar {
			return slices.Delete(slices.Clone(list), e, e+1)
		}
	}
	return list
}

// factor takes out what at least two alternatives begin or end with; nil if
// there is nothing.
func factor(list []*term) *term {
	for _, end := range []bool{false, true} {
		groups := map[string][]int{}
		for i, t := range list {
			if p := edge(t, end); p != nil {
				groups[p.key()] = append(groups[p.key()], i)
			}
		}
		for i, t := range list {
			p := edge(t, end)
			if p == nil || len(groups[p.key()]) < 2 || groups[p.key()][0] != i {
				continue
			}
			var rests, others []*term
			for j, u := range list {
				if slices.Contains(groups[p.key()], j) {
					rests = append(rests, without(u, end))
				} else {
					others = append(others, u)
				}
			}
			joined := cat(p, alt(rests...))
			if end {
				joined = cat(alt(rests...), p)
			}
			return alt(append(others, joined)...)
		}
	}
	return nil
}

func edge(t *term, end bool) *term {
	switch {
	case t.isEpsilon():
		return nil
	case t.kind != termCat:
		return t
	case end:
		return t.parts[len(t.parts)-1]
	}
	return t.parts[0]
}

func without(t *term, end bool) *term {
	switch {
	case t.kind != termCat:
		return epsilon()
	case end:
		return cat(t.parts[:len(t.parts)-1]...)
	}
	return cat(t.parts[1:]...)
}

// maxEliminated bounds the automata that are turned into terms.
const maxEliminated = 200

// term turns the automaton into an expression by taking out one state after
// another (the construction of Brzozowski and McCluskey), those with the fewest
// ways through them first.
func (s Set) term() *term {
	a := s.automaton()
	n := int32(len(a.next))
	if n > maxEliminated {
		return nil
	}
	start, final := n, n+1
	edges := map[pair]*term{{start, a.start}: epsilon()}
	for q := int32(1); q < n; q++ {
		for col := range symbolCount {
			if to := a.next[q][col]; to != dead {
				edges[pair{q, to}] = alt(edges[pair{q, to}], &term{kind: termSet, set: 1 << col})
			}
		}
		if a.accept[q] {
			edges[pair{q, final}] = epsilon()
		}
	}
	left := map[int32]bool{}
	for q := int32(1); q < n; q++ {
		left[q] = true
	}
	for len(left) > 0 {
		q := cheapest(left, edges)
		delete(left, q)
		if !eliminate(q, edges) {
			return nil
		}
	}
	return edges[pair{start, final}]
}

func cheapest(left map[int32]bool, edges map[pair]*term) int32 {
	in, out := map[int32]int{}, map[int32]int{}
	for p := range edges {
		if p.a != p.b {
			out[p.a]++
			in[p.b]++
		}
	}
	best := int32(-1)
	for q := range left {
		if best < 0 || in[q]*out[q] < in[best]*out[best] || in[q]*out[q] == in[best]*out[best] && q > best {
			best = q
		}
	}
	return best
}

// eliminate replaces every way through q by an edge; it is false if a term
// grows past what anybody would read.
func eliminate(q int32, edges map[pair]*term) bool {
	loop := star(edges[pair{q, q}])
	delete(edges, pair{q, q})
	var ins, outs []pair
	for p := range edges {
		if p.b == q {
			ins = append(ins, p)
		} else if p.a == q {
			outs = append(outs, p)
		}
	}
	order := func(x, y pair) int { return int(x.a-y.a)*1000 + int(x.b-y.b) }
	slices.SortFunc(ins, order)
	slices.SortFunc(outs, order)
	for _, i := range ins {
		for _, o := range outs {
			t := alt(edges[pair{i.a, o.b}], cat(edges[i], loop, edges[o]))
			if len(t.key()) > 2*maxReadable {
				return false
			}
			edges[pair{i.a, o.b}] = t
		}
	}
	for _, p := range append(ins, outs...) {
		delete(edges, p)
	}
	return true
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
