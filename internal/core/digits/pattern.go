package digits

import (
	"math/big"
	"sync"
)

// State says how a number stands to a pattern.
type State uint8

// The states of a number against a pattern. The zero State is None.
const (
	None                State = iota // neither this number nor a longer one matches
	Partial                          // does not match yet, a longer number (or the timer) can
	Complete                         // matches, and no longer number does
	CompleteMayContinue              // matches, and a longer number does too
)

var stateNames = [...]string{"none", "partial", "complete", "complete-may-continue"}

func (s State) String() string { return stateNames[s] }

// MarshalText writes the state's name.
func (s State) MarshalText() ([]byte, error) { return []byte(s.String()), nil }

// Verdict is the answer of a pattern about a number that is being dialled.
type Verdict struct {
	State State
	// Waits is true when nothing but the digit timer completes the number as it
	// stands: an alternative that ends in T (RFC 3435 section 2.1.5).
	Waits bool
}

// Pattern is a compiled dial pattern. It is immutable and safe for use by many
// goroutines. Make one with Compile.
type Pattern struct {
	text  string
	chain chain
	// made is the automaton, from the start or, for a chain, once it is wanted.
	once sync.Once
	made *automaton
	// whole is the set of the numbers that match, once it is wanted.
	wholeOnce sync.Once
	whole     Set
}

// automaton returns the pattern's minimal automaton.
func (p *Pattern) automaton() *automaton {
	p.once.Do(func() {
		if p.made == nil {
			p.made = p.chain.automaton()
		}
	})
	return p.made
}

// Compile reads a dial pattern: a digit map as in RFC 3435 section 2.1.5 with
// the extensions that the package's syntax allows. Errors are *PatternError.
func Compile(text string) (*Pattern, error) {
	root, err := parsePattern(text)
	if err != nil {
		return nil, err
	}
	if c := chainOf(root); c.ok {
		return &Pattern{text: text, chain: c}, nil
	}
	a, err := compileTree(text, root)
	if err != nil {
		return nil, err
	}
	return &Pattern{text: text, made: a}, nil
}

// MustCompile is Compile for constants in code and tests; it panics on an
// error.
func MustCompile(text string) *Pattern {
	p, err := Compile(text)
	if err != nil {
		panic(err)
	}
	return p
}

// String returns the pattern as it was written.
func (p *Pattern) String() string { return p.text }

// States returns the number of states of the minimal automaton, the dead one
// included.
func (p *Pattern) States() int { return len(p.automaton().next) }

// Dialled says how a number stands that comes digit by digit.
func (p *Pattern) Dialled(n Number) Verdict {
	if p.chain.ok {
		return p.chain.dialled(&n)
	}
	a := p.automaton()
	s := a.run(n)
	timed := a.accept[a.next[s][timerIndex]]
	switch {
	case s == dead:
		return Verdict{}
	case a.accept[s] && a.goesOn[s]:
		return Verdict{State: CompleteMayContinue}
	case a.accept[s]:
		return Verdict{State: Complete}
	}
	return Verdict{State: Partial, Waits: timed}
}

// Matches tells whether a number that comes whole matches. The timer has no
// part in it: an alternative that ends in T matches as if the T were not
// there.
func (p *Pattern) Matches(n Number) bool {
	if p.chain.ok {
		return p.chain.matches(&n)
	}
	a := p.automaton()
	return a.whole(a.run(n))
}

// Within tells whether every number that p matches is matched by q too.
func (p *Pattern) Within(q *Pattern) bool {
	if p.chain.ok && q.chain.ok {
		return p.chain.within(&q.chain)
	}
	return p.Set().Within(q.Set())
}

// Nonempty is the pattern without the empty number.
func (p *Pattern) Nonempty() *Pattern {
	if !p.MatchesEmpty() {
		return p
	}
	a := p.automaton()
	b := &automaton{start: int32(len(a.next))} // a copy of the start that does not accept
	b.next = append(append(b.next, a.next...), a.next[a.start])
	b.accept = append(append(b.accept, a.accept...), false)
	b.next[b.start][timerIndex] = dead
	return &Pattern{text: p.text, made: b.minimize()}
}

// Shortest is Set().Shortest.
func (p *Pattern) Shortest() (n Number, ok bool) {
	if p.chain.ok && len(p.chain.sets) <= MaxSymbols {
		return p.chain.shortest(), true
	}
	return p.Set().Shortest()
}

// MatchesEmpty tells whether the pattern takes the empty number too, as x.
// does.
func (p *Pattern) MatchesEmpty() bool { return p.Matches(Number{}) }

func (a *automaton) whole(s int32) bool {
	return a.accept[s] || a.accept[a.next[s][timerIndex]]
}

// Samples returns up to limit matching numbers; see Set.Samples.
func (p *Pattern) Samples(limit int) []Number { return p.Set().Samples(limit) }

// LengthCount is how many numbers of one length match.
type LengthCount struct {
	Length int      // symbols, a leading '+' not counted
	Count  *big.Int // more than 64 bits at 32 symbols
}

// CountByLength returns, for every length up to MaxSymbols at which anything
// matches, how many numbers do. It works on the automaton and tries none.
func (p *Pattern) CountByLength() []LengthCount { return p.Set().CountByLength() }

// CountByLength is Pattern.CountByLength on a set.
func (s Set) CountByLength() []LengthCount {
	a := s.automaton()
	ways := make([]*big.Int, len(a.next))
	for i := range ways {
		ways[i] = new(big.Int)
	}
	ways[a.start].SetInt64(1)
	if plus := a.next[a.start][plusIndex]; plus != dead {
		ways[plus].Add(ways[plus], big.NewInt(1))
	}
	var out []LengthCount
	for length := 0; length <= MaxSymbols; length++ {
		total := new(big.Int)
		for s, w := range ways {
			if a.accept[s] {
				total.Add(total, w)
			}
		}
		if total.Sign() > 0 {
			out = append(out, LengthCount{length, total})
		}
		ways = a.step(ways)
	}
	return out
}

// step moves a count of ways over every symbol but '+', which only stands
// first.
func (a *automaton) step(ways []*big.Int) []*big.Int {
	next := make([]*big.Int, len(ways))
	for i := range next {
		next[i] = new(big.Int)
	}
	for s, w := range ways {
		if w.Sign() == 0 {
			continue
		}
		for col := range plusIndex {
			if to := a.next[s][col]; to != dead {
				next[to].Add(next[to], w)
			}
		}
	}
	return next
}
