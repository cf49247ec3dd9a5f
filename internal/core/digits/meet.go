package digits

import "math/bits"

// Meet returns the shortest number that both patterns match when it comes whole; ok is
// false if there is none. Two plain chains are compared set by set.
func (p *Pattern) Meet(q *Pattern) (example Number, ok bool) {
	if p.chain.ok && q.chain.ok {
		return p.chain.meet(&q.chain)
	}
	x, y := p.Set().automaton(), q.Set().automaton()
	return search(pair{x.start, y.start},
		func(s pair, col int) pair { return pair{x.next[s.a][col], y.next[s.b][col]} },
		func(s pair) bool { return x.accept[s.a] && y.accept[s.b] },
		func(s pair) bool { return s.a == dead || s.b == dead })
}

func (c *chain) meet(d *chain) (example Number, ok bool) {
	length := max(len(c.sets), len(d.sets))
	if len(c.sets) < length && c.loop == 0 || len(d.sets) < length && d.loop == 0 {
		return example, false
	}
	for i := range length {
		both := c.at(i) & d.at(i)
		if i > 0 {
			both &^= plusMask
		}
		if both == 0 {
			return Number{}, false
		}
		example.push(symbols[bits.TrailingZeros32(uint32(both))])
	}
	return example, true
}
