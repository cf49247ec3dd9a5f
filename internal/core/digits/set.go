package digits

import (
	"fmt"
	"slices"
	"strings"
)

// Set is a set of numbers, finite or not: an automaton without the timer. It is
// immutable. The zero Set is empty.
//
// Operations on sets work on automata and try no number; where a result would
// need more than MaxStates states they return ErrTooLarge.
type Set struct{ a *automaton }

// ErrTooLarge says that a set would need more than MaxStates states.
var ErrTooLarge = fmt.Errorf("the set of numbers needs more than %d states", MaxStates)

var empty = &automaton{next: make([][columns]int32, 1), accept: make([]bool, 1), goesOn: make([]bool, 1)}

func (s Set) automaton() *automaton {
	if s.a == nil {
		return empty
	}
	return s.a
}

// Set returns the numbers that match the pattern when they come whole: the
// timer has no part in it.
func (p *Pattern) Set() Set {
	p.wholeOnce.Do(func() { p.whole = Set{p.automaton().withoutTimer()} })
	return p.whole
}

// Pattern is what matches exactly the numbers of a set; it has no text.
func (s Set) Pattern() *Pattern { return &Pattern{made: s.automaton()} }

// timed tells whether the timer leads anywhere.
func (a *automaton) timed() bool {
	return slices.ContainsFunc(a.next, func(next [columns]int32) bool { return next[timerIndex] != dead })
}

// withoutTimer accepts at once what the timer would complete.
func (a *automaton) withoutTimer() *automaton {
	if !a.timed() {
		return a
	}
	b := &automaton{next: make([][columns]int32, len(a.next)), accept: make([]bool, len(a.next)), start: a.start}
	for s := range a.next {
		b.next[s] = a.next[s]
		b.next[s][timerIndex] = dead
		b.accept[s] = a.whole(int32(s))
	}
	return b.minimize()
}

// SetOf returns the set of the given numbers.
func SetOf(numbers ...Number) (Set, error) {
	var n nfa
	final := n.add(nfaState{})
	fork := nfaState{}
	for _, number := range numbers {
		fork.free = append(fork.free, n.spell(number.String(), final))
	}
	return n.set(n.add(fork), final)
}

// spell adds the symbols of s in front of a state.
func (a *nfa) spell(s string, after int32) int32 {
	for i := len(s) - 1; i >= 0; i-- {
		after = a.add(nfaState{set: 1 << symbolIndex(s[i]), to: after})
	}
	return after
}

// set makes the set that an nfa without timer accepts.
func (a *nfa) set(start, final int32) (Set, error) {
	d, err := a.determinize(start, final)
	if err != nil {
		return Set{}, ErrTooLarge
	}
	return Set{d.minimize()}, nil
}

// Contains tells whether n is in the set.
func (s Set) Contains(n Number) bool {
	a := s.automaton()
	return a.accept[a.run(n)]
}

// Empty tells whether no number is in the set.
func (s Set) Empty() bool { _, ok := s.Shortest(); return !ok }

// Equal tells whether both sets hold the same numbers.
func (s Set) Equal(t Set) bool { return Compare(s, t).Relation == Equal }

// Within tells whether every number of s is in t too.
func (s Set) Within(t Set) bool {
	return only(s, t) == nil
}

// Union returns the numbers that are in either set.
func (s Set) Union(t Set) (Set, error) {
	return product(s, t, func(a, b bool) bool { return a || b })
}

// Intersect returns the numbers that are in both sets.
func (s Set) Intersect(t Set) (Set, error) {
	return product(s, t, func(a, b bool) bool { return a && b })
}

// Minus returns the numbers that are in s and not in t.
func (s Set) Minus(t Set) (Set, error) {
	return product(s, t, func(a, b bool) bool { return a && !b })
}

// pair is a state of two automata that run side by side.
type pair struct{ a, b int32 }

// product runs two automata side by side and accepts as op says.
func product(s, t Set, op func(a, b bool) bool) (Set, error) {
	x, y := s.automaton(), t.automaton()
	d := &automaton{next: make([][columns]int32, 1), accept: []bool{false}}
	known := map[pair]int32{{dead, dead}: dead}
	queue := []pair{{dead, dead}}
	intern := func(p pair) int32 {
		id, ok := known[p]
		if !ok {
			id = int32(len(queue))
			known[p] = id
			queue = append(queue, p)
			d.next = append(d.next, [columns]int32{})
			d.accept = append(d.accept, op(x.accept[p.a], y.accept[p.b]))
		}
		return id
	}
	d.start = intern(pair{x.start, y.start})
	for i := 1; i < len(queue); i++ {
		for col := range symbolCount {
			d.next[i][col] = intern(pair{x.next[queue[i].a][col], y.next[queue[i].b][col]})
		}
		if len(queue) > MaxStates {
			return Set{}, ErrTooLarge
		}
	}
	return Set{d.minimize()}, nil
}

// Shortest returns the shortest number of the set, the first in the order of
// the alphabet among those; ok is false if none is at most MaxSymbols long.
func (s Set) Shortest() (n Number, ok bool) {
	a := s.automaton()
	return search(a.start, func(q int32, col int) int32 { return a.next[q][col] }, func(q int32) bool { return a.accept[q] }, func(q int32) bool { return q == dead })
}

// search finds the shortest number whose run ends in a wanted state, breadth
// first, over numbers of at most MaxSymbols symbols after an optional '+'.
func search[Q comparable](start Q, next func(Q, int) Q, wanted, hopeless func(Q) bool) (Number, bool) {
	type item struct {
		state Q
		text  string
	}
	seen := map[Q]bool{start: true}
	for queue := []item{{start, ""}}; len(queue) > 0; queue = queue[1:] {
		it := queue[0]
		if wanted(it.state) {
			return numberOf(it.text), true
		}
		if len(strings.TrimPrefix(it.text, "+")) == MaxSymbols {
			continue
		}
		for col := range symbolCount {
			if col == plusIndex && it.text != "" {
				continue
			}
			if to := next(it.state, col); !hopeless(to) && !seen[to] {
				seen[to] = true
				queue = append(queue, item{to, it.text + symbols[col:col+1]})
			}
		}
	}
	return Number{}, false
}

// Relation is how one set of numbers stands to another.
type Relation string

// The relations of a set P to a set Q.
const (
	Equal    Relation = "equal"
	Contains Relation = "contains" // P holds every number of Q, and more
	Within   Relation = "within"   // Q holds every number of P, and more
	Overlaps Relation = "overlaps" // some numbers are in both, and each has others
	Disjoint Relation = "disjoint"
)

// Comparison is a relation with its witnesses: shortest numbers that are in
// both sets, in P alone and in Q alone; nil where there is none.
type Comparison struct {
	Relation           Relation
	Both, OnlyP, OnlyQ *Number
}

// Compare says how P stands to Q, over all numbers of at most MaxSymbols
// symbols.
func Compare(p, q Set) Comparison {
	c := Comparison{
		Both:  witness(p, q, func(inP, inQ bool) bool { return inP && inQ }),
		OnlyP: only(p, q),
		OnlyQ: only(q, p),
	}
	switch {
	case c.OnlyP == nil && c.OnlyQ == nil:
		c.Relation = Equal
	case c.OnlyQ == nil:
		c.Relation = Contains
	case c.OnlyP == nil:
		c.Relation = Within
	case c.Both != nil:
		c.Relation = Overlaps
	default:
		c.Relation = Disjoint
	}
	return c
}

// only returns a shortest number that is in p and not in q; nil if there is
// none.
func only(p, q Set) *Number {
	return witness(p, q, func(inP, inQ bool) bool { return inP && !inQ })
}

func witness(p, q Set, wanted func(inP, inQ bool) bool) *Number {
	x, y := p.automaton(), q.automaton()
	n, ok := search(pair{x.start, y.start},
		func(s pair, col int) pair { return pair{x.next[s.a][col], y.next[s.b][col]} },
		func(s pair) bool { return wanted(x.accept[s.a], y.accept[s.b]) },
		func(s pair) bool { return s.a == dead && s.b == dead })
	if !ok {
		return nil
	}
	return &n
}
