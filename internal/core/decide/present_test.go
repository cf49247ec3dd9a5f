package decide_test

import (
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

// presented are the steps that tell who a far end is shown, each before the call is sent there.
func presented(t require.TestingT, steps []trail.Step) (out []*trail.Presented) {
	for i, s := range steps {
		if s.Presented != nil {
			out = append(out, s.Presented)
			require.NotNil(t, steps[i+1].Sent)
			require.Equal(t, s.Presented.Trunk, steps[i+1].Sent.Trunk)
		}
	}
	return out
}

// Who is shown follows from who called and from the plan, for any caller, rule and country: one
// who asks to be withheld is, but in an emergency, and each part has its source.
func TestWhoIsShown(t *testing.T) {
	countries := numbering.Countries()
	given := map[string][]rewrite.Step{
		"nothing":  nil,
		"prefix":   {{Op: rewrite.AddPrefix, Digits: "01"}},
		"whole":    {{Op: rewrite.ReplaceAll, Digits: "4100"}},
		"form":     {{Op: rewrite.InterpretAs, Format: numbering.Private}},
		"too much": {{Op: rewrite.AddPrefix, Digits: "7"}, {Op: rewrite.RemoveFirst, Count: 30}},
	}
	rapid.Check(t, func(t *rapid.T) {
		p := calltest.Small(rapid.SampledFrom(countries).Draw(t, "country"))
		steps := rapid.SampledFrom([]string{"nothing", "prefix", "whole", "form", "too much"}).Draw(t, "steps")
		p.Tables[1].Rules[0].CallerSteps = given[steps]
		caller := callerid.Read(rapid.SampledFrom([]string{"2001", "", "anonymous", "desk", "442079460850"}).Draw(t, "caller"))
		caller.Name = rapid.SampledFrom([]string{"", "Front Desk"}).Draw(t, "name")
		if rapid.Bool().Draw(t, "withheld") {
			caller.Presentation = callerid.Restricted
		}
		called := "90850"
		s, problems := decide.Compile(p)
		require.Empty(t, problems)
		emergency := rapid.Bool().Draw(t, "emergency")
		if region, err := numbering.NewRegion(p.Switches[0].Region.Country, ""); emergency && err == nil && len(region.Emergency()) > 0 {
			called = region.Emergency()[0].String()
		} else {
			emergency = false
		}
		call := decide.Call{Trunk: "phones", Called: digits.MustNumber(called), Caller: caller}
		emergency = emergency || s.IsEmergencyCall(call)
		res, err := s.Dry(call, busyThenAnswered)
		require.NoError(t, err)
		list := presented(t, res.Steps)
		require.NotEmpty(t, list, trail.Text(res.Steps))
		for _, got := range list {
			empty := got.Number.Number.Empty()
			switch {
			case caller.Presentation == callerid.Restricted && (!emergency || empty):
				require.Equal(t, callerid.Restricted, got.Presentation, trail.Text(res.Steps))
			case empty:
				require.Equal(t, callerid.Unavailable, got.Presentation)
			default:
				require.Equal(t, callerid.Allowed, got.Presentation)
			}
			require.Equal(t, got.Note != "", caller.Presentation == callerid.Restricted && got.Presentation == callerid.Allowed)
			changed := steps == "whole" || steps == "prefix" && !caller.Number.Number.Empty()
			require.Equal(t, changed, got.Screening == callerid.NetworkProvided, trail.Text(res.Steps))
			if changed {
				require.Equal(t, "all", got.NumberBy.ID)
			} else {
				require.Equal(t, "phones", got.NumberBy.ID)
			}
			if got.Presentation == callerid.Allowed {
				require.Equal(t, caller.Name, got.Name)
			} else {
				require.Empty(t, got.Name)
			}
		}
		for _, step := range res.Steps {
			if step.Sent != nil && list[0].Presentation != callerid.Allowed {
				require.True(t, step.Sent.Caller.Number.Empty(), trail.Text(res.Steps))
			}
		}
	})
}

// What one choice of a path does to the caller is not told of the next.
func TestAChoiceOfAPathGivesTheCallerForItselfAlone(t *testing.T) {
	p := calltest.Small("GB")
	p.Paths[0].Choices[0].CallerSteps = []rewrite.Step{{Op: rewrite.ReplaceAll, Digits: "01914980100"}}
	p.Paths[0].FailoverCauses = []int{17} // busy
	res, err := calltest.Compile(t, p).Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber("901914980850"), Caller: callerid.Of(digits.MustNumber("2001"))}, busyThenAnswered)
	require.NoError(t, err)
	list := presented(t, res.Steps)
	require.Len(t, list, 2)
	assert.Equal(t, trail.Ref{Kind: "path", ID: "out", Name: "Out"}, *list[0].NumberBy)
	assert.Equal(t, callerid.NetworkProvided, list[0].Screening)
	assert.Equal(t, "phones", list[1].NumberBy.ID)
	assert.Equal(t, callerid.NotScreened, list[1].Screening)
}

// The tag of a trunk precedes the name, and is alone where there is none.
func TestTheTagIsPartOfTheName(t *testing.T) {
	p := calltest.Small("GB")
	p.Tables[1].Rules[0].Then = plan.Then{Destination: "desk"}
	p.Trunks[1].NamePrefix = "Bookings"
	s := calltest.Compile(t, p)
	for _, c := range []struct {
		caller callerid.Caller
		want   string
	}{
		{callerid.Caller{Number: numbering.Written{Number: digits.MustNumber("02079460850")}, Name: "Crew mess"}, "Bookings: Crew mess"},
		{callerid.Caller{Number: numbering.Written{Number: digits.MustNumber("02079460850")}, Name: "Crew mess", Presentation: callerid.Restricted}, "Bookings"},
		{callerid.Caller{}, "Bookings"},
	} {
		res, err := s.Dry(decide.Call{Trunk: "one", Called: digits.MustNumber("2000"), Caller: c.caller}, decide.Suppose{})
		require.NoError(t, err)
		assert.Equal(t, c.want, presented(t, res.Steps)[0].Name)
	}
}
