package digits

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Each preimage is held to the edit itself, number by number.
func TestPreimagesAgreeWithEdits(t *testing.T) {
	one, two, none := MustNumber("1"), MustNumber("20"), Number{}
	block := Block{MustNumber("00"), MustNumber("12")}
	wide := Block{MustNumber("0195"), MustNumber("0207")}
	for name, op := range map[string]struct {
		edit     func(Number) Edit
		preimage func(Set) (Set, error)
	}{
		"drop first 1":           {func(n Number) Edit { return DropFirst(n, 1) }, func(s Set) (Set, error) { return s.BeforeDropFirst(1) }},
		"drop last 2":            {func(n Number) Edit { return DropLast(n, 2) }, func(s Set) (Set, error) { return s.BeforeDropLast(2) }},
		"keep first 2":           {func(n Number) Edit { return KeepFirst(n, 2) }, func(s Set) (Set, error) { return s.BeforeKeepFirst(2) }},
		"keep last 2":            {func(n Number) Edit { return KeepLast(n, 2) }, func(s Set) (Set, error) { return s.BeforeKeepLast(2) }},
		"put before":             {func(n Number) Edit { return PutBefore(n, two) }, func(s Set) (Set, error) { return s.BeforePutBefore(two) }},
		"put after":              {func(n Number) Edit { return PutAfter(n, one) }, func(s Set) (Set, error) { return s.BeforePutAfter(one) }},
		"replace with":           {func(n Number) Edit { return ReplaceWith(n, two) }, func(s Set) (Set, error) { return s.BeforeReplaceWith(two), nil }},
		"replace prefix":         {func(n Number) Edit { return ReplacePrefix(n, one, two) }, func(s Set) (Set, error) { return s.BeforeReplacePrefix(one, two) }},
		"replace prefix by none": {func(n Number) Edit { return ReplacePrefix(n, two, none) }, func(s Set) (Set, error) { return s.BeforeReplacePrefix(two, none) }},
		"map block":              {func(n Number) Edit { return MapBlock(n, block, wide) }, func(s Set) (Set, error) { return s.BeforeMapBlock(block, wide) }},
	} {
		t.Run(name, func(t *testing.T) {
			rapid.Check(t, func(t *rapid.T) {
				s := drawSet(t, "set")
				before, err := op.preimage(s)
				require.NoError(t, err)
				for _, n := range universe {
					e := op.edit(n)
					require.Equal(t, e.OK() && s.Contains(e.After()), before.Contains(n), "%s becomes %s", n, e.After())
				}
			})
		})
	}
}

func TestContinues(t *testing.T) {
	s := MustCompile("(2xxx|20|00xxxx.)").Set()
	longer, ok := s.Continues(MustNumber("20"))
	require.True(t, ok)
	assert.Equal(t, "2000", longer.String())
	_, ok = s.Continues(MustNumber("2000"))
	assert.False(t, ok)
	longer, ok = s.Continues(MustNumber("00123"))
	require.True(t, ok)
	assert.Equal(t, "001230", longer.String())
	_, ok = s.Continues(MustNumber("1"))
	assert.False(t, ok)
}

// Source: RFC 3435 section 2.1.5, T within a digit map.
func TestTimed(t *testing.T) {
	timed := MustCompile("(0T|00T|[1-7]xxx|9011x.T)").Timed()
	for n, want := range map[string]bool{"0": true, "00": true, "1234": false, "901144": true, "": false} {
		assert.Equal(t, want, timed.Contains(MustNumber(n)), n)
	}
}

func TestLongerAndShorter(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		s := drawSet(t, "set")
		finite, err := s.Intersect(upToFour)
		require.NoError(t, err)
		longer, err := finite.Longer()
		require.NoError(t, err)
		shorter, err := finite.Shorter()
		require.NoError(t, err)
		for _, n := range universe {
			behind, before := false, false
			for _, m := range universe {
				if finite.Contains(m) {
					behind = behind || n.Len() > m.Len() && n.HasPrefix(m.String())
					before = before || n.Len() < m.Len() && m.HasPrefix(n.String())
				}
			}
			require.Equal(t, behind, longer.Contains(n), "%s is longer", n)
			require.Equal(t, before, shorter.Contains(n), "%s is shorter", n)
		}
	})
}
