package digits

import "slices"

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
