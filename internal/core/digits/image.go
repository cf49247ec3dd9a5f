package digits

import "math/big"

// The images of a set under the edits of edit.go and block.go: the numbers
// that result when every number of the set that the edit can act on is edited.
// They are computed on automata; the tests hold them to the edits one by one.

// dfa adds an automaton's states to the nfa and returns where they begin.
// Accepting states lead on to final.
func (a *nfa) dfa(d *automaton, final int32) (offset int32) {
	offset = int32(len(a.states))
	for range d.next {
		a.add(nfaState{})
	}
	for s := range d.next {
		byTarget := map[int32]symbolSet{}
		var order []int32
		for col := range symbolCount {
			to := d.next[s][col]
			if to == dead {
				continue
			}
			if byTarget[to] == 0 {
				order = append(order, to)
			}
			byTarget[to] |= 1 << col
		}
		var free []int32
		for _, to := range order {
			free = append(free, a.add(nfaState{set: byTarget[to], to: offset + to}))
		}
		if d.accept[s] && final >= 0 {
			free = append(free, final)
		}
		a.states[offset+int32(s)].free = free
	}
	return offset
}

// layers returns, for 0 to n steps, the states in which some number can be
// after so many symbols.
func (a *automaton) layers(n int) []map[int32]bool {
	out := []map[int32]bool{{a.start: true}}
	for range n {
		next := map[int32]bool{}
		for s := range out[len(out)-1] {
			for col := range symbolCount {
				if to := a.next[s][col]; to != dead {
					next[to] = true
				}
			}
		}
		out = append(out, next)
	}
	return out
}

// from makes the set of what can follow after any of the states.
func (a *automaton) from(states map[int32]bool) (Set, error) {
	var n nfa
	final := n.add(nfaState{})
	offset := n.dfa(a, final)
	fork := nfaState{}
	for s := range a.next {
		if states[int32(s)] {
			fork.free = append(fork.free, offset+int32(s))
		}
	}
	return n.set(n.add(fork), final)
}

// DropFirst is the image under dropping the first n symbols.
func (s Set) DropFirst(n int) (Set, error) {
	a := s.automaton()
	return a.from(a.layers(n)[n])
}

// DropLast is the image under dropping the last n symbols.
func (s Set) DropLast(n int) (Set, error) {
	a := s.automaton()
	ends := map[int32]bool{} // states from which exactly i symbols reach acceptance
	for q, ok := range a.accept {
		if ok {
			ends[int32(q)] = true
		}
	}
	for range n {
		before := map[int32]bool{}
		for q := range a.next {
			for col := range symbolCount {
				if ends[a.next[q][col]] {
					before[int32(q)] = true
				}
			}
		}
		ends = before
	}
	return a.accepting(func(q int32) bool { return ends[q] })
}

// accepting is the automaton with other accepting states.
func (a *automaton) accepting(ok func(int32) bool) (Set, error) {
	b := &automaton{next: a.next, accept: make([]bool, len(a.next)), start: a.start}
	for q := range b.accept {
		b.accept[q] = ok(int32(q))
	}
	return Set{b.minimize()}, nil
}

// KeepFirst is the image under keeping the first n symbols.
func (s Set) KeepFirst(n int) (Set, error) {
	a := s.automaton()
	// A minimal automaton reaches acceptance from every state but the dead one.
	prefixes, err := a.accepting(func(q int32) bool { return q != dead })
	if err != nil {
		return Set{}, err
	}
	exactly, err := ofLength(n)
	if err != nil {
		return Set{}, err
	}
	return prefixes.Intersect(exactly)
}

// KeepLast is the image under keeping the last n symbols.
func (s Set) KeepLast(n int) (Set, error) {
	a := s.automaton()
	all := map[int32]bool{}
	for q := range a.next {
		all[int32(q)] = q != dead
	}
	suffixes, err := a.from(all)
	if err != nil {
		return Set{}, err
	}
	exactly, err := ofLength(n)
	if err != nil {
		return Set{}, err
	}
	return suffixes.Intersect(exactly)
}

// ofLength is every string of exactly n symbols, '+' among them.
func ofLength(n int) (Set, error) {
	var a nfa
	final := a.add(nfaState{})
	after := final
	for range n {
		after = a.add(nfaState{set: 1<<symbolCount - 1, to: after})
	}
	return a.set(after, final)
}

// PutBefore is the image under putting p in front.
func (s Set) PutBefore(p Number) (Set, error) {
	var a nfa
	final := a.add(nfaState{})
	d := s.automaton()
	return a.set(a.spell(p.String(), a.dfa(d, final)+d.start), final)
}

// PutAfter is the image under putting p behind.
func (s Set) PutAfter(p Number) (Set, error) {
	var a nfa
	final := a.add(nfaState{})
	tail := a.spell(p.String(), final)
	d := s.automaton()
	return a.set(a.dfa(d, tail)+d.start, final)
}

// ReplaceWith is the image under putting p in place of the whole number.
func (s Set) ReplaceWith(p Number) (Set, error) {
	if s.Empty() {
		return Set{}, nil
	}
	return SetOf(p)
}

// ReplacePrefix is the image under putting b in place of the prefix p; numbers
// without that prefix have no image.
func (s Set) ReplacePrefix(p, b Number) (Set, error) {
	d := s.automaton()
	var a nfa
	final := a.add(nfaState{})
	return a.set(a.spell(b.String(), a.dfa(d, final)+d.run(p)), final)
}

// MapBlock is the image under mapping one block on another of equal size;
// numbers outside from have no image. The sum is done digit by digit from the
// front, guessing each carry: an addition is a finite relation on digits.
func (s Set) MapBlock(from, to Block) (Set, error) {
	inside, err := s.Intersect(from.mustSet())
	if err != nil {
		return Set{}, err
	}
	m := newBlockMap(inside.automaton(), from, to)
	final := m.n.add(nfaState{})
	start := m.state(mapKey{0, inside.automaton().run(plusOnly(from.First)), 0}, final)
	if to.First.Plus() {
		start = m.n.add(nfaState{set: plusMask, to: start})
	}
	mapped, err := m.n.set(start, final)
	if err != nil {
		return Set{}, err
	}
	return mapped.Intersect(to.mustSet())
}

// plusOnly is the '+' of a number that has one, else the empty number.
func plusOnly(n Number) Number {
	if n.Plus() {
		return numberOf("+")
	}
	return Number{}
}

// blockMap builds the automaton of a block map, place by place.
type blockMap struct {
	n        nfa
	a        *automaton
	width    int // places that are summed: the wider of the two blocks
	in, out  int // widths of the blocks
	constant string
	known    map[mapKey]int32
}

// mapKey is a place, the state of the input before it, and the carry that this
// place must hand to the one before.
type mapKey struct {
	place int
	state int32
	carry int
}

func newBlockMap(a *automaton, from, to Block) *blockMap {
	m := &blockMap{a: a, in: len(from.First.Symbols()), out: len(to.First.Symbols()), known: map[mapKey]int32{}}
	m.width = max(m.in, m.out)
	modulus := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(m.width)), nil)
	k := new(big.Int).Sub(value(to.First), value(from.First))
	k.Mod(k, modulus) // a difference below 0 is a sum that overflows
	m.constant = padded(k.String(), m.width)
	return m
}

func (m *blockMap) state(k mapKey, final int32) int32 {
	if k.place == m.width {
		if k.carry == 0 && m.a.accept[k.state] {
			return final
		}
		return m.n.add(nfaState{}) // leads nowhere
	}
	if id, ok := m.known[k]; ok {
		return id
	}
	id := m.n.add(nfaState{})
	m.known[k] = id
	var free []int32
	for digit := range 10 {
		next := k.state
		if k.place < m.width-m.in {
			if digit != 0 {
				break // in front of the shorter input stand zeros
			}
		} else if next = m.a.next[k.state][digit]; next == dead {
			continue
		}
		for carryIn := range 2 {
			sum := digit + int(m.constant[k.place]-'0') + carryIn
			if k.place > 0 && sum/10 != k.carry {
				continue // the first place may overflow: the sum is modulo
			}
			if edge, ok := m.edge(k.place, sum%10, mapKey{k.place + 1, next, carryIn}, final); ok {
				free = append(free, edge)
			}
		}
	}
	m.n.states[id].free = free
	return id
}

// edge writes a digit of the result; in front of a narrower result only zeros
// may be dropped.
func (m *blockMap) edge(place, digit int, to mapKey, final int32) (int32, bool) {
	after := m.state(to, final)
	if place >= m.width-m.out {
		return m.n.add(nfaState{set: 1 << digit, to: after}), true
	}
	return after, digit == 0
}

// mustSet is the members of a checked block.
func (b Block) mustSet() Set {
	lo, hi := b.First.Symbols(), b.Last.Symbols()
	var n nfa
	final := n.add(nfaState{})
	start := n.between(lo, hi, true, true, final)
	if b.First.Plus() {
		start = n.add(nfaState{set: plusMask, to: start})
	}
	s, err := n.set(start, final)
	if err != nil {
		panic(err) // a block of 32 digits needs about 96 states
	}
	return s
}

// between adds the numbers of one width from lo to hi; low and high tell
// whether the digits so far are those of the bound.
func (a *nfa) between(lo, hi string, low, high bool, final int32) int32 {
	if lo == "" {
		return final
	}
	if !low && !high {
		after := final
		for range lo {
			after = a.add(nfaState{set: digitMask, to: after})
		}
		return after
	}
	first, last := byte('0'), byte('9')
	if low {
		first = lo[0]
	}
	if high {
		last = hi[0]
	}
	fork := nfaState{}
	for d := first; d <= last; d++ {
		edgeLow, edgeHigh := low && d == lo[0], high && d == hi[0]
		inner := !edgeLow && !edgeHigh
		set := symbolSet(1) << (d - '0')
		for inner && d < last && !(high && d+1 == hi[0]) { // a run of free digits is one edge
			d++
			set |= 1 << (d - '0')
		}
		fork.free = append(fork.free, a.add(nfaState{set: set, to: a.between(lo[1:], hi[1:], edgeLow, edgeHigh, final)}))
	}
	return a.add(fork)
}

// Set returns the members of the block; an error if it is no block.
func (b Block) Set() (Set, error) {
	if err := b.Check(); err != nil {
		return Set{}, err
	}
	return b.mustSet(), nil
}
