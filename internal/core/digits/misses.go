package digits

// NearMisses returns up to limit numbers that are not in the set and differ
// from one that is by one key: the last digit forgotten, one digit too many, or
// one digit wrong. They are what an editor shows beside a pattern.
func (s Set) NearMisses(limit int) []Number {
	var out []Number
	seen := map[string]bool{}
	add := func(text string) {
		n, ok := Number{}.Behind(text)
		if ok && len(out) < limit && !seen[text] && !s.Contains(n) {
			seen[text] = true
			out = append(out, n)
		}
	}
	members := s.Samples(limit)
	for _, m := range members {
		if !m.Empty() {
			text := m.String()
			add(text[:len(text)-1])
		}
	}
	for _, m := range members {
		add(m.String() + "0")
	}
	for _, m := range members {
		text := m.String()
		for i := range len(text) {
			add(text[:i] + neighbour(text[i]) + text[i+1:])
		}
	}
	return out
}

// neighbour is another key: the next digit, or a digit in place of another
// symbol.
func neighbour(c byte) string {
	switch {
	case c == '9':
		return "8"
	case isDigit(c):
		return string(rune(c + 1))
	case c == '+':
		return ""
	}
	return "0"
}

// Samples returns up to limit members, shortest first: for every symbol that
// can begin a number the shortest one, then longer ones.
func (s Set) Samples(limit int) []Number {
	a := s.automaton()
	var out []Number
	seen := map[Number]bool{}
	add := func(n Number, ok bool) {
		if ok && len(out) < limit && !seen[n] {
			seen[n] = true
			out = append(out, n)
		}
	}
	if a.accept[a.start] {
		add(Number{}, true)
	}
	for col := range symbolCount {
		if a.next[a.start][col] != dead {
			add(a.shortestAfter(symbols[col : col+1]))
		}
	}
	for i := 0; i < len(out) && i < limit; i++ { // where a member can go on, a longer one
		if st := a.run(out[i]); a.goesOn[st] {
			for col := range plusIndex {
				if a.next[st][col] != dead {
					add(a.shortestAfter(out[i].String() + symbols[col:col+1]))
					break
				}
			}
		}
	}
	return out
}

// shortestAfter returns the shortest accepted number that begins with prefix.
func (a *automaton) shortestAfter(prefix string) (Number, bool) {
	if len(prefix) > maxText {
		return Number{}, false
	}
	rest, ok := search(a.run(numberOf(prefix)),
		func(q int32, col int) int32 {
			if col == plusIndex {
				return dead // the prefix stands before it
			}
			return a.next[q][col]
		},
		func(q int32) bool { return a.accept[q] }, func(q int32) bool { return q == dead })
	n, fits := rest.Behind(prefix)
	return n, ok && fits
}

// Members returns every member of a finite set, shorter ones first and those of one
// length in the order of their symbols. ok is false, and the list short of some, if the
// set has more than limit members.
func (s Set) Members(limit int) (list []Number, ok bool) {
	a := s.automaton()
	type place struct {
		state int32
		text  string
	}
	row := []place{{a.start, ""}}
	for len(row) > 0 {
		var next []place
		for _, p := range row {
			if a.accept[p.state] {
				if len(list) == limit {
					return list, false
				}
				list = append(list, numberOf(p.text))
			}
			for col := range symbolCount {
				if to := a.next[p.state][col]; to != dead && (col != plusIndex || p.text == "") {
					next = append(next, place{to, p.text + symbols[col:col+1]})
				}
			}
			if len(next) > limit || len(p.text) >= MaxSymbols {
				return list, false
			}
		}
		row = next
	}
	return list, true
}
