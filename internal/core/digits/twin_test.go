package digits

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The slow twin of the automaton: it walks the text of a pattern as a plain
// backtracking matcher does, with no parser, set or state in common with it.

// twinRest returns every number of symbols of input that the elements of text
// can consume from offset at, by trying all of them.
func twinRest(text, input string, at int, done func(at int) bool) bool {
	if text == "" {
		return done(at)
	}
	body, rest := twinElement(text)
	star := strings.HasPrefix(rest, ".")
	if !star {
		return twinOnce(body, input, at, func(next int) bool { return twinRest(rest, input, next, done) })
	}
	rest = rest[1:]
	var loop func(at int) bool
	loop = func(at int) bool {
		if twinRest(rest, input, at, done) {
			return true
		}
		return twinOnce(body, input, at, func(next int) bool { return next > at && loop(next) })
	}
	return loop(at)
}

func twinOnce(body, input string, at int, done func(at int) bool) bool {
	if body[0] == '(' {
		for _, alternative := range twinSplit(body[1 : len(body)-1]) {
			if twinRest(alternative, input, at, done) {
				return true
			}
		}
		return false
	}
	return at < len(input) && twinSymbol(body, input[at]) && done(at+1)
}

func twinSymbol(body string, c byte) bool {
	digit := c >= '0' && c <= '9'
	inner := strings.Trim(body, "[]")
	for i := 0; i < len(inner); i++ {
		if i+2 < len(inner) && inner[i+1] == '-' {
			if digit && inner[i] <= c && c <= inner[i+2] {
				return true
			}
			i += 2
		} else if inner[i] == c || inner[i] == 'x' && digit {
			return true
		}
	}
	return false
}

func twinElement(text string) (body, rest string) {
	switch text[0] {
	case '[':
		end := strings.IndexByte(text, ']') + 1
		return text[:end], text[end:]
	case '(':
		depth := 0
		for i := range len(text) {
			switch text[i] {
			case '(':
				depth++
			case ')':
				if depth--; depth == 0 {
					return text[:i+1], text[i+1:]
				}
			}
		}
	}
	return text[:1], text[1:]
}

func twinSplit(text string) []string {
	depth, from := 0, 0
	var out []string
	for i := range len(text) {
		switch text[i] {
		case '(':
			depth++
		case ')':
			depth--
		case '|':
			if depth == 0 {
				out, from = append(out, text[from:i]), i+1
			}
		}
	}
	return append(out, text[from:])
}

func twinMatches(text, input string) bool {
	return twinOnce("("+text+")", input, 0, func(at int) bool { return at == len(input) })
}

func drawPattern(depth int) *rapid.Generator[string] {
	return rapid.Custom(func(t *rapid.T) string {
		var b strings.Builder
		for i, n := 0, rapid.IntRange(1, 4).Draw(t, "elements"); i < n; i++ {
			switch kind := rapid.IntRange(0, 9).Draw(t, "kind"); {
			case kind < 4:
				b.WriteByte("012*#A"[rapid.IntRange(0, 5).Draw(t, "symbol")])
			case kind < 6:
				b.WriteByte('x')
			case kind < 8 || depth == 0:
				b.WriteString([]string{"[01]", "[1-3]", "[02-4*]", "[x#]", "[A1]"}[rapid.IntRange(0, 4).Draw(t, "range")])
			default:
				parts := rapid.SliceOfN(drawPattern(depth-1), 1, 3).Draw(t, "parts")
				b.WriteString("(" + strings.Join(parts, "|") + ")")
			}
			if rapid.IntRange(0, 4).Draw(t, "star") == 0 {
				b.WriteByte('.')
			}
		}
		return b.String()
	})
}

func TestAutomatonAgreesWithBacktracking(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := strings.Join(rapid.SliceOfN(drawPattern(2), 1, 3).Draw(t, "alternatives"), "|")
		p, err := Compile(text)
		require.NoError(t, err)
		number := rapid.StringMatching(`[0124*#A]{0,7}`).Draw(t, "number")
		require.Equal(t, twinMatches(text, number), p.Matches(MustNumber(number)), "%s against %s", number, text)

		// The states, by their meaning: what one more symbol can still reach
		// is what the automaton says of going on.
		v := p.Dialled(MustNumber(number))
		reaches := false
		for _, s := range symbols[:plusIndex] {
			reaches = reaches || p.Dialled(MustNumber(number+string(s))).State != None
		}
		require.Equal(t, reaches, v.State == Partial || v.State == CompleteMayContinue)
		require.Equal(t, twinMatches(text, number), v.State == Complete || v.State == CompleteMayContinue)
		for _, n := range p.Samples(5) {
			require.True(t, twinMatches(text, n.String()), "sample %s of %s", n, text)
		}
	})
}

// The twin of a chain is the automaton of the same pattern.
func TestChainsAgreeWithTheirAutomata(t *testing.T) {
	drawChain := rapid.Custom(func(t *rapid.T) *Pattern {
		text := strings.Join(rapid.SliceOfN(rapid.SampledFrom([]string{"0", "1", "x", "[01]", "[1-3*]", "(2)", "#"}), 1, 5).Draw(t, "sets"), "")
		text = rapid.SampledFrom([]string{"", "+"}).Draw(t, "plus") + text + rapid.SampledFrom([]string{"", "."}).Draw(t, "repeat")
		p, err := Compile(text)
		require.NoError(t, err)
		require.True(t, p.chain.ok, text)
		return p
	})
	rapid.Check(t, func(t *rapid.T) {
		p, q := drawChain.Draw(t, "p"), drawChain.Draw(t, "q")
		slow := &Pattern{text: p.text, made: p.automaton()}
		n := MustNumber(rapid.StringMatching(`\+?[0123*#A]{0,6}`).Draw(t, "number"))
		require.Equal(t, slow.Matches(n), p.Matches(n), "%s against %s", n, p)
		require.Equal(t, slow.Dialled(n), p.Dialled(n), "%s against %s", n, p)
		require.Equal(t, p.Set().Within(q.Set()), p.Within(q), "%s within %s", p, q)
		want, _ := p.Set().Shortest()
		got, _ := p.Shortest()
		require.Equal(t, want, got)
	})
}
