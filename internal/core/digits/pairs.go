package digits

// Pairs finds which patterns can match a number in common, without comparing every two:
// they are parted by their first symbols, then by their second, as long as that tells
// some apart. It returns for each pattern the places of others before it, in order; some
// of these may not meet after all. A nil pattern matches every number.
func Pairs(patterns []*Pattern) [][]int {
	p := pairing{patterns: patterns, budget: 40*len(patterns) + 1000, seen: map[uint64]struct{}{}, out: make([][]int, len(patterns))}
	all := make([]int, len(patterns))
	for i := range all {
		all[i] = i
	}
	p.part(all, 0)
	return p.out
}

type pairing struct {
	patterns []*Pattern
	// budget bounds how many entries are parted: past it a part is compared as it is.
	budget int
	seen   map[uint64]struct{}
	out    [][]int
}

// fewEnough is how many patterns are rather compared than parted.
const fewEnough = 12

// ends stands for a number that goes no further.
const ends = symbolCount

// part parts patterns that may have the symbols before a depth in common.
func (p *pairing) part(list []int, depth int) {
	if len(list) <= fewEnough || depth > MaxSymbols || p.budget < 0 {
		p.compare(list)
		return
	}
	var parts [symbolCount + 1][]int
	for _, i := range list {
		set, mayEnd := p.patterns[i].firstAt(depth)
		for col := range symbolCount {
			if set>>col&1 == 1 {
				parts[col] = append(parts[col], i)
			}
		}
		if mayEnd {
			parts[ends] = append(parts[ends], i)
		}
	}
	same := true // whether the symbol tells none apart
	for _, part := range parts[:symbolCount] {
		same = same && (len(part) == 0 || len(part) == len(list))
	}
	if same && len(parts[ends]) < len(list) {
		p.compare(parts[ends])
		p.part(list, depth+1)
		return
	}
	for col, part := range parts {
		p.budget -= len(part)
		switch {
		case len(part) < 2:
		case col == ends || same:
			p.compare(part)
		default:
			p.part(part, depth+1)
		}
	}
}

// compare takes every two of a list.
func (p *pairing) compare(list []int) {
	for a, i := range list {
		for _, j := range list[:a] {
			low, high := min(i, j), max(i, j)
			key := uint64(high)<<32 | uint64(low)
			if _, known := p.seen[key]; !known {
				p.seen[key] = struct{}{}
				p.out[high] = append(p.out[high], low)
			}
		}
	}
}

// firstAt is the symbols that can stand at a place of the pattern's numbers, and whether
// one can end before it. What is not a plain chain is only known at its first place.
func (p *Pattern) firstAt(depth int) (set symbolSet, mayEnd bool) {
	switch {
	case p == nil:
		return anySymbol, true
	case p.chain.ok:
		return p.chain.at(depth), depth >= len(p.chain.sets)
	case depth > 0:
		return anySymbol, true
	}
	a := p.automaton()
	for col := range symbolCount {
		if a.next[a.start][col] != dead {
			set |= 1 << col
		}
	}
	return set, a.whole(a.start)
}
