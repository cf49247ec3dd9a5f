package decide_test

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
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

func stage(t require.TestingT, s *decide.Snapshot, typed string) decide.Collection {
	c, ok := s.Collect(decide.Call{Trunk: "phones", Called: digits.MustNumber(typed), Caller: callerid.Of(digits.MustNumber("2001"))})
	require.True(t, ok)
	return c
}

func TestDigitsOneByOne(t *testing.T) {
	s := calltest.Compile(t, calltest.OneByOne(
		[]plan.Rule{
			{Match: plan.Match{Called: "2xxx"}},
			{Match: plan.Match{Called: "20"}},
			{Match: plan.Match{Called: "112"}},
			{Match: plan.Match{Called: "11xx"}},
			{Match: plan.Match{Called: "9x."}, CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: 1}}, Then: plan.Then{Table: "t1"}},
			{Match: plan.Match{Called: "77x."}, CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: 2}}, Then: plan.Then{Table: "t0"}},
			{Match: plan.Match{Called: "5x"}, Complete: plan.CompleteAtOnce},
			{Match: plan.Match{Called: "5xxx"}},
			{Match: plan.Match{Called: "8xT"}},
			{CatchAll: true, Then: plan.Then{RejectCause: 1}},
		},
		[]plan.Rule{
			{Match: plan.Match{Called: "0[1-3]xxxxxxxxx"}},
			{Match: plan.Match{Called: "00[1-9]xxxx."}},
			{Match: plan.Match{Called: "999"}},
		},
	))
	for typed, want := range map[string]struct {
		stage         decide.Stage
		longer, timer string
		ms            int
	}{
		"":                 {decide.StageEmpty, "20", "first", 9000},
		"2":                {decide.StagePartial, "20", "partial", 5000},
		"20":               {decide.StageWaiting, "2000", "critical", 3000},
		"200":              {decide.StagePartial, "2000", "partial", 5000},
		"2000":             {decide.StageComplete, "", "", 0},
		"20001":            {decide.StageImpossible, "", "", 0},
		"112":              {decide.StageComplete, "1120", "", 0}, // an emergency number waits for no extension
		"113":              {decide.StagePartial, "1130", "partial", 5000},
		"1120":             {decide.StageComplete, "", "", 0},
		"9":                {decide.StagePartial, "9999", "partial", 5000},
		"9019149808":       {decide.StagePartial, "901914980800", "partial", 5000},
		"901914980850":     {decide.StageComplete, "", "", 0}, // the open rule 9x. alone would wait
		"900441":           {decide.StagePartial, "9004410", "partial", 5000},
		"90044191":         {decide.StageWaiting, "900441910", "critical", 3000},
		"9999":             {decide.StageComplete, "", "", 0},
		"7777901914980850": {decide.StageComplete, "", "", 0},
		"77112":            {decide.StageComplete, "771120", "", 0},
		"50":               {decide.StageComplete, "5000", "", 0},
		"81":               {decide.StageWaiting, "", "critical", 3000}, // T
		"6":                {decide.StageImpossible, "", "", 0},         // the last resort keeps nothing open
	} {
		got := stage(t, s, typed)
		assert.Equal(t, want.stage, got.Stage, "%q: %s", typed, got.Why)
		assert.Equal(t, want.longer, got.Longer, "%q: %s", typed, got.Why)
		assert.Equal(t, want.timer, got.Timer, typed)
		assert.Equal(t, want.ms, got.Millis, typed)
	}
	got := stage(t, s, "20")
	assert.Equal(t, "t0-r1", got.Rule.ID)
	assert.Equal(t, "t0-r0", got.Other.ID)
	got = stage(t, s, "90191")
	require.Len(t, got.Tables, 2)
	assert.Equal(t, "0191", got.Tables[1].Called.Number.String())
	assert.Equal(t, []decide.OpenRule{{Rule: trail.Ref{Kind: "rule", ID: "t1-r0", Name: "t1-r0"}, Pattern: "0[1-3]xxxxxxxxx", GoesOn: true}}, got.Tables[1].Rules)
}

func TestCollectionKnowsFormsCallersAndTheHour(t *testing.T) {
	p := calltest.OneByOne(
		[]plan.Rule{
			{Match: plan.Match{Called: "0x."}, CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.National}}, Then: plan.Then{Table: "t1"}},
			{Match: plan.Match{Called: "3x", Caller: "3xxx"}},
			{Match: plan.Match{Called: "4xx", When: plan.When{Calendar: "office", States: []string{"day"}}}},
			{Match: plan.Match{Called: "4x", When: plan.When{Calendar: "office", States: []string{"night"}}}},
		},
		[]plan.Rule{{Match: plan.Match{Called: "+441914980xxx"}}},
	)
	p.Tables[1].Format = numbering.E164
	s := calltest.Compile(t, p)
	assert.Equal(t, decide.StagePartial, stage(t, s, "0191498010").Stage)
	assert.Equal(t, decide.StageComplete, stage(t, s, "01914980101").Stage)
	assert.Equal(t, decide.StageImpossible, stage(t, s, "02").Stage, "the table behind takes no such number")
	assert.Equal(t, decide.StageImpossible, stage(t, s, "3").Stage, "the rule is for other callers")
	call := decide.Call{Trunk: "phones", Called: digits.MustNumber("41"), Caller: callerid.Of(digits.MustNumber("2001")), At: friday}
	c, _ := s.Collect(call)
	assert.Equal(t, decide.StagePartial, c.Stage)
	call.At = sunday
	c, _ = s.Collect(call)
	assert.Equal(t, decide.StageComplete, c.Stage)
}

// The sets are held to a slow twin that dials every number of a small world whole and
// looks at the trail: random plans of three tables that send on to each other.
func TestCollectionAgreesWithDialling(t *testing.T) {
	patterns := []string{"", "0x", "1", "1x", "10x", "2x.", "[01]2", "x[12]x", "12T", "0x.", "xx", "210"}
	steps := [][]rewrite.Step{nil, nil, {{Op: rewrite.RemoveFirst, Count: 1}}, {{Op: rewrite.AddPrefix, Digits: "1"}}, {{Op: rewrite.KeepLast, Count: 2}}, {{Op: rewrite.ReplacePrefix, Prefix: "1", Digits: "2"}}, {{Op: rewrite.RemoveLast, Count: 1}}, {{Op: rewrite.ReplaceAll, Digits: "10"}}}
	rapid.Check(t, func(t *rapid.T) {
		tables := make([][]plan.Rule, 3)
		for i := range tables {
			for range rapid.IntRange(1, 4).Draw(t, "rules") {
				r := plan.Rule{
					Match: plan.Match{Called: rapid.SampledFrom(patterns).Draw(t, "called")}, CalledSteps: rapid.SampledFrom(steps).Draw(t, "steps"),
					CatchAll: rapid.IntRange(0, 5).Draw(t, "last") == 0,
				}
				if to := i + rapid.IntRange(0, 2).Draw(t, "to"); to > i && to < len(tables) {
					r.Then.Table = fmt.Sprint("t", to)
				} else if !r.CatchAll {
					r.Complete = rapid.SampledFrom([]string{"", plan.CompleteAtOnce, plan.CompleteWait}).Draw(t, "complete")
				}
				tables[i] = append(tables[i], r)
			}
		}
		s, problems := decide.Compile(calltest.OneByOne(tables...))
		require.Empty(t, problems)
		world := []string{""}
		for i := 0; i < len(world); i++ {
			if len(world[i]) < 5 {
				world = append(world, world[i]+"0", world[i]+"1", world[i]+"2")
			}
		}
		type how struct{ taken, once, timed bool }
		twin := map[string]how{}
		for _, n := range world {
			twin[n] = func() (h how) {
				e, _ := s.Begin(decide.Call{Trunk: "phones", Called: digits.MustNumber(n), Caller: callerid.Of(digits.MustNumber("2001"))})
				var last plan.Rule
				emergency := false
				for _, step := range e.Trail() {
					emergency = emergency || step.TookPath != nil && step.TookPath.Emergency
					if step.LookedUp == nil || step.LookedUp.Winner == nil {
						continue
					}
					for _, rules := range tables {
						for _, r := range rules {
							if r.ID == step.LookedUp.Winner.ID {
								last = r
							}
						}
					}
					if last.CatchAll {
						return how{}
					}
					if last.Match.Called != "" && digits.MustCompile(last.Match.Called).Dialled(step.LookedUp.Called.Number).Waits {
						h.timed = true
					}
				}
				_, ended := e.Ended()
				if ended || last.Then.Table != "" {
					return how{} // no rule took it, or its steps could not act
				}
				return how{true, last.Complete == plan.CompleteAtOnce || last.Complete == "" && emergency, h.timed}
			}()
		}
		for _, n := range world {
			if len(n) == 5 {
				continue
			}
			more := false
			for m, h := range twin {
				more = more || h.taken && len(m) > len(n) && m[:len(n)] == n
			}
			got, h := stage(t, s, n), twin[n]
			want := decide.StageImpossible
			switch {
			case n == "" && (more || h.taken):
				want = decide.StageEmpty
			case h.taken && h.once:
				want = decide.StageComplete
			case h.taken && (h.timed || more):
				want = decide.StageWaiting
			case h.taken:
				want = decide.StageComplete
			case more:
				want = decide.StagePartial
			}
			// A number that only one outside the twin's world completes.
			if _, known := twin[got.Longer]; got.Longer != "" && !known {
				continue
			}
			require.Equal(t, want, got.Stage, "%q: %s", n, got.Why)
			if got.Longer != "" {
				require.True(t, twin[got.Longer].taken, "%q goes on as %s", n, got.Longer)
			}
		}
	})
}
