package rewrite

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

func quay(t *testing.T) *numbering.Region {
	r, err := numbering.NewRegion("GB", "191")
	require.NoError(t, err)
	return &r
}

func run(t *testing.T, steps []Step, in numbering.Written) (numbering.Written, []string) {
	var labels []string
	for _, s := range steps {
		c, faults := s.Compile()
		require.Empty(t, faults)
		after, ok := c.Apply(quay(t), in)
		require.True(t, ok)
		require.Equal(t, after, c.Explain(quay(t), in).After)
		in = after
		labels = append(labels, s.Label())
	}
	return in, labels
}

func TestStepsCarryTheForm(t *testing.T) {
	out, labels := run(t, []Step{
		{Op: RemoveFirst, Count: 1},
		{Op: InterpretAs, Format: numbering.National},
		{Op: ConvertTo, Format: numbering.E164},
	}, numbering.As(digits.MustNumber("901914980123"), numbering.AsDialled))
	assert.Equal(t, numbering.As(digits.MustNumber("+441914980123"), numbering.E164), out)
	assert.Equal(t, []string{"remove first 1", "interpret as national", "convert to e164"}, labels)

	out, _ = run(t, []Step{{Op: RemoveFirst, Count: 1}}, numbering.As(digits.MustNumber("901914980123"), numbering.National))
	assert.Equal(t, numbering.Unknown, out.Format, "digits that were cut have no form until one is stated")

	out, _ = run(t, []Step{{Op: ReplacePrefix, Prefix: "0", Digits: "+44"}}, numbering.As(digits.MustNumber("01914980123"), numbering.National))
	assert.Equal(t, numbering.E164, out.Format)
}

func TestConversionFromUnknownSaysWhy(t *testing.T) {
	c, faults := Step{Op: ConvertTo, Format: numbering.E164}.Compile()
	require.Empty(t, faults)
	res := c.Explain(quay(t), numbering.As(digits.MustNumber("01914980123"), numbering.Unknown))
	assert.Equal(t, "format is unknown", res.Note.String())
	assert.Equal(t, "01914980123", res.After.Number.String())
}

func TestApplyFailsVisibly(t *testing.T) {
	c, faults := Step{Op: MapBlock, From: &Range{"2000", "2199"}, To: &Range{"01914980100", "01914980299"}}.Compile()
	require.Empty(t, faults)
	outside := numbering.As(digits.MustNumber("2200"), numbering.Private)
	_, ok := c.Apply(quay(t), outside)
	require.False(t, ok)
	assert.EqualError(t, c.Err(c.Explain(quay(t), outside)), "map block 2000–2199 to 01914980100–01914980299: 2200 is not in the block 2000 to 2199")
}

func TestCompileFindsEveryFault(t *testing.T) {
	for _, c := range []struct {
		step   Step
		fields []string
	}{
		{Step{Op: RemoveFirst}, []string{"count"}},
		{Step{Op: KeepLast, Count: 33}, []string{"count"}},
		{Step{Op: AddPrefix}, []string{"digits"}},
		{Step{Op: AddPrefix, Digits: "4x"}, []string{"digits"}},
		{Step{Op: ReplacePrefix, Prefix: "x", Digits: "y"}, []string{"prefix", "digits"}},
		{Step{Op: MapBlock}, []string{"from", "to"}},
		{Step{Op: MapBlock, From: &Range{"2000", "2199"}, To: &Range{"100", "199"}}, []string{"to"}},
		{Step{Op: ConvertTo, Format: "loose"}, []string{"format"}},
		{Step{Op: ConvertTo, Format: numbering.Private}, []string{"format"}},
		{Step{Op: "chop"}, []string{"op"}},
	} {
		_, faults := c.step.Compile()
		var fields []string
		for _, f := range faults {
			fields = append(fields, f.Field)
		}
		assert.Equal(t, c.fields, fields, c.step.Label())
	}
}

// A step has faults at the fields that its kind uses and at no other, until they are filled in.
func TestKindsNameTheFieldsOfSteps(t *testing.T) {
	full := Step{Count: 1, Digits: "1", Prefix: "0", Format: numbering.National, From: &Range{"10", "19"}, To: &Range{"20", "29"}}
	require.Len(t, Kinds(), len(Ops()))
	for _, k := range Kinds() {
		assert.NotEmpty(t, k.Label)
		s := full
		s.Op = k.Op
		_, faults := s.Compile()
		assert.Empty(t, faults, k.Op)
		_, faults = Step{Op: k.Op}.Compile()
		for _, f := range faults {
			assert.Contains(t, k.Fields, f.Field, k.Op)
		}
		missing := map[string]bool{}
		for _, f := range faults {
			missing[f.Field] = true
		}
		if k.Op == ReplacePrefix { // by nothing: it is removed
			missing["digits"] = true
		}
		assert.Len(t, missing, len(k.Fields), k.Op)
	}
	for _, f := range Formats() {
		_, faults := Step{Op: InterpretAs, Format: f}.Compile()
		assert.Empty(t, faults, f)
	}
}
