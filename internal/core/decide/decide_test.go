package decide_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

// dry decides one call of the demo, after a change to its plan.
func dry(t *testing.T, from, dial, caller string, suppose decide.Suppose, change func(p *plan.Plan)) decide.Result {
	p := calltest.Plan(t, "skerry-line")
	if change != nil {
		change(&p)
	}
	s := calltest.Compile(t, p)
	call, err := s.CallFrom(from, dial, caller)
	require.NoError(t, err)
	res, err := s.Dry(call, suppose)
	require.NoError(t, err)
	return res
}

func outside(p *plan.Plan, i int) *plan.Rule { return &p.Tables[1].Rules[i] }

func TestCompileRefusesAnInvalidPlan(t *testing.T) {
	p := calltest.Plan(t, "skerry-line")
	p.Tables[0].Rules[0].Then = plan.Then{}
	s, problems := decide.Compile(p)
	assert.Nil(t, s)
	assert.Len(t, problems, 1)
}

func TestContractBreachSkipsTheTrunkAndSaysSo(t *testing.T) {
	// Without "read as national" nobody knows the number's form; 0… is not +44….
	res := dry(t, "2001", "901914980850", "", decide.Suppose{}, func(p *plan.Plan) { outside(p, 1).CalledSteps = nil; calltest.WithoutGroups(p) })
	require.Len(t, res.Attempts, 2)
	assert.Equal(t, trail.Attempt{Switch: "quay", Trunk: "ostrel", Called: "01914980850", Caller: "01914980101", Skipped: true, Reason: "contract"}, res.Attempts[0])
	assert.Equal(t, "penhallow", res.Attempts[1].Trunk, "Penhallow wants 0… and takes it")
	assert.Equal(t, trail.Answered, res.Outcome)

	res = dry(t, "2001", "901914980850", "", decide.Suppose{}, func(p *plan.Plan) {
		outside(p, 1).CalledSteps = nil
		calltest.WithoutGroups(p)
		p.Trunks[1].Out.SendAnyway = true
	})
	assert.False(t, res.Attempts[0].Skipped)
	assert.Equal(t, "01914980850", res.Called)
}

func TestContractOutcomeWhenNoTrunkTakesTheForm(t *testing.T) {
	res := dry(t, "2001", "901914980850", "", decide.Suppose{}, func(p *plan.Plan) {
		outside(p, 1).CalledSteps = []rewrite.Step{{Op: rewrite.AddPrefix, Digits: "5"}}
		calltest.WithoutGroups(p)
	})
	assert.Equal(t, trail.Refused, res.Outcome)
	assert.Equal(t, cause.Contract.Code(), res.Cause)
}

func TestEmergencyIsNeverSkippedForContract(t *testing.T) {
	res := dry(t, "2001", "999", "", decide.Suppose{}, func(p *plan.Plan) {
		p.Tables[0].Rules[0].CallerSteps = nil // leaves with the extension as caller
	})
	assert.Equal(t, "ostrel", res.Attempts[0].Trunk)
	assert.False(t, res.Attempts[0].Skipped)
}

func TestPathGoesOnByItsOwnCauses(t *testing.T) {
	busy := decide.Suppose{Hears: map[string]decide.Report{"ostrel": {Kind: trail.ReportRefused, Status: 486}}}
	res := dry(t, "2001", "901914980850", "", busy, nil)
	assert.Len(t, res.Attempts, 1, "busy ends by default")
	res = dry(t, "2001", "901914980850", "", busy, func(p *plan.Plan) { p.Paths[0].FailoverCauses = []int{17} })
	assert.Len(t, res.Attempts, 2)

	congested := decide.Suppose{Hears: map[string]decide.Report{"ostrel": {Kind: trail.ReportRefused, Status: 503}}}
	res = dry(t, "2001", "901914980850", "", congested, func(p *plan.Plan) { p.Paths[0].StopCauses = []int{41} })
	assert.Len(t, res.Attempts, 1)
	res = dry(t, "2001", "901914980850", "", congested, func(p *plan.Plan) { p.Paths[0].MaxAttempts = 1 })
	assert.Equal(t, "tries", res.Attempts[1].Reason)
}

func TestNothingGoesOnAfterRinging(t *testing.T) {
	rang := decide.Suppose{Hears: map[string]decide.Report{"ostrel": {Kind: trail.ReportRefused, Status: 503, Progress: true}}}
	assert.Len(t, dry(t, "2001", "901914980850", "", rang, nil).Attempts, 1)
	assert.Len(t, dry(t, "2001", "901914980850", "", rang, func(p *plan.Plan) { p.Paths[0].FailoverAfterRinging = true }).Attempts, 2)
	assert.Len(t, dry(t, "2001", "999", "", rang, nil).Attempts, 2, "an emergency call goes on all the same")
}

func TestTrustedReasonBeatsTheStatus(t *testing.T) {
	// 404 alone ends (unallocated); with cause 3 there is no route, and it goes on.
	noRoute := decide.Suppose{Hears: map[string]decide.Report{"ostrel": {Kind: trail.ReportRefused, Status: 404, Reason: 3}}}
	assert.Len(t, dry(t, "2001", "901914980850", "", noRoute, nil).Attempts, 2)
}

func TestAChallengeIsNotPassedToTheCaller(t *testing.T) {
	res := dry(t, "2001", "901914980850", "", decide.Suppose{Hears: map[string]decide.Report{"ostrel": {Kind: trail.ReportRefused, Status: 407}}}, func(p *plan.Plan) { p.Paths[0].FailoverCauses = nil })
	assert.Equal(t, cause.Cause{Q850: 21, SIP: 403}, res.Cause)
}

func TestMatchFields(t *testing.T) {
	only := func(m plan.Match) func(p *plan.Plan) {
		return func(p *plan.Plan) {
			p.Tables[0].Rules = []plan.Rule{{ID: "only", Name: "Only", Match: m, Then: plan.Then{Destination: "operator"}}}
		}
	}
	for name, c := range map[string]struct {
		match        plan.Match
		dial, caller string
		want         trail.Outcome
	}{
		"no digits":           {plan.Match{NoDigits: true}, "", "2001", trail.Answered},
		"digits":              {plan.Match{NoDigits: true}, "1", "2001", trail.Refused},
		"no caller":           {plan.Match{NoCaller: true}, "1", "anonymous", trail.Answered},
		"caller, none wanted": {plan.Match{NoCaller: true}, "1", "2001", trail.Refused},
		"caller":              {plan.Match{Caller: "20xx"}, "1", "2001", trail.Answered},
		"another caller":      {plan.Match{Caller: "20xx"}, "1", "2101", trail.Refused},
		"no caller to match":  {plan.Match{Caller: "20xx"}, "1", "anonymous", trail.Refused},
		"from here":           {plan.Match{Trunks: []string{"ostrel", "quay-phones"}}, "1", "2001", trail.Answered},
		"from elsewhere":      {plan.Match{Trunks: []string{"ostrel"}}, "1", "2001", trail.Refused},
		"anything":            {plan.Match{}, "", "anonymous", trail.Answered},
	} {
		assert.Equal(t, c.want, dry(t, "quay-phones", c.dial, c.caller, decide.Suppose{}, only(c.match)).Outcome, name)
	}
}

func TestDisabledRuleIsPassedOver(t *testing.T) {
	res := dry(t, "2001", "2150", "", decide.Suppose{}, func(p *plan.Plan) {
		p.Tables[0].Rules[1].Disabled = true
		p.Tables[0].Rules = slices.DeleteFunc(p.Tables[0].Rules, func(r plan.Rule) bool { return r.CatchAll })
	})
	assert.Equal(t, cause.NoRule.Code(), res.Cause)
}

func TestATrunkWithoutEntryTableRefuses(t *testing.T) {
	res := dry(t, "ostrel", "+441914980123", "", decide.Suppose{}, func(p *plan.Plan) { p.Trunks[1].InboundTable = "" })
	assert.Equal(t, cause.NotPermitted.Code(), res.Cause)
}

func TestACallerThatCannotBeMappedStaysAndIsTold(t *testing.T) {
	res := dry(t, "2001", "901914980850", "", decide.Suppose{}, func(p *plan.Plan) {
		p.Tables[0].Rules[2].Match.Caller = "xxxx"
		p.Tables[0].Rules[2].CallerSteps[0].From.First = "2100"
		p.Tables[0].Rules[2].CallerSteps[0].To.First = "01914980200"
	})
	var failed []string
	for _, s := range res.Steps {
		if s.Rewrote != nil && s.Rewrote.Failed {
			failed = append(failed, s.Rewrote.Note)
		}
	}
	require.Len(t, failed, 1)
	assert.Contains(t, failed[0], "2001 is not in the block 2100 to 2199")
	assert.Equal(t, trail.Answered, res.Outcome, "an extension is no caller ID for a carrier, and that does not cost the call")
	assert.Empty(t, res.Caller)
}

func TestFindSource(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	for _, name := range []string{"ostrel", "Ostrel", "Ostrel Carrier"} {
		src, err := s.FindSource(name)
		require.NoError(t, err, name)
		assert.Equal(t, "ostrel", src.Trunk)
	}
	src, err := s.FindSource("2001")
	require.NoError(t, err)
	assert.Equal(t, "quay-phones", src.Trunk)
	assert.Equal(t, "2001", src.Caller.String())
	_, err = s.FindSource("nobody")
	assert.EqualError(t, err, `unknown source "nobody"; allowed: cape-phones, cape-quay, deskline, harbourbox, island-phones, ostrel, penhallow, quay-cape, quay-phones, tamarack, an extension 2[0-2]xx|23[0-7]x, an extension 2000, an extension 30xx, an extension 41xx, an extension +4420794604[89]x, an extension 4100`)
}

func TestAbandonBetweenOffers(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	call, err := s.CallFrom("2001", "901914980850", "")
	require.NoError(t, err)
	e, ok := s.Begin(call)
	require.True(t, ok)
	_, more := e.Next()
	require.True(t, more)
	e.Abandon()
	_, more = e.Next()
	assert.False(t, more)
	end, ended := e.Ended()
	assert.True(t, ended)
	assert.Equal(t, trail.Abandoned, end.Outcome)
}
