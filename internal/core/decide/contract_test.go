package decide_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

// A caller that a contract cannot write never costs the call: it is removed, or sent as it
// is, and the trail names the caller.
func TestACallerThatCannotBeWrittenDoesNotCostTheCall(t *testing.T) {
	strict := plan.Contract{Caller: plan.Formats{Domestic: numbering.E164, International: numbering.E164, Extension: plan.Refuse}}
	for fallback, want := range map[string]string{"": "", plan.CallerRemoved: "", plan.CallerAsIs: "2001"} {
		p := calltest.Small("GB")
		strict.CallerFallback = fallback
		p.Trunks[1].Out = strict
		res, err := calltest.Compile(t, p).Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber("901632960850"), Caller: callerid.Of(digits.MustNumber("2001"))}, decide.Suppose{})
		require.NoError(t, err)
		assert.Equal(t, trail.Answered, res.Outcome)
		assert.Equal(t, want, res.Caller, fallback)
		assert.Contains(t, trail.Text(res.Steps), "contract of one: caller number as e164; 2001")
	}
}

// A caller without a number gets none by steps that only add to one.
func TestAnonymousStaysAnonymous(t *testing.T) {
	p := calltest.Small("GB")
	p.Tables[0].Rules[0].CallerSteps = []rewrite.Step{{Op: rewrite.AddPrefix, Digits: "0"}, {Op: rewrite.InterpretAs, Format: numbering.National}}
	call := decide.Call{Trunk: "phones", Called: digits.MustNumber("901632960850"), Caller: callerid.Read("anonymous")}
	res, err := calltest.Compile(t, p).Dry(call, decide.Suppose{})
	require.NoError(t, err)
	assert.Empty(t, res.Caller, trail.Text(res.Steps))
	p.Tables[0].Rules[0].CallerSteps = []rewrite.Step{{Op: rewrite.ReplaceAll, Digits: "+441914980100"}}
	res, err = calltest.Compile(t, p).Dry(call, decide.Suppose{})
	require.NoError(t, err)
	assert.Empty(t, res.Caller, "who asks to be withheld is, whatever number a rule gives")
}

// A caller step that cannot act takes back what the steps before it did, and says so.
func TestACallerStepThatFailsSaysThatItWentBack(t *testing.T) {
	p := calltest.Small("GB")
	p.Tables[0].Rules[0].CallerSteps = []rewrite.Step{{Op: rewrite.AddPrefix, Digits: "9"}, {Op: rewrite.RemoveFirst, Count: 20}}
	res, err := calltest.Compile(t, p).Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber("901632960850"), Caller: callerid.Of(digits.MustNumber("2001"))}, decide.Suppose{})
	require.NoError(t, err)
	assert.Equal(t, "2001", res.Caller)
	assert.Contains(t, trail.Text(res.Steps), "the caller number returns to 2001")
}

// Caller patterns are written in the form of the table, as called ones are, whatever form
// the far end gives: national numbers with the international prefix in front are foreign.
func TestCallerPatternsFollowTheFormOfTheTable(t *testing.T) {
	for _, c := range []struct {
		form          numbering.Format
		given, caller string
		want          bool
	}{
		{numbering.E164, "+493012345678", "+4930x.", true}, {numbering.National, "00493012345678", "+4930x.", true}, {numbering.International, "00493012345678", "+4930x.", true},
		{numbering.National, "02079460850", "+4420x.", true}, {numbering.National, "02079460850", "+49x.", false}, {numbering.E164Bare, "442079460850", "+4420x.", true},
		{numbering.NationalBare, "2079460850", "+4420x.", true},
	} {
		p := calltest.Small("GB")
		p.Trunks[1].In = plan.Inbound{CalledFormat: numbering.E164, CallerFormat: c.form}
		p.Trunks[1].InboundTable = "world"
		p.Tables[1].Format = numbering.E164
		p.Tables[1].Rules = []plan.Rule{{ID: "known", Name: "Known", Match: plan.Match{Caller: c.caller}, Then: plan.Then{Destination: "desk"}}}
		res, err := calltest.Compile(t, p).Dry(decide.Call{Trunk: "one", Called: digits.MustNumber("+441914980100"), Caller: callerid.Of(digits.MustNumber(c.given))}, decide.Suppose{})
		require.NoError(t, err)
		assert.Equal(t, c.want, res.Outcome == trail.Answered, "%s as %s against %s: %s", c.given, c.form, c.caller, trail.Text(res.Steps))
		if c.want {
			assert.Equal(t, c.given, res.Caller, "it travels as it came")
		}
	}
}

// A phone system that dials a prefix for an outside line is shown callers behind it.
func TestAContractPutsAPrefixBeforeCallers(t *testing.T) {
	p := calltest.Small("GB")
	p.Trunks[1].InboundTable, p.Trunks[1].In = "world", plan.Inbound{CalledFormat: numbering.E164, CallerFormat: numbering.E164}
	p.Tables[1].Rules = []plan.Rule{{ID: "desk", Name: "Desk", Then: plan.Then{Destination: "desk"}}}
	p.Trunks[0].Out.Caller = plan.Formats{Domestic: numbering.National, International: numbering.International, Prefix: "9"}
	for given, want := range map[string]string{"+442079460850": "902079460850", "+493012345678": "900493012345678"} {
		res, err := calltest.Compile(t, p).Dry(decide.Call{Trunk: "one", Called: digits.MustNumber("+441914980100"), Caller: callerid.Of(digits.MustNumber(given))}, decide.Suppose{})
		require.NoError(t, err)
		assert.Equal(t, want, res.Caller, trail.Text(res.Steps))
	}
	p.Trunks[0].Out.Caller.Domestic = numbering.E164
	_, problems := decide.Compile(p)
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Reason, "does not fit numbers with +")
}

// Own public numbers that are dialled outside stay inside, unless the switch is told to send
// them out, and the trail says where they would have left.
func TestOwnPublicNumbersStayInside(t *testing.T) {
	for setting, want := range map[string]bool{"": true, plan.OwnNumbersInside: true, plan.OwnNumbersOutside: false} {
		res := dry(t, "2001", "9 0191 498 0150", "", decide.Suppose{}, func(p *plan.Plan) { p.Switches[0].OwnNumbers = setting })
		text := trail.Text(res.Steps)
		assert.Equal(t, want, strings.Contains(text, "in inventory: destination quay-extensions instead of path national"), "%q: %s", setting, text)
		assert.Equal(t, want, res.Called == "2050", text)
	}
	res := dry(t, "2201", "9 0191 498 0150", "", decide.Suppose{}, nil)
	assert.Equal(t, trail.Answered, res.Outcome, "who may call inside may call it: %s", trail.Text(res.Steps))
	res = dry(t, "ostrel", "+441914980150", "+442079460850", decide.Suppose{}, nil)
	assert.NotContains(t, trail.Text(res.Steps), "is our own", "a call from outside is for it")
}

// A destination that leads outside is a call of the class of the number that is sent.
func TestTheClassOfADestinationOutsideIsThatOfItsNumber(t *testing.T) {
	p := calltest.Small("GB")
	p.CallerGroups = []plan.CallerGroup{{ID: "office", Name: "Office", Permissions: []plan.Permission{{Class: numbering.ClassInternal}, {Class: numbering.ClassNational}}}}
	p.Destinations = append(p.Destinations, plan.Destination{ID: "out", Name: "Out", Kind: "outside", Trunk: "one"})
	p.Tables[0].Rules = []plan.Rule{{ID: "short", Name: "Short", Match: plan.Match{Called: "20"}, Then: plan.Then{Destination: "out"}}}
	for number, allowed := range map[string]bool{"+449098790123": false, "09098790123": false, "00442079460850": true, "02079460850": true, "+442079460850": true, "001617555": false} {
		p.Destinations[1].Number = number
		res, err := calltest.Compile(t, p).Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber("20"), Caller: callerid.Of(digits.MustNumber("2001"))}, decide.Suppose{})
		require.NoError(t, err)
		assert.Equal(t, allowed, res.Outcome == trail.Answered, "%s: %s", number, trail.Text(res.Steps))
	}
}

// A number is incomplete where this caller could dial a longer one now, all the way to
// where it goes; rules for others, for other hours, and tables that take nothing do not
// make it so.
func TestOnlyNumbersThatCouldGoOnAreIncomplete(t *testing.T) {
	p := calltest.Small("GB")
	p.Tables[0].Rules = []plan.Rule{
		{ID: "other", Name: "Other", Match: plan.Match{Called: "3xxx", Caller: "9999"}, Then: plan.Then{Path: "out"}},
		{ID: "from", Name: "From", Match: plan.Match{Called: "4xxx", Trunks: []string{"one"}}, Then: plan.Then{Path: "out"}},
		{ID: "behind", Name: "Behind", Match: plan.Match{Called: "5xxx"}, Then: plan.Then{Table: "world"}},
		{ID: "mine", Name: "Mine", Match: plan.Match{Called: "6xxx"}, Then: plan.Then{Path: "out"}},
		{ID: "wrong", Name: "Wrong", Match: plan.Match{Called: "7xxx"}, CatchAll: true, Then: plan.Then{Destination: "desk"}},
	}
	p.Tables[1].Rules = []plan.Rule{{ID: "nothing", Name: "Nothing", Match: plan.Match{Called: "8x."}, Then: plan.Then{Path: "out"}}}
	s := calltest.Compile(t, p)
	for dial, want := range map[string]int{"3": 404, "4": 404, "5": 404, "6": 484, "66": 484, "7": 404, "2": 404} {
		res, err := s.Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber(dial), Caller: callerid.Of(digits.MustNumber("2001"))}, decide.Suppose{})
		require.NoError(t, err)
		assert.Equal(t, want, res.Cause.SIP, "%s: %s", dial, trail.Text(res.Steps))
	}
}

// A refusal of a number says if it did not leave in the form that the contract names.
func TestARefusalSaysWhatMayBeWrongWithTheForm(t *testing.T) {
	p := calltest.Small("GB")
	p.Trunks[1].Out.Called = plan.Formats{}
	p.Trunks[1].FarEndSettings.OutboundFormat = numbering.E164
	refused := func(status int) string {
		res, err := calltest.Compile(t, p).Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber("901632960850"), Caller: callerid.Of(digits.MustNumber("2001"))},
			decide.Suppose{Hears: map[string]decide.Report{"one": {Kind: trail.ReportRefused, Status: status}}})
		require.NoError(t, err)
		for _, s := range res.Steps {
			if s.Heard != nil && s.Heard.Trunk.ID == "one" {
				return s.Heard.Hint
			}
		}
		t.Fatal("it was not asked")
		return ""
	}
	assert.Contains(t, refused(404), "called number sent as 01632960850, expected e164")
	assert.Empty(t, refused(486), "a busy line says nothing of numbers")
	p.Tables[1].Rules[0].CalledSteps = []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.National}, {Op: rewrite.ReplaceAll, Digits: "+441632960850"}}
	assert.Empty(t, refused(404), "it left as it should")
}
