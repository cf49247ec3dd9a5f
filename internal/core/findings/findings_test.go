package findings_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

func kinds(list []findings.Finding, rule string) (out []string) {
	for _, f := range list {
		if f.Rule == rule {
			out = append(out, f.Kind)
		}
	}
	return out
}

func TestFindingsOfATable(t *testing.T) {
	p := calltest.OneByOne(
		[]plan.Rule{
			0: {Match: plan.Match{Called: "9xx."}, CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: 1}}, Then: plan.Then{Table: "t1"}},
			1: {Match: plan.Match{Called: "999"}},                      // the prefix takes it
			2: {Match: plan.Match{Called: "2[0-3]xx", Caller: "20xx"}}, // contested with the next
			3: {Match: plan.Match{Called: "2[2-5]xx"}},
			4: {Match: plan.Match{Called: "3x"}, CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: 3}}},
			5: {Match: plan.Match{Called: "4xx"}, CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: 3}}},
			6: {Match: plan.Match{Called: "5xx"}, Then: plan.Then{Table: "t0"}},
			7: {Match: plan.Match{Called: "6x"}, Then: plan.Then{Table: "t1"}},
			8: {Match: plan.Match{Called: "70xx"}, Complete: plan.CompleteAtOnce},
			9: {CatchAll: true, Then: plan.Then{RejectCause: 1}},
		},
		[]plan.Rule{
			{Match: plan.Match{Called: "0909xxxxxxx"}, CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.National}}, Class: numbering.ClassNational},
			{Match: plan.Match{Called: "0117xxxxxxx"}, CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.National}}, Class: numbering.ClassNational},
		},
		[]plan.Rule{{}},
	)
	s := calltest.Compile(t, p)
	found := findings.InTable(s, "t0", "")
	for rule, want := range map[string][]string{
		"t0-r0": nil, "t0-r1": {"covered"}, "t0-r2": nil, "t0-r3": {"overlaps"}, "t0-r4": {"steps"}, "t0-r5": {"no-digits"},
		"t0-r6": {"loop"}, "t0-r7": {"no-rule"}, "t0-r8": nil, "t0-r9": nil,
	} {
		assert.Equal(t, want, kinds(found, rule), rule)
	}
	for _, f := range found {
		assert.NotEmpty(t, f.Text)
		require.NotNil(t, f.Example, f.Text)
	}
	assert.Equal(t, []string{"class"}, kinds(findings.InTable(s, "t1", ""), "t1-r0"))
	assert.Nil(t, kinds(findings.InTable(s, "t1", ""), "t1-r1"))
	assert.Equal(t, []string{"unentered"}, kinds(findings.InTable(s, "t2", ""), ""))
	assert.Equal(t, []string{"overlaps"}, kinds(findings.InTable(s, "t0", "t0-r3"), "t0-r3"))
	assert.Nil(t, findings.InTable(s, "nowhere", ""))
}

func TestEffectOfARule(t *testing.T) {
	s := calltest.Compile(t, calltest.OneByOne([]plan.Rule{
		{Match: plan.Match{Called: "20"}},
		{Match: plan.Match{Called: "2xxx"}},
		{Match: plan.Match{Called: "2x."}},
		{Match: plan.Match{Called: "3x", Caller: "3xxx"}},
	}))
	out, ok := findings.Effect(s, "t0", "t0-r1")
	require.True(t, ok)
	assert.Empty(t, out.Yields)
	assert.Equal(t, []findings.Shared{{Rule: trail.Ref{Kind: "rule", ID: "t0-r2", Name: "t0-r2"}, Example: digits.MustNumber("2000")}}, out.Takes)
	out, _ = findings.Effect(s, "t0", "t0-r0")
	assert.True(t, out.Overlap)
	assert.Equal(t, digits.MustNumber("20"), out.Delayed[0].Number)
	assert.Equal(t, digits.MustNumber("200"), out.Delayed[0].Longer, "the open rule takes it")
	assert.Equal(t, digits.MustNumber("20"), out.CutOff[0].Number)
	out, _ = findings.Effect(s, "t0", "t0-r2")
	assert.Len(t, out.Yields, 2)
	_, ok = findings.Effect(s, "t0", "gone")
	assert.False(t, ok)
}

func TestAPrefixThatHidesExtensions(t *testing.T) {
	p := calltest.OneByOne([]plan.Rule{
		{Match: plan.Match{Called: "24x."}, CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: 2}}, Then: plan.Then{Table: "t1"}},
		{Match: plan.Match{Called: "2xxx"}, CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.Private}}, Then: plan.Then{Destination: "phones"}},
	}, []plan.Rule{{Match: plan.Match{Called: "4[0-4]"}}})
	hidden, err := findings.Hides(calltest.Compile(t, p))
	require.NoError(t, err)
	require.Len(t, hidden, 1)
	assert.Equal(t, "2440", hidden[0].Example.String())
	assert.Equal(t, "t0-r0", hidden[0].Rule.ID)
	assert.Equal(t, "5", hidden[0].Count, "2440 to 2444; the others find no rule behind the prefix, which is told by itself")
	p.Tables[0].Rules[0].Match.Called = "8x."
	hidden, err = findings.Hides(calltest.Compile(t, p))
	require.NoError(t, err)
	assert.Empty(t, hidden)
}

// Covered rules are held to a slow twin: no call of a small world, of any number, caller
// and source, is won by a covered rule, and some call is won by every other one whose
// neighbours differ in called numbers alone.
func TestCoveredRulesNeverWin(t *testing.T) {
	patterns := []string{"", "0x", "1", "1x", "10", "2x.", "[01]2", "x[12]", "xx", "12", "x."}
	callers := []string{"", "", "2001", "2xxx"}
	rapid.Check(t, func(t *rapid.T) {
		var rules []plan.Rule
		for range rapid.IntRange(1, 6).Draw(t, "rules") {
			rules = append(rules, plan.Rule{Match: plan.Match{Called: rapid.SampledFrom(patterns).Draw(t, "called"), Caller: rapid.SampledFrom(callers).Draw(t, "caller")}})
		}
		policy := rapid.SampledFrom([]string{plan.AsListed, plan.SpecificFirst}).Draw(t, "policy")
		p := calltest.OneByOne(rules)
		p.Tables[0].Order = policy
		s, problems := decide.Compile(p)
		require.Empty(t, problems)
		won := map[string]bool{}
		for _, caller := range []string{"", "2001", "2002", "3"} {
			world := []string{""}
			for i := 0; i < len(world); i++ {
				if len(world[i]) < 3 {
					for _, c := range "0123" {
						world = append(world, world[i]+string(c))
					}
				}
				e, _ := s.Begin(decide.Call{Trunk: "phones", Called: digits.MustNumber(world[i]), Caller: callerid.Of(digits.MustNumber(caller))})
				for _, step := range e.Trail() {
					if step.LookedUp != nil && step.LookedUp.Winner != nil {
						won[step.LookedUp.Winner.ID] = true
					}
				}
			}
		}
		sameCallers := true
		for _, r := range rules {
			sameCallers = sameCallers && r.Match.Caller == rules[0].Match.Caller
		}
		covered := map[string]bool{}
		for _, f := range findings.InTable(s, "t0", "") {
			covered[f.Rule] = covered[f.Rule] || f.Kind == "covered"
		}
		for i := range rules {
			id := fmt.Sprintf("t0-r%d", i)
			require.False(t, covered[id] && won[id], "%s is said never to fire, and does", id)
			if sameCallers && !covered[id] && rules[i].Match.Called != "x." && rules[i].Match.Called != "" && rules[i].Match.Called != "2x." {
				require.True(t, won[id], "%s never fires, and nothing says so", id)
			}
		}
	})
}
