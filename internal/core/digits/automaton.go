package digits

import (
	"encoding/binary"
	"slices"
)

// MaxStates bounds the automaton of one pattern. A pattern such as x.1
// followed by many x needs a state for every way the last symbols can fall;
// past the bound it is refused.
const MaxStates = 10_000

// maxPositions bounds the automaton before it is made deterministic.
const maxPositions = 4 * MaxPatternBytes

const dead = 0 // the state from which no number is accepted

// automaton is a minimal deterministic automaton over the 17 symbols and the
// timer event. State 0 is the dead state. It is immutable once built.
type automaton struct {
	next   [][columns]int32
	accept []bool
	start  int32
	// goesOn tells for each state whether a longer number can still be
	// accepted, whether the timer then completes it or not.
	goesOn []bool
}

// nfa is Thompson's construction: each state has either one labelled edge or
// up to two free ones.
type nfa struct{ states []nfaState }

type nfaState struct {
	set  symbolSet
	to   int32
	free []int32
}

func (a *nfa) add(s nfaState) int32 {
	a.states = append(a.states, s)
	return int32(len(a.states) - 1)
}

// build adds n in front of the state after, and returns the state to enter.
func (a *nfa) build(n *node, after int32) int32 {
	if !n.repeat {
		return a.once(n, after)
	}
	loop := a.add(nfaState{})
	body := a.once(n, loop)
	a.states[loop].free = []int32{body, after}
	return loop
}

func (a *nfa) once(n *node, after int32) int32 {
	switch n.kind {
	case setNode:
		return a.add(nfaState{set: n.set, to: after})
	case seqNode:
		for _, part := range slices.Backward(n.parts) {
			after = a.build(part, after)
		}
		return after
	default:
		fork := nfaState{}
		for _, part := range n.parts {
			fork.free = append(fork.free, a.build(part, after))
		}
		return a.add(fork)
	}
}

// compileTree makes the minimal automaton of a parsed pattern.
func compileTree(text string, root *node) (*automaton, error) {
	var a nfa
	final := a.add(nfaState{})
	start := a.build(root, final)
	if len(a.states) > maxPositions {
		return nil, &PatternError{text, 0, "the pattern is too large; split it over several rules"}
	}
	d, err := a.determinize(start, final)
	if err != nil {
		return nil, blame(text, root)
	}
	return d.minimize(), nil
}

// closure follows free edges from the given states; the result is sorted.
func (a *nfa) closure(from []int32, seen []bool) []int32 {
	var out []int32
	stack := slices.Clone(from)
	for len(stack) > 0 {
		s := stack[len(stack)-1]
		stack = stack[:len(stack)-1]
		if seen[s] {
			continue
		}
		seen[s] = true
		out = append(out, s)
		stack = append(stack, a.states[s].free...)
	}
	for _, s := range out {
		seen[s] = false
	}
	slices.Sort(out)
	return out
}

// determinize makes the deterministic automaton; ErrTooLarge past MaxStates.
func (a *nfa) determinize(start, final int32) (*automaton, error) {
	d := &automaton{next: make([][columns]int32, 1), accept: []bool{false}}
	seen := make([]bool, len(a.states))
	known := map[string]int32{}
	var sets [][]int32
	intern := func(set []int32) int32 {
		if len(set) == 0 {
			return dead
		}
		key := setKey(set)
		if id, ok := known[key]; ok {
			return id
		}
		id := int32(len(d.next))
		known[key] = id
		d.next = append(d.next, [columns]int32{})
		d.accept = append(d.accept, slices.Contains(set, final))
		sets = append(sets, set)
		return id
	}
	d.start = intern(a.closure([]int32{start}, seen))
	for i := 0; i < len(sets); i++ {
		for col := range columns {
			var moved []int32
			for _, s := range sets[i] {
				if a.states[s].set&(1<<col) != 0 {
					moved = append(moved, a.states[s].to)
				}
			}
			d.next[i+1][col] = intern(a.closure(moved, seen))
		}
		if len(d.next) > MaxStates {
			return nil, ErrTooLarge
		}
	}
	return d, nil
}

func setKey(set []int32) string {
	b := make([]byte, 0, 4*len(set))
	for _, s := range set {
		b = binary.LittleEndian.AppendUint32(b, uint32(s))
	}
	return string(b)
}

// minimize merges states that no continuation tells apart (Moore's
// refinement), keeping the dead state at 0.
func (a *automaton) minimize() *automaton {
	class := make([]int32, len(a.next))
	for s, ok := range a.accept {
		if ok {
			class[s] = 1
		}
	}
	for count := 0; ; {
		finer, n := a.refine(class)
		if class = finer; n == count {
			return a.quotient(class, n)
		}
		count = n
	}
}

// refine splits classes by where their states go; the class of the dead state
// stays 0.
func (a *automaton) refine(class []int32) ([]int32, int) {
	ids := map[[columns + 1]int32]int32{}
	out := make([]int32, len(class))
	for s := range a.next {
		var sig [columns + 1]int32
		sig[columns] = class[s]
		for col, to := range a.next[s] {
			sig[col] = class[to]
		}
		id, ok := ids[sig]
		if !ok {
			id = int32(len(ids))
			ids[sig] = id
		}
		out[s] = id
	}
	return out, len(ids)
}

func (a *automaton) quotient(class []int32, n int) *automaton {
	m := &automaton{next: make([][columns]int32, n), accept: make([]bool, n), start: class[a.start]}
	for s := range a.next {
		c := class[s]
		m.accept[c] = a.accept[s]
		for col, to := range a.next[s] {
			m.next[c][col] = class[to]
		}
	}
	return m.trim()
}

// trim drops states that no number reaches, and numbers the rest in the order
// in which they are first reached, so that equal sets have equal automata.
func (a *automaton) trim() *automaton {
	place := map[int32]int32{dead: dead}
	order := []int32{dead}
	meet := func(s int32) int32 {
		if _, met := place[s]; !met {
			place[s] = int32(len(order))
			order = append(order, s)
		}
		return place[s]
	}
	t := &automaton{start: meet(a.start)}
	for i := 0; i < len(order); i++ {
		var row [columns]int32
		for col, to := range a.next[order[i]] {
			row[col] = meet(to)
		}
		t.next = append(t.next, row)
		t.accept = append(t.accept, a.accept[order[i]])
	}
	t.goesOn = t.findGoesOn()
	return t
}

// findGoesOn marks the states from which at least one more symbol of a number
// can lead to acceptance. In a minimal automaton every state but the dead one
// can reach acceptance, if only by the timer.
func (a *automaton) findGoesOn() []bool {
	on := make([]bool, len(a.next))
	for s := range a.next {
		for col := range symbolCount {
			if a.next[s][col] != dead {
				on[s] = true
			}
		}
	}
	return on
}

// run returns the state after n.
func (a *automaton) run(n Number) int32 { return a.after(a.start, &n, 0) }

// after returns the state that n leads to from another, from a symbol on.
func (a *automaton) after(s int32, n *Number, from int) int32 {
	for i := from; i < int(n.length) && s != dead; i++ {
		s = a.next[s][indexOf[n.text[i]]]
	}
	return s
}
