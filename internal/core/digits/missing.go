package digits

import (
	"math/big"
	"strings"
)

// Missing tells which members of a block a pattern does not have: how many, and the runs
// in which they lie, in order, limit of them at most. It looks at no number one by one: a
// part of the block all or none of whose members the pattern has is seen as a whole.
func (p *Pattern) Missing(b Block, limit int) (count *big.Int, runs []Block) {
	m := missing{a: p.Set().automaton(), b: b, limit: limit, count: new(big.Int), counted: map[tail]*big.Int{}}
	m.walk(m.a.start, 0, true, true)
	return m.count, m.runs
}

// missing is a walk over the members of a block, digit by digit.
type missing struct {
	a       *automaton
	b       Block
	at      Number // the digits so far
	limit   int
	count   *big.Int
	runs    []Block
	counted map[tail]*big.Int
}

// tail is so many digits behind a state.
type tail struct {
	state int32
	width int
}

// walk takes the members that begin with the digits so far; low and high tell whether
// those are the first digits of the block's first and last.
func (m *missing) walk(state int32, i int, low, high bool) {
	width := int(m.b.First.length) - i
	if width == 0 {
		if !m.a.accept[state] {
			m.add(m.at, m.at, big.NewInt(1))
		}
		return
	}
	if !low && !high {
		all := new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(width)), nil)
		switch has := m.has(state, width); {
		case has.Cmp(all) == 0:
			return
		case has.Sign() == 0:
			m.add(m.filled('0', width), m.filled('9', width), all)
			return
		case len(m.runs) >= m.limit: // only counted
			m.count.Add(m.count, all).Sub(m.count, has)
			return
		}
	}
	from, to := byte('0'), byte('9')
	if low {
		from = m.b.First.text[i]
	}
	if high {
		to = m.b.Last.text[i]
	}
	if m.b.First.text[i] == '+' {
		from, to = '+', '+'
	}
	for c := from; c <= to; c++ {
		m.at.push(c)
		m.walk(m.a.next[state][indexOf[c]], i+1, low && c == from, high && c == to)
		m.at.length--
		m.at.text[m.at.length] = 0
	}
}

func (m *missing) filled(c byte, width int) Number {
	n := m.at
	for range width {
		n.push(c)
	}
	return n
}

// add takes members that are missing, which follow those before.
func (m *missing) add(first, last Number, n *big.Int) {
	m.count.Add(m.count, n)
	if k := len(m.runs); k > 0 && m.runs[k-1].Last.plus(MustNumber("1")) == first {
		m.runs[k-1].Last = last
		return
	}
	if len(m.runs) < m.limit {
		m.runs = append(m.runs, Block{first, last})
	}
}

// has counts the numbers of so many digits that a state accepts.
func (m *missing) has(state int32, width int) *big.Int {
	if width == 0 {
		if m.a.accept[state] {
			return big.NewInt(1)
		}
		return new(big.Int)
	}
	if state == dead {
		return new(big.Int)
	}
	k := tail{state, width}
	if n, ok := m.counted[k]; ok {
		return n
	}
	n := new(big.Int)
	for c := byte('0'); c <= '9'; c++ {
		n.Add(n, m.has(m.a.next[state][indexOf[c]], width-1))
	}
	m.counted[k] = n
	return n
}

// Block is the block that the numbers of a pattern are, where they are all of one width
// and in a row without a gap; else ok is false.
func (p *Pattern) Block() (b Block, ok bool) {
	counts := p.CountByLength()
	shortest, some := p.Shortest()
	if len(counts) != 1 || !some || !shortest.Digits() {
		return b, false
	}
	plus, width := "", counts[0].Length
	if shortest.Plus() {
		plus = "+"
	}
	b = Block{numberOf(plus + strings.Repeat("0", width)), numberOf(plus + strings.Repeat("9", width))}
	whole := b
	missing, runs := p.Missing(whole, 3)
	if new(big.Int).Sub(whole.Size(), missing).Cmp(counts[0].Count) != 0 {
		return Block{}, false // others begin with a + or have * or # in them
	}
	for _, r := range runs {
		switch {
		case r.First == whole.First:
			b.First = r.Last.Nth(1)
		case r.Last == whole.Last:
			b.Last = r.First.plus(whole.Last) // one less, as it wraps round
		default:
			return Block{}, false
		}
	}
	return b, true
}
