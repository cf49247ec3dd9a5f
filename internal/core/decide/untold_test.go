package decide_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// attempt is an offer as far as a decision without a trail says it.
type attempt struct{ trunk, called, caller string }

// untold decides a case without a trail, in the memory of e.
func untold(s *decide.Snapshot, e *decide.Evaluation, c decide.Call, suppose decide.Suppose, heard func(attempt)) trail.Ended {
	s.Decide(e, c)
	for o, more := e.Next(); more; o, more = e.Next() {
		switch r, known := suppose.Hears[o.Trunk.ID]; {
		case suppose.Down[o.Trunk.ID]:
			e.Report(decide.Report{Kind: trail.ReportUnavailable, Skip: trail.SkipDown})
			continue
		case suppose.Full[o.Trunk.ID]:
			e.Report(decide.Report{Kind: trail.ReportUnavailable, Skip: trail.SkipFull})
			continue
		case known:
			e.Report(r)
		default:
			e.Report(decide.Report{Kind: trail.ReportAnswered})
		}
		if heard != nil {
			heard(attempt{o.Trunk.ID, o.Called.Number.String(), o.Caller.Number.Number.String()})
		}
	}
	end, _ := e.Ended()
	return end
}

func TestADecisionWithoutTrailIsTheSameAndAllocatesNothing(t *testing.T) {
	cases, err := calltest.Cases()
	require.NoError(t, err)
	var e decide.Evaluation // used again and again
	for _, c := range cases {
		if c.Plan != "skerry-line" {
			continue // over several switches the next one's decision is an answer
		}
		t.Run(c.Name, func(t *testing.T) {
			s := calltest.Compile(t, calltest.Plan(t, c.Plan))
			call, err := s.CallFrom(c.From, c.Dial, c.Caller)
			require.NoError(t, err)
			call.At = c.At
			told, err := s.Dry(call, c.Suppose)
			require.NoError(t, err)
			var want, got []attempt
			for _, a := range told.Attempts {
				if !a.Skipped {
					want = append(want, attempt{a.Trunk, a.Called, a.Caller})
				}
			}
			end := untold(s, &e, call, c.Suppose, func(a attempt) { got = append(got, a) })
			assert.Equal(t, want, got)
			assert.Equal(t, told.Outcome, end.Outcome)
			assert.Equal(t, told.Cause, end.Cause)
			assert.Empty(t, end.Why)
			assert.Empty(t, e.Trail())
			assert.Zero(t, testing.AllocsPerRun(10, func() { untold(s, &e, call, c.Suppose, nil) }))
		})
	}
}

func numbered(numbers ...inventory.Number) func(p *plan.Plan) {
	return func(p *plan.Plan) {
		p.Numbers, p.Switches[0].LastResort = inventory.New(numbers), ""
		i := slices.IndexFunc(p.Tables, func(t plan.Table) bool { return t.ID == "carriers-in" })
		p.Tables[i].Rules = []plan.Rule{{ID: "all", Name: "All", Then: plan.Then{Inventory: true}}}
	}
}

func TestInventoryAnswersByNumber(t *testing.T) {
	block := inventory.Number{First: "+442079460400", Last: "+442079460499", State: inventory.Active, Destination: "quay-extensions", Extension: "2300", Gaps: true}
	single := inventory.Number{First: "+442079460450", State: inventory.Active, Destination: "operator"}
	spare := inventory.Number{First: "+442079460460", State: inventory.Spare, Destination: "operator"}
	open := inventory.Number{First: "+442079460461", State: inventory.Active}
	in := func(dial string) decide.Result {
		return dry(t, "ostrel", dial, "", decide.Suppose{}, numbered(block, single, spare, open))
	}
	res := in("+442079460445")
	assert.Equal(t, trail.Answered, res.Outcome)
	assert.Equal(t, "2345", res.Called, "by arithmetic: the 45th after the first")
	assert.Contains(t, trail.Text(res.Steps), "number 442079460400-442079460499, active, destination quay-extensions")
	assert.Equal(t, "2000", in("+442079460450").Called, "a single number inside a block wins")
	for dial, why := range map[string]string{
		"+442079460460": "+442079460460 is spare, not in service",
		"+442079460461": "+442079460461 has no destination",
		"+442079460500": "+442079460500 is not in the inventory",
	} {
		res := in(dial)
		assert.Equal(t, trail.Refused, res.Outcome)
		assert.Equal(t, 404, res.Cause.SIP, "no such number, as the own outcome says")
		assert.Contains(t, trail.Text(res.Steps), why)
	}
}

// A second compile may share what did not change and must see what did.
func TestCompileAfterAnEdit(t *testing.T) {
	p := calltest.Plan(t, "skerry-line")
	first := calltest.Compile(t, p)
	edited := p
	edited.Tables = slices.Clone(p.Tables)
	rules := slices.Clone(p.Tables[1].Rules)
	rules[1].Then = plan.Then{RejectCause: 21}
	edited.Tables[1].Rules = rules
	edited.Paths = slices.Clone(p.Paths)
	for i := range edited.Paths { // an unchanged table must lead to the new path
		edited.Paths[i].Choices = edited.Paths[i].Choices[len(edited.Paths[i].Choices)-1:]
	}
	second, problems := first.Compile(edited)
	require.Empty(t, problems)
	fresh := calltest.Compile(t, edited)
	for _, dial := range []string{"901914980850", "907700900850", "999", "2001", "900"} {
		for _, from := range []string{"2001", "2345"} {
			call, err := second.CallFrom(from, dial, "")
			require.NoError(t, err)
			got, err := second.Dry(call, decide.Suppose{})
			require.NoError(t, err)
			want, err := fresh.Dry(call, decide.Suppose{})
			require.NoError(t, err)
			assert.Equal(t, trail.Text(want.Steps), trail.Text(got.Steps))
		}
	}
	call, err := first.CallFrom("2001", "901914980850", "")
	require.NoError(t, err)
	old, err := first.Dry(call, decide.Suppose{})
	require.NoError(t, err)
	assert.Equal(t, trail.Answered, old.Outcome, "the old snapshot decides as it did")
}

func TestCompileAfterAnEditValidatesWhatItTouches(t *testing.T) {
	p := calltest.Plan(t, "skerry-line")
	first := calltest.Compile(t, p)
	without := p
	without.Paths = nil // the tables are the same memory, but where they lead is gone
	_, problems := first.Compile(without)
	require.NotEmpty(t, problems)
	assert.Equal(t, without.Validate(), problems)
	twice := p
	twice.Tables = slices.Clone(p.Tables)
	twice.Tables[0].Rules = append(slices.Clone(p.Tables[0].Rules), p.Tables[1].Rules[0])
	_, problems = first.Compile(twice)
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Reason, "used by")
}

func TestDisabledRuleOfALargeTableNeverWins(t *testing.T) {
	p := calltest.Plan(t, "skerry-line")
	var rules []plan.Rule
	for i := range 100 {
		rules = append(rules, plan.Rule{ID: string(rune('a'+i%26)) + string(rune('a'+i/26)), Name: "R", Disabled: i == 7, Match: plan.Match{Called: digits.MustNumber("9").String() + string(rune('0'+i/10)) + string(rune('0'+i%10))}, Then: plan.Then{RejectCause: 1}})
	}
	p.Tables[0].Rules = rules
	s := calltest.Compile(t, p)
	for dial, own := range map[string]int{"907": 404, "90": 484, "908": 404, "8": 404} {
		call, err := s.CallFrom("quay-phones", dial, "2001")
		require.NoError(t, err)
		res, err := s.Dry(call, decide.Suppose{})
		require.NoError(t, err)
		assert.Equal(t, own, res.Cause.SIP, dial)
		assert.Equal(t, dial == "908", res.Steps[1].LookedUp.Winner != nil, dial)
	}
}
