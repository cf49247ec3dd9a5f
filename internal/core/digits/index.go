package digits

// Index finds, among many patterns, the few that a number can match, without
// asking each: a tree over the first symbols of numbers, whose leaves hold short
// lists of patterns in their order, with what is left of each to match. The
// lists lie in one piece of memory, so that a look-up costs a few cache misses
// however many patterns there are. It is immutable and safe for use by many
// goroutines.
type Index struct {
	nodes []indexNode
	// words holds the lists: a count, then for each pattern its place, how many
	// sets are left (or leftAutomaton), what repeats after them (or which of
	// rest it is), and the sets.
	words []uint32
	// rest are the patterns in lists that are no chain.
	rest []residual
}

// indexNode is an inner place in the tree.
type indexNode struct {
	// child is 0 where no pattern goes on, a node if above, the list of a leaf,
	// negated, if below.
	child [symbolCount]int32
	here  int32 // the list of what matches the number that ends here; 0 if none
}

const (
	// leafSize is how many patterns a leaf may hold before it is split.
	leafSize = 6
	// nodesPerPattern bounds the tree: wildcards in front multiply patterns
	// over its branches, and past the bound lists stay longer instead.
	nodesPerPattern = 4
	leftAutomaton   = 0xff
)

// residual is a pattern that is still possible after some symbols, and how far
// it has come: a place in its chain, or a state of its automaton.
type residual struct {
	place int32
	p     *Pattern
	at    int32
}

func (r residual) next(col int) (residual, bool) {
	if c := &r.p.chain; c.ok {
		if c.at(int(r.at))>>col&1 == 0 {
			return r, false
		}
		if int(r.at) < len(c.sets) {
			r.at++
		}
		return r, true
	}
	r.at = r.p.automaton().next[r.at][col]
	return r, r.at != dead
}

// whole tells whether the number that led here matches.
func (r residual) whole() bool {
	if c := &r.p.chain; c.ok {
		return int(r.at) == len(c.sets)
	}
	return r.p.automaton().whole(r.at)
}

// everything matches any number.
var everything = &Pattern{chain: chain{loop: 1<<symbolCount - 1, ok: true}}

// Nothing returns a pattern that matches no number. It has no text.
func Nothing() *Pattern { return nothing }

var nothing = &Pattern{chain: chain{sets: []symbolSet{0}, ok: true}}

// NewIndex indexes patterns in their order; nil stands for one that matches
// every number.
func NewIndex(patterns []*Pattern) *Index {
	b := indexBuilder{budget: nodesPerPattern*len(patterns) + 64, x: &Index{words: []uint32{0}}}
	entries := make([]residual, len(patterns))
	for i, p := range patterns {
		if p == nil {
			p = everything
		}
		entries[i] = residual{place: int32(i), p: p}
		if !p.chain.ok {
			entries[i].at = p.automaton().start
		}
	}
	b.x.nodes = append(b.x.nodes, indexNode{})
	b.grow(0, entries, 0)
	return b.x
}

type indexBuilder struct {
	x      *Index
	budget int
}

// grow fills the node for what is still possible after depth symbols.
func (b *indexBuilder) grow(id int32, entries []residual, depth int) {
	b.x.nodes[id].here = b.list(entries, true)
	children := branch(entries)
	for col, list := range children {
		if len(list) > 0 {
			child := b.child(entries, list, depth+1)
			b.x.nodes[id].child[col] = child
		}
	}
}

// child is a leaf if the list is short, or if going on would never tell its
// patterns apart.
func (b *indexBuilder) child(parent, list []residual, depth int) int32 {
	if len(list) <= leafSize || depth > MaxSymbols || b.budget <= 0 || len(list) == len(parent) && !moves(list) {
		return -b.list(list, false)
	}
	b.budget--
	id := int32(len(b.x.nodes))
	b.x.nodes = append(b.x.nodes, indexNode{})
	b.grow(id, list, depth)
	return id
}

// branch sorts patterns by the next symbol.
func branch(entries []residual) (children [symbolCount][]residual) {
	for _, e := range entries {
		for col := range symbolCount {
			if next, ok := e.next(col); ok {
				children[col] = append(children[col], next)
			}
		}
	}
	return children
}

// moves tells whether any symbol takes any pattern on, so that going on can
// end.
func moves(entries []residual) bool {
	for _, e := range entries {
		for col := range symbolCount {
			if next, ok := e.next(col); ok && next.at != e.at {
				return true
			}
		}
	}
	return false
}

// list writes patterns down; only those that match here, as matching, if ended.
func (b *indexBuilder) list(entries []residual, ended bool) int32 {
	x := b.x
	at := len(x.words)
	x.words = append(x.words, 0)
	for _, e := range entries {
		switch c := &e.p.chain; {
		case ended && !e.whole():
			continue
		case ended:
			x.words = append(x.words, uint32(e.place), 0, 0)
		case c.ok:
			left := c.sets[e.at:]
			x.words = append(x.words, uint32(e.place), uint32(len(left)), uint32(c.loop))
			for _, set := range left {
				x.words = append(x.words, uint32(set))
			}
		default:
			x.words = append(x.words, uint32(e.place), leftAutomaton, uint32(len(x.rest)))
			x.rest = append(x.rest, e)
		}
		x.words[at]++
	}
	if x.words[at] == 0 {
		x.words = x.words[:at]
		return 0
	}
	return int32(at)
}

// Find yields the places of the patterns that n may match, in order, each with
// whether it does; no other pattern matches it. It stops when yield returns
// false. goesOn tells whether a pattern that was not yielded could match a
// longer number that begins with n.
func (x *Index) Find(n Number, yield func(place int, matches bool) bool) (goesOn bool) {
	at := int32(0)
	for i := 0; i < int(n.length); i++ {
		at = x.nodes[at].child[indexOf[n.text[i]]]
		if at == 0 {
			return false
		}
		if at < 0 {
			x.yield(-at, &n, i+1, yield)
			return false
		}
	}
	x.yield(x.nodes[at].here, &n, int(n.length), yield)
	return true
}

func (x *Index) yield(list int32, n *Number, from int, yield func(place int, matches bool) bool) {
	words := x.words[list:]
	count := words[0]
	words = words[1:]
	for ; count > 0; count-- {
		place, sets, loop := words[0], words[1], words[2]
		words = words[3:]
		var matches bool
		if sets == leftAutomaton {
			r := x.rest[loop]
			a := r.p.automaton()
			matches = a.whole(a.after(r.at, n, from))
		} else {
			matches = leftMatches(words[:sets], symbolSet(loop), n, from)
			words = words[sets:]
		}
		if !yield(int(place), matches) {
			return
		}
	}
}

// leftMatches tells whether the rest of n is what is left of a chain.
func leftMatches(sets []uint32, loop symbolSet, n *Number, from int) bool {
	left := int(n.length) - from
	if left < len(sets) || left > len(sets) && loop == 0 {
		return false
	}
	for i, c := range n.text[from:n.length] {
		set := uint32(loop)
		if i < len(sets) {
			set = sets[i]
		}
		if set>>indexOf[c]&1 == 0 {
			return false
		}
	}
	return true
}

// Bytes returns about how much memory the index takes, patterns not counted.
func (x *Index) Bytes() int { return len(x.nodes)*4*(symbolCount+1) + len(x.words)*4 + len(x.rest)*24 }
