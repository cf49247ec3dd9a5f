package digits

// The preimages of a set under the edits of edit.go and block.go: the numbers that an
// edit can act on and turns into a member of the set. As with images, no number is
// tried; the length of a number in flight is not looked at.

// allNumbers is every number: a '+' stands first or nowhere.
var allNumbers = func() Set {
	p, err := CompileExpression(`\+?[0-9*#A-D]*`)
	if err != nil {
		panic(err) // a constant
	}
	return p.Set()
}()

// anySymbol is every symbol, '+' among them.
const anySymbol = 1<<symbolCount - 1

// free adds count free symbols in front of a state.
func (a *nfa) free(count int, after int32) int32 {
	for range count {
		after = a.add(nfaState{set: anySymbol, to: after})
	}
	return after
}

// anything adds free symbols without end in front of a state.
func (a *nfa) anything(after int32) int32 {
	loop := a.add(nfaState{})
	a.states[loop].free = []int32{a.add(nfaState{set: anySymbol, to: loop}), after}
	return loop
}

// numbers is the set that an nfa accepts, of well formed numbers only.
func (a *nfa) numbers(start, final int32) (Set, error) {
	s, err := a.set(start, final)
	if err != nil {
		return Set{}, err
	}
	return s.Intersect(allNumbers)
}

// BeforeDropFirst is the preimage under dropping the first n symbols.
func (s Set) BeforeDropFirst(n int) (Set, error) {
	var a nfa
	final := a.add(nfaState{})
	d := s.automaton()
	return a.numbers(a.free(n, a.dfa(d, final)+d.start), final)
}

// BeforeDropLast is the preimage under dropping the last n symbols.
func (s Set) BeforeDropLast(n int) (Set, error) {
	var a nfa
	final := a.add(nfaState{})
	d := s.automaton()
	return a.numbers(a.dfa(d, a.free(n, final))+d.start, final)
}

// BeforeKeepFirst is the preimage under keeping the first n symbols.
func (s Set) BeforeKeepFirst(n int) (Set, error) {
	exact, err := s.exactly(n)
	if err != nil {
		return Set{}, err
	}
	var a nfa
	final := a.add(nfaState{})
	d := exact.automaton()
	return a.numbers(a.dfa(d, a.anything(final))+d.start, final)
}

// BeforeKeepLast is the preimage under keeping the last n symbols.
func (s Set) BeforeKeepLast(n int) (Set, error) {
	exact, err := s.exactly(n)
	if err != nil {
		return Set{}, err
	}
	var a nfa
	final := a.add(nfaState{})
	d := exact.automaton()
	return a.numbers(a.anything(a.dfa(d, final)+d.start), final)
}

// exactly is the members of n symbols.
func (s Set) exactly(n int) (Set, error) {
	length, err := ofLength(n)
	if err != nil {
		return Set{}, err
	}
	return s.Intersect(length)
}

// BeforePutBefore is the preimage under putting p in front.
func (s Set) BeforePutBefore(p Number) (Set, error) {
	a := s.automaton()
	rest, err := a.from(map[int32]bool{a.run(p): true})
	if err != nil || p.Empty() {
		return rest, err
	}
	return rest.Intersect(withoutPlus)
}

// withoutPlus is every number without a '+'.
var withoutPlus = func() Set {
	p, err := CompileExpression(`[0-9*#A-D]*`)
	if err != nil {
		panic(err) // a constant
	}
	return p.Set()
}()

// BeforePutAfter is the preimage under putting p behind.
func (s Set) BeforePutAfter(p Number) (Set, error) {
	a := s.automaton()
	return a.accepting(func(q int32) bool {
		for _, c := range p.bytes() {
			q = a.next[q][symbolIndex(c)]
		}
		return a.accept[q]
	})
}

// BeforeReplaceWith is the preimage under putting p in place of the whole number.
func (s Set) BeforeReplaceWith(p Number) Set {
	if s.Contains(p) {
		return allNumbers
	}
	return Set{}
}

// BeforeReplacePrefix is the preimage under putting b in place of the prefix p.
func (s Set) BeforeReplacePrefix(p, b Number) (Set, error) {
	d := s.automaton()
	var a nfa
	final := a.add(nfaState{})
	return a.numbers(a.spell(p.String(), a.dfa(d, final)+d.run(b)), final)
}

// BeforeMapBlock is the preimage under mapping one block on another of equal size.
func (s Set) BeforeMapBlock(from, to Block) (Set, error) { return s.MapBlock(to, from) }

// After is the numbers that s holds and that begin with a prefix, without it.
func (s Set) After(prefix Number) (Set, error) {
	a := s.automaton()
	return a.from(map[int32]bool{a.run(prefix): true})
}

// Continues returns the shortest member that begins with n and is longer; ok is false
// if there is none.
func (s Set) Continues(n Number) (longer Number, ok bool) {
	a := s.automaton()
	st := a.run(n)
	for col := range plusIndex {
		if a.next[st][col] == dead {
			continue
		}
		if m, fits := a.shortestAfter(n.String() + symbols[col:col+1]); fits && (!ok || m.Len() < longer.Len()) {
			longer, ok = m, true
		}
	}
	return longer, ok
}

// GoesOn tells whether some member begins with n and is longer.
func (s Set) GoesOn(n Number) bool {
	a := s.automaton()
	return n.Len() < maxText && a.goesOn[a.run(n)]
}

// Any is the set of every number.
func Any() Set { return allNumbers }

// Timed is the numbers that the pattern completes only when the timer fires.
func (p *Pattern) Timed() Set {
	a := p.automaton()
	b := &automaton{next: make([][columns]int32, len(a.next)), accept: make([]bool, len(a.next)), start: a.start}
	for s := range a.next {
		b.next[s] = a.next[s]
		b.next[s][timerIndex] = dead
		b.accept[s] = a.whole(int32(s)) && !a.accept[s]
	}
	return Set{b.minimize()}
}

// Longer is the numbers that begin with a member and are longer than it.
func (s Set) Longer() (Set, error) {
	var a nfa
	final := a.add(nfaState{})
	d := s.automaton()
	return a.numbers(a.dfa(d, a.free(1, a.anything(final)))+d.start, final)
}

// Shorter is the numbers with which a longer member begins.
func (s Set) Shorter() (Set, error) {
	a := s.automaton()
	return a.accepting(func(q int32) bool {
		for col := range plusIndex {
			if a.next[q][col] != dead {
				return true
			}
		}
		return false
	})
}

// OfLength is the members of n symbols.
func (s Set) OfLength(n int) (Set, error) { return s.exactly(n) }
