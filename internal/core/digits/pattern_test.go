package digits

import (
	"encoding/csv"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: RFC 3435 section 2.1.5, its worked dial plan and text examples; the
// rows that the RFC does not state were computed from its rules (basis column).
// A T at the end of an input is the timer event.
func TestRFC3435Cases(t *testing.T) {
	f, err := os.Open("testdata/rfc3435_cases.csv")
	require.NoError(t, err)
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	want := map[string]State{
		"no match": None, "partial (could still match)": Partial,
		"match now": Complete, "match but longer possible": CompleteMayContinue,
	}
	for _, row := range rows[1:] {
		digitMap, input, expected, timer := row[1], row[2], row[3], row[8]
		p, err := Compile(digitMap)
		require.NoError(t, err, digitMap)
		dialled, fired := strings.CutSuffix(input, "T")
		v := p.Dialled(MustNumber(dialled))
		if fired {
			// The timer completes a number exactly if the verdict waits for it.
			assert.Equal(t, want[expected] == Complete, v.Waits, "row %s", row[0])
			continue
		}
		assert.Equal(t, want[expected], v.State, "row %s: %s in %s", row[0], input, digitMap)
		// RFC 3660: T critical runs when the timer is all that is lacking.
		assert.Equal(t, strings.HasPrefix(timer, "T critical"), v.Waits, "row %s: %s in %s", row[0], input, digitMap)
	}
}

func TestPatternMatchesWhole(t *testing.T) {
	for _, c := range []struct {
		pattern, number string
		want            bool
	}{
		{"9011x.T", "9011442079460018", true}, // T is ignored for numbers that come whole
		{"0[1-3]xxxxxxxxx", "01914980123", true},
		{"0[1-3]xxxxxxxxx", "0191498012", false},
		{"+44x.", "+441914980123", true},
		{"+44x.", "441914980123", false},
		{"(+44|0)191x.", "+44191", true},
		{"(01.)2", "0112", true},
		{"(01).2", "01012", true},
		{"(01).2", "0112", false},
		{"x.", "", true},
		{"xX", "12", true},
		{"a*#d", "A*#D", true},
		{"[13-57]", "4", true},
		{"[13-57]", "6", false},
		{"[x*].", "12*", true},
	} {
		assert.Equal(t, c.want, MustCompile(c.pattern).Matches(MustNumber(c.number)), "%s against %s", c.number, c.pattern)
	}
}

func TestPatternErrors(t *testing.T) {
	for _, c := range []struct {
		in     string
		at     int // from 1, as shown
		reason string
	}{
		{"", 1, "empty pattern"},
		{"12y", 3, `"y" means nothing in a dial pattern`},
		{"1 2", 2, "no white space"},
		{"[2-", 2, "a subrange goes from a digit up to another"},
		{"[9-2]", 2, "a subrange goes from a digit up to another"},
		{"[A-D]", 2, "a subrange goes from a digit up to another"},
		{"[-2]", 2, "- stands between two digits"},
		{"[12", 1, "never closed"},
		{"[]", 1, "empty range"},
		{"12]", 3, "no [ before it"},
		{"(12|3", 1, "never closed"},
		{"12)", 3, "no ( before it"},
		{")", 1, "no ( before it"},
		{"(", 1, "never closed"},
		{"1(2|", 2, "never closed"},
		{"(1(", 3, "never closed"},
		{"(12||3)", 5, "an alternative is empty"},
		{"12|", 4, "an alternative is empty"},
		{"()", 2, "an alternative is empty"},
		{".1", 1, "none precedes it"},
		{"1..", 3, "a second . adds nothing"},
		{"0T1", 2, "can only end an alternative"},
		{"(0T|1)2", 3, "can only end an alternative"},
		{"0T.", 2, "cannot be repeated"},
		{"0+4", 2, "+ can only stand first"},
		{"+.4", 1, "+ cannot be repeated"},
		{"[+0]4", 2, "+ cannot stand in a range"},
		{strings.Repeat("1", MaxPatternBytes+1), MaxPatternBytes + 1, "longer than"},
		{"x.1" + strings.Repeat("x", 20), 1, "more than 10000 states"},
	} {
		_, err := Compile(c.in)
		var pe *PatternError
		require.ErrorAs(t, err, &pe, c.in)
		assert.Equal(t, c.at, pe.Offset+1, c.in)
		assert.Contains(t, pe.Reason, c.reason, c.in)
	}
}

func TestSamplesMatchAndAreSpread(t *testing.T) {
	p := MustCompile("(999|112|0[1-3]xxxxxxxxx)")
	samples := p.Samples(10)
	assert.Equal(t, []Number{MustNumber("01000000000"), MustNumber("112"), MustNumber("999")}, samples)
	assert.Equal(t, Number{}, MustCompile("x.").Samples(3)[0])
}

func TestCountByLength(t *testing.T) {
	counts := MustCompile("([2-9]11|+44x|x.T)").CountByLength()
	// Length 3 counts every three digits once (x.T holds [2-9]11 too), and
	// the ten numbers +440 to +449.
	assert.Equal(t, 3, counts[3].Length)
	assert.Equal(t, "1010", counts[3].Count.String())
	assert.Equal(t, MaxSymbols, counts[len(counts)-1].Length)
}

func TestNonempty(t *testing.T) {
	for _, text := range []string{"x.", "(12).", "1.T|2"} {
		p := MustCompile(text).Nonempty()
		assert.False(t, p.MatchesEmpty(), text)
		assert.Equal(t, Within, Compare(p.Set(), MustCompile(text).Set()).Relation, text)
		both, err := p.Set().Union(MustCompile("x").Set())
		require.NoError(t, err)
		all, err := MustCompile(text).Set().Union(MustCompile("x").Set())
		require.NoError(t, err)
		left, err := all.Minus(both)
		require.NoError(t, err)
		assert.Equal(t, []Number{{}}, left.Samples(5), "only the empty number is gone from %s", text)
	}
	p := MustCompile("1x")
	assert.Same(t, p, p.Nonempty())
}

func TestAnExplodingPatternIsRefusedWithThePartThatDoesIt(t *testing.T) {
	tail := strings.Repeat("x", 16)
	for text, want := range map[string]string{
		"x.1" + tail:                "position 1: \"x.\"",
		"0|[2-9]11|9x.1" + tail:     "position 12: \"x.\"",
		"00(1|2)(4x.1" + tail + ")": "position 10: \"x.\"",
		"(x.1" + tail + "|0)":       "position 2: \"x.\"",
	} {
		_, err := Compile(text)
		require.ErrorContains(t, err, want, text)
		require.ErrorContains(t, err, "more than 10000 states")
	}
	_, err := CompileExpression("[0-9]*1[0-9]{16}")
	require.ErrorContains(t, err, "the expression makes more than 10000 states")
}
