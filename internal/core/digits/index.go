package digits

// Index finds, among many patterns, the few that a number can match, without
// asking each: a tree over the first symbols of numbers, whose leaves hold short
// lists of patterns in their order. It is immutable and safe for use by many
// goroutines.
type Index struct {
	nodes []indexNode
	lists [][]int32
}

// indexNode is a place in the tree. A leaf has no children and one list; an
// inner node's list holds the patterns that match the number that ends there.
type indexNode struct {
	child [symbolCount]int32 // 0 where no pattern goes on
	list  int32
	leaf  bool
}

const (
	// leafSize is how many patterns a leaf may hold before it is split.
	leafSize = 6
	// nodesPerPattern bounds the tree: wildcards in front multiply patterns
	// over its branches, and past the bound lists stay longer instead.
	nodesPerPattern = 4
)

// indexEntry is a pattern that is still possible after some symbols.
type indexEntry struct {
	place int32
	a     *automaton
	state int32
}

// NewIndex indexes patterns in their order; nil stands for one that matches
// every number.
func NewIndex(patterns []*Pattern) *Index {
	b := indexBuilder{budget: nodesPerPattern*len(patterns) + 64, x: &Index{}}
	entries := make([]indexEntry, len(patterns))
	for i, p := range patterns {
		a := everything
		if p != nil {
			a = p.a
		}
		entries[i] = indexEntry{int32(i), a, a.start}
	}
	b.split(entries, 0)
	return b.x
}

// everything accepts any string of symbols.
var everything = func() *automaton {
	a := &automaton{next: make([][columns]int32, 2), accept: []bool{false, true}, start: 1, goesOn: []bool{false, true}}
	for col := range symbolCount {
		a.next[1][col] = 1
	}
	return a
}()

type indexBuilder struct {
	x      *Index
	budget int
}

// split makes the node for what is still possible after depth symbols.
func (b *indexBuilder) split(entries []indexEntry, depth int) int32 {
	id := int32(len(b.x.nodes))
	b.x.nodes = append(b.x.nodes, indexNode{})
	b.budget--
	if len(entries) <= leafSize || depth > MaxSymbols || b.budget <= 0 {
		b.x.nodes[id] = indexNode{leaf: true, list: b.list(entries, func(indexEntry) bool { return true })}
		return id
	}
	children, helps := branch(entries)
	if !helps {
		b.x.nodes[id] = indexNode{leaf: true, list: b.list(entries, func(indexEntry) bool { return true })}
		return id
	}
	b.x.nodes[id].list = b.list(entries, func(e indexEntry) bool { return e.a.whole(e.state) })
	for col := range symbolCount {
		if len(children[col]) > 0 {
			child := b.split(children[col], depth+1)
			b.x.nodes[id].child[col] = child
		}
	}
	return id
}

// branch sorts entries by the next symbol. helps is false if that tells
// nothing apart now and, since all are in loops, never will.
func branch(entries []indexEntry) (children [symbolCount][]indexEntry, helps bool) {
	for _, e := range entries {
		for col := range symbolCount {
			if to := e.a.next[e.state][col]; to != dead {
				children[col] = append(children[col], indexEntry{e.place, e.a, to})
			}
		}
	}
	for _, c := range children {
		if len(c) < len(entries) && len(c) > 0 {
			return children, true
		}
	}
	return children, moves(entries)
}

// moves tells whether any entry leaves its state, so that going on can end.
func moves(entries []indexEntry) bool {
	for _, e := range entries {
		for col := range symbolCount {
			if to := e.a.next[e.state][col]; to != dead && to != e.state {
				return true
			}
		}
	}
	return false
}

func (b *indexBuilder) list(entries []indexEntry, keep func(indexEntry) bool) int32 {
	var list []int32
	for _, e := range entries {
		if keep(e) {
			list = append(list, e.place)
		}
	}
	b.x.lists = append(b.x.lists, list)
	return int32(len(b.x.lists) - 1)
}

// Candidates returns the places of the patterns that n can match, in order; no
// other pattern matches it. goesOn tells whether a pattern that is not in the
// list would match a longer number that begins with n. The list must not be
// changed.
func (x *Index) Candidates(n Number) (places []int32, goesOn bool) {
	at := int32(0)
	for i := 0; i < len(n.s); i++ {
		node := &x.nodes[at]
		if node.leaf {
			return x.lists[node.list], false
		}
		if at = node.child[indexOf[n.s[i]]]; at == 0 {
			return nil, false
		}
	}
	node := &x.nodes[at]
	return x.lists[node.list], !node.leaf
}
