package digits

import (
	"errors"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The slow twin of the algebra: every number over a few symbols up to a length,
// asked one by one.
var universe = func() []Number {
	list := []Number{{}}
	for from := 0; list[len(list)-1].Len() < 4; {
		to := len(list)
		for _, n := range list[from:to] {
			for _, s := range "012*" {
				list = append(list, numberOf(n.String()+string(s)))
			}
		}
		from = to
	}
	return list
}()

// drawSet draws a set whose members are mostly in the universe.
func drawSet(t *rapid.T, name string) Set {
	text := strings.Join(rapid.SliceOfN(drawPattern(1), 1, 3).Draw(t, name), "|")
	p, err := Compile(text)
	require.NoError(t, err)
	return p.Set()
}

func TestOperationsAgreeWithMembership(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p, q := drawSet(t, "p"), drawSet(t, "q")
		union, err := p.Union(q)
		require.NoError(t, err)
		intersection, err := p.Intersect(q)
		require.NoError(t, err)
		difference, err := p.Minus(q)
		require.NoError(t, err)
		for _, n := range universe {
			inP, inQ := p.Contains(n), q.Contains(n)
			require.Equal(t, inP || inQ, union.Contains(n))
			require.Equal(t, inP && inQ, intersection.Contains(n))
			require.Equal(t, inP && !inQ, difference.Contains(n))
		}
	})
}

func TestCompareAgreesWithMembershipAndItsWitnesses(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		p, q := drawSet(t, "p"), drawSet(t, "q")
		c := Compare(p, q)
		for _, w := range []struct {
			n        *Number
			inP, inQ bool
		}{{c.Both, true, true}, {c.OnlyP, true, false}, {c.OnlyQ, false, true}} {
			if w.n != nil {
				require.Equal(t, w.inP, p.Contains(*w.n), "%s", w.n)
				require.Equal(t, w.inQ, q.Contains(*w.n), "%s", w.n)
			}
			i := slices.IndexFunc(universe, func(n Number) bool { return p.Contains(n) == w.inP && q.Contains(n) == w.inQ })
			if i >= 0 {
				require.NotNil(t, w.n, "%s is such a number", universe[i])
				require.LessOrEqual(t, w.n.Len(), universe[i].Len(), "the witness is a shortest one")
			}
		}
		want := Disjoint
		switch {
		case c.OnlyP == nil && c.OnlyQ == nil:
			want = Equal
		case c.OnlyQ == nil:
			want = Contains
		case c.OnlyP == nil:
			want = Within
		case c.Both != nil:
			want = Overlaps
		}
		require.Equal(t, want, c.Relation)
		require.Equal(t, c.Relation == Equal, p.Equal(q))
	})
}

func TestCompareKnownPairs(t *testing.T) {
	for _, c := range []struct {
		p, q string
		want Relation
	}{
		{"[2-9]xx", "(2[0-9]x|3xx)", Contains},
		{"(2[0-9]x|3xx)", "[2-9]xx", Within},
		{"x.", "x.x.", Equal},
		{"0T", "0", Equal}, // the timer is ignored
		{"9xx.", "999|112", Overlaps},
		{"1x", "2x", Disjoint},
		{"+44x.", "44x.", Disjoint},
		{"x.", "*xx", Disjoint},
		{"xxxx", "[1-7]xxx", Contains},
		{strings.Repeat("x", 32) + "x.", strings.Repeat("x", 32), Equal}, // no number is longer
	} {
		assert.Equal(t, c.want, Compare(MustCompile(c.p).Set(), MustCompile(c.q).Set()).Relation, "%s against %s", c.p, c.q)
	}
}

func TestEmptySet(t *testing.T) {
	var none Set
	assert.True(t, none.Empty())
	assert.False(t, none.Contains(Number{}))
	assert.Equal(t, Within, Compare(none, MustCompile("1").Set()).Relation)
	assert.Equal(t, Equal, Compare(none, Set{}).Relation)
	assert.Empty(t, none.Samples(5))
	assert.Empty(t, none.CountByLength())
	_, err := none.Readable()
	assert.ErrorIs(t, err, ErrUnreadable)
	one, err := SetOf(MustNumber("999"), MustNumber("+44"), Number{})
	require.NoError(t, err)
	assert.Equal(t, []Number{{}, MustNumber("999"), MustNumber("+44")}, one.Samples(5))
}

// Each image is held to the edit itself, number by number.
func TestImagesAgreeWithEdits(t *testing.T) {
	one, two := MustNumber("1"), MustNumber("20")
	block := Block{MustNumber("00"), MustNumber("12")}
	wide := Block{MustNumber("0195"), MustNumber("0207")}
	narrow := Block{MustNumber("010"), MustNumber("022")}
	for name, op := range map[string]struct {
		edit  func(Number) Edit
		image func(Set) (Set, error)
	}{
		"drop first 1":    {func(n Number) Edit { return DropFirst(n, 1) }, func(s Set) (Set, error) { return s.DropFirst(1) }},
		"drop first 2":    {func(n Number) Edit { return DropFirst(n, 2) }, func(s Set) (Set, error) { return s.DropFirst(2) }},
		"drop last 2":     {func(n Number) Edit { return DropLast(n, 2) }, func(s Set) (Set, error) { return s.DropLast(2) }},
		"keep first 2":    {func(n Number) Edit { return KeepFirst(n, 2) }, func(s Set) (Set, error) { return s.KeepFirst(2) }},
		"keep last 2":     {func(n Number) Edit { return KeepLast(n, 2) }, func(s Set) (Set, error) { return s.KeepLast(2) }},
		"put before":      {func(n Number) Edit { return PutBefore(n, two) }, func(s Set) (Set, error) { return s.PutBefore(two) }},
		"put after":       {func(n Number) Edit { return PutAfter(n, two) }, func(s Set) (Set, error) { return s.PutAfter(two) }},
		"replace with":    {func(n Number) Edit { return ReplaceWith(n, two) }, func(s Set) (Set, error) { return s.ReplaceWith(two) }},
		"replace prefix":  {func(n Number) Edit { return ReplacePrefix(n, one, two) }, func(s Set) (Set, error) { return s.ReplacePrefix(one, two) }},
		"map to wider":    {func(n Number) Edit { return MapBlock(n, block, wide) }, func(s Set) (Set, error) { return s.MapBlock(block, wide) }},
		"map to narrower": {func(n Number) Edit { return MapBlock(n, narrow, block) }, func(s Set) (Set, error) { return s.MapBlock(narrow, block) }},
		"map to itself":   {func(n Number) Edit { return MapBlock(n, block, block) }, func(s Set) (Set, error) { return s.MapBlock(block, block) }},
	} {
		t.Run(name, func(t *testing.T) {
			rapid.Check(t, func(t *rapid.T) {
				finite, err := drawSet(t, "set").Intersect(upToFour)
				require.NoError(t, err)
				image, err := op.image(finite)
				require.NoError(t, err)
				want := map[Number]bool{}
				for _, n := range universe {
					if e := op.edit(n); e.OK() && finite.Contains(n) {
						want[e.After()] = true
					}
				}
				count := 0
				for _, c := range image.CountByLength() {
					count += int(c.Count.Int64())
				}
				require.Len(t, want, count)
				for n := range want {
					require.True(t, image.Contains(n), "%s", n)
				}
			})
		})
	}
}

// upToFour is the universe as a set.
var upToFour = func() Set {
	p, err := CompileExpression("[012*]{0,4}")
	if err != nil {
		panic(err)
	}
	return p.Set()
}()

func TestMapBlockOnWholeBlocks(t *testing.T) {
	from := Block{MustNumber("+441914980100"), MustNumber("+441914980299")}
	to := Block{MustNumber("2000"), MustNumber("2199")}
	image, err := MustCompile("+44x.").Set().MapBlock(from, to)
	require.NoError(t, err)
	assert.True(t, image.Equal(MustCompile("2[01]xx").Set()))
	back, err := image.MapBlock(to, from)
	require.NoError(t, err)
	assert.True(t, back.Equal(MustCompile("+441914980[12]xx").Set()))
	members, err := Block{MustNumber("1998"), MustNumber("2101")}.Set()
	require.NoError(t, err)
	assert.Equal(t, "104", members.CountByLength()[0].Count.String())
	_, err = Block{MustNumber("2"), MustNumber("1")}.Set()
	assert.ErrorContains(t, err, "lies above")
}

func TestReadableMeansTheSameSet(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawSet(t, "set")
		r, err := s.Readable()
		if errors.Is(err, ErrUnreadable) { // nested repetitions can grow past what is read
			return
		}
		require.NoError(t, err)
		compile := Compile
		if r.Expression {
			compile = CompileExpression
		}
		p, err := compile(r.Text)
		require.NoError(t, err, r.Text)
		require.True(t, p.Set().Equal(s), r.Text)
	})
}

func TestReadableIsShort(t *testing.T) {
	for _, c := range []struct{ from, want string }{
		{"0[1-3]xxxxxxxxx", "0[1-3]xxxxxxxxx"}, {"(999|112)", "999|112"}, {"9xx.", "9xx."}, {"x.", "x."},
		{"(01).2", "(01).2"}, {"+44x.|0x.", "(+44|0)x."}, {"2[0-9]x|3xx", "[23]xx"}, {"0T|00T", "0|00"},
	} {
		r, err := MustCompile(c.from).Set().Readable()
		require.NoError(t, err)
		assert.Equal(t, Readable{Text: c.want}, r)
	}
	rest, err := MustCompile("x.").Set().Minus(MustCompile("9x.").Set())
	require.NoError(t, err)
	r, err := rest.Readable()
	require.NoError(t, err)
	assert.Equal(t, Readable{"(?:[0-8][0-9]*)?", true}, r, "no dial pattern lets a number be missing")
}

// Source: Go's regexp package, asked on the same expression and numbers.
func TestExpressionsAgreeWithRegexp(t *testing.T) {
	for _, text := range []string{
		`0[1-3]\d{9}`, `^(?:\+44|0)1?9*$`, `2[0-9]?.`, `(1|2){1,3}`, `[^0]*`, `\*1|2`, `1+`, `(?:12)*0?`, ``, `[a-z]`, `1|^2$|00`, `.*\+`,
	} {
		p, err := CompileExpression(text)
		require.NoError(t, err, text)
		want := regexp.MustCompile(`\A(?:` + text + `)\z`)
		for _, n := range append(slices.Clone(universe), MustNumber("01911111111"), MustNumber("+4419"), MustNumber("+"), MustNumber("+44"), MustNumber("+1")) {
			require.Equal(t, want.MatchString(n.String()), p.Matches(n), "%q against %s", n, text)
		}
	}
}

func TestExpressionErrors(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		{"(12", "missing closing )"},
		{`1\b2`, "has no meaning on a number"},
		{"1^2", "^ can only stand first"},
		{"1$2", "$ can only stand last"},
		{"x{1001}", "invalid repeat"},
		{"[0-9]*1[0-9]{20}", "more than 10000 states"},
		{strings.Repeat("1", MaxPatternBytes+1), "longer than"},
	} {
		_, err := CompileExpression(c.in)
		var pe *PatternError
		require.ErrorAs(t, err, &pe, c.in)
		assert.Contains(t, pe.Reason, c.want)
	}
}

func TestNearMissesMissByOneKey(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawSet(t, "set")
		for _, miss := range s.NearMisses(8) {
			require.False(t, s.Contains(miss))
			require.True(t, oneKeyAway(s, miss), "%s", miss)
		}
	})
	assert.Equal(t, []Number{MustNumber("0100000000"), MustNumber("010000000000"), MustNumber("11000000000")}, MustCompile("0[1-3]xxxxxxxxx").Set().NearMisses(3))
}

// oneKeyAway tells whether a key more, a key less or another key makes n a
// member.
func oneKeyAway(s Set, n Number) bool {
	contains := func(text string) bool {
		near, ok := Number{}.Behind(text)
		return ok && s.Contains(near)
	}
	text := n.String()
	for i := 0; i <= len(text); i++ {
		if i < len(text) && contains(text[:i]+text[i+1:]) {
			return true
		}
		for _, c := range symbols {
			if contains(text[:i]+string(c)+text[i:]) || i < len(text) && contains(text[:i]+string(c)+text[i+1:]) {
				return true
			}
		}
	}
	return false
}

func TestTooLargeIsAnErrorNotAWait(t *testing.T) {
	// Each remembers which of the last nine keys was its own: 512 ways, and the
	// product of three such sets more than MaxStates.
	var all Set
	var err error
	for i, key := range []string{"1", "2", "3"} {
		p, compileErr := Compile("x." + key + strings.Repeat("x", 8))
		require.NoError(t, compileErr)
		if i == 0 {
			all = p.Set()
		} else if all, err = all.Union(p.Set()); err != nil {
			break
		}
	}
	assert.ErrorIs(t, err, ErrTooLarge)
}
