package digits

// chain is the plain form that most dial patterns have: one set of symbols
// after another and perhaps, at the end, a set that repeats, as in 0[12]xx. .
// It says the same as the pattern's automaton in a hundredth of the memory, and
// compiles without one; the automaton is made when the algebra asks for it.
type chain struct {
	sets []symbolSet
	loop symbolSet // 0 if nothing repeats
	// ok is false for a pattern that has no such form.
	ok bool
}

// chainOf returns the plain form of a parsed pattern, if it has one.
func chainOf(root *node) chain {
	var c chain
	if !c.append(root) || len(c.sets) >= MaxSymbols { // past it, what repeats never comes
		return chain{}
	}
	c.ok = true
	return c
}

func (c *chain) append(n *node) bool {
	switch {
	case c.loop != 0:
		return false // something follows what repeats
	case n.kind == setNode && n.set&timerMask == 0 && n.set != 0:
		if n.repeat {
			c.loop = n.set
		} else {
			c.sets = append(c.sets, n.set)
		}
		return true
	case n.kind != seqNode || n.repeat && len(n.parts) != 1:
		return false
	case n.repeat: // a group round one set repeats as the set does
		inner := *n.parts[0]
		if inner.kind == seqNode && len(inner.parts) == 1 && !inner.repeat {
			inner = *inner.parts[0]
		}
		if inner.kind != setNode || inner.repeat {
			return false
		}
		inner.repeat = true
		return c.append(&inner)
	}
	for _, part := range n.parts {
		if !c.append(part) {
			return false
		}
	}
	return true
}

// automaton makes the chain's automaton: a state a set.
func (c *chain) automaton() *automaton {
	var a nfa
	after := a.add(nfaState{})
	final := after
	if c.loop != 0 {
		loop := a.add(nfaState{})
		a.states[loop].free = []int32{a.add(nfaState{set: c.loop, to: loop}), final}
		after = loop
	}
	for i := len(c.sets) - 1; i >= 0; i-- {
		after = a.add(nfaState{set: c.sets[i], to: after})
	}
	d, err := a.determinize(after, final)
	if err != nil {
		panic(err) // a state a set
	}
	return d.minimize()
}

// follows tells whether n, from its symbol at on, takes the first sets of the
// chain one by one, and then what repeats.
func follows(sets []symbolSet, loop symbolSet, n *Number, at int) bool {
	for _, c := range n.text[at:n.length] {
		set := loop
		if len(sets) > 0 {
			set, sets = sets[0], sets[1:]
		}
		if set>>indexOf[c]&1 == 0 {
			return false
		}
	}
	return true
}

func (c *chain) matches(n *Number) bool {
	length := int(n.length)
	return (length == len(c.sets) || length > len(c.sets) && c.loop != 0) && follows(c.sets, c.loop, n, 0)
}

func (c *chain) dialled(n *Number) Verdict {
	switch {
	case int(n.length) > len(c.sets) && c.loop == 0 || !follows(c.sets, c.loop, n, 0):
		return Verdict{}
	case int(n.length) < len(c.sets):
		return Verdict{State: Partial}
	case c.loop != 0:
		return Verdict{State: CompleteMayContinue}
	}
	return Verdict{State: Complete}
}

// at is the set of the symbol at a place; 0 if the chain ends before it.
func (c *chain) at(i int) symbolSet {
	if i < len(c.sets) {
		return c.sets[i]
	}
	return c.loop
}

// within tells whether every number of c is one of d.
func (c *chain) within(d *chain) bool {
	if len(c.sets) < len(d.sets) || c.loop != 0 && d.loop == 0 {
		return false
	}
	for i, set := range c.sets {
		if set&^d.at(i) != 0 {
			return false
		}
	}
	return c.loop&^d.loop == 0 || c.loop == 0
}

// shortest returns the first of the shortest members, in the order of the
// alphabet.
func (c *chain) shortest() Number {
	var n Number
	for _, set := range c.sets {
		for i := range symbolCount {
			if set>>i&1 == 1 {
				n.push(symbols[i])
				break
			}
		}
	}
	return n
}
