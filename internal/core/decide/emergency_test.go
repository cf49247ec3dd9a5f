package decide_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

var busyThenAnswered = decide.Suppose{Hears: map[string]decide.Report{"one": {Kind: trail.ReportRefused, Status: 486}}}

// Whatever a plan puts in its way, an emergency call of a phone reaches the second trunk
// after the first is busy: groups that may nothing, rules that are for others, hours that
// are past, contracts that refuse, a limit of tries, trunks that are full.
func TestNothingHoldsAnEmergencyCallBack(t *testing.T) {
	countries := numbering.Countries()
	rapid.Check(t, func(t *rapid.T) {
		country := rapid.SampledFrom(countries).Draw(t, "country")
		region, err := numbering.NewRegion(country, "")
		require.NoError(t, err)
		if len(region.Emergency()) == 0 {
			return
		}
		number := rapid.SampledFrom(region.Emergency()).Draw(t, "number").String()
		p := calltest.Small(country)
		p.CallerGroups = []plan.CallerGroup{{ID: "nobody", Name: "Nobody"}, {ID: "others", Name: "Others", CallerPattern: "9999", Permissions: []plan.Permission{{Class: numbering.ClassNational}}}}
		p.Calendars = []plan.Calendar{{ID: "shop", Name: "Shop", OverrideOnlyStates: []string{"open"}, DefaultState: "shut", Week: []hours.Weekly{}}}
		draw := func(name string) bool { return rapid.Bool().Draw(t, name) }
		for i := range p.Tables {
			for j := range p.Tables[i].Rules {
				r := &p.Tables[i].Rules[j]
				if draw("for") {
					r.CallerGroups = []string{"others"}
				}
				if draw("hours") {
					r.Match.When = plan.When{Calendar: "shop", States: []string{"open"}}
				}
			}
		}
		if draw("wrong numbers") {
			p.Tables[1].Rules = append(p.Tables[1].Rules, plan.Rule{ID: "wrong", Name: "Wrong", CatchAll: true, Then: plan.Then{Destination: "desk"}})
		}
		suppose := busyThenAnswered
		if draw("full") {
			suppose.Full = map[string]bool{"one": true}
		}
		if draw("contract") {
			p.Trunks[2].Out = plan.Contract{Called: plan.Formats{Domestic: numbering.E164, Emergency: plan.Refuse, Extension: plan.Refuse}, Caller: plan.Formats{Domestic: numbering.E164, International: numbering.E164, Extension: plan.Refuse}}
		}
		p.Paths[0].MaxAttempts = rapid.IntRange(0, 1).Draw(t, "tries")
		dial := rapid.SampledFrom([]string{"", "9"}).Draw(t, "prefix") + number
		if region.IsEmergency(digits.MustNumber(dial)) && dial != number || number[0] == '9' && dial == number {
			return // the prefix and the number are one
		}
		s, problems := decide.Compile(p)
		require.Empty(t, problems)
		call := decide.Call{Trunk: "phones", Called: digits.MustNumber(dial), Caller: callerid.Of(digits.MustNumber("2001")), At: time.Unix(0, 0)}
		res, err := s.Dry(call, suppose)
		require.NoError(t, err)
		require.Equal(t, trail.Answered, res.Outcome, trail.Text(res.Steps))
		require.Equal(t, number, res.Called, trail.Text(res.Steps))
		require.Equal(t, "two", res.Attempts[len(res.Attempts)-1].Trunk)
		require.True(t, s.IsEmergencyCall(call))

		call.Trunk = "two"
		require.False(t, s.IsEmergencyCall(call), "a carrier's call to it is none of ours")
	})
}

func TestACarriersCallToAnEmergencyNumberHasNoPrivilege(t *testing.T) {
	p := calltest.Small("DE")
	p.CallerGroups = []plan.CallerGroup{{ID: "nobody", Name: "Nobody"}}
	s := calltest.Compile(t, p)
	res, err := s.Dry(decide.Call{Trunk: "two", Called: digits.MustNumber("112")}, busyThenAnswered)
	require.NoError(t, err)
	assert.Equal(t, trail.Refused, res.Outcome)
	assert.Contains(t, trail.Text(res.Steps), "Nobody: no permission for emergency calls")
}

// What is known against a trunk may be wrong by now: an emergency call tries it when all
// else has failed, and other calls do not.
func TestAnEmergencyCallTriesLastWhatWasPassedOver(t *testing.T) {
	s := calltest.Compile(t, calltest.Small("GB"))
	suppose := decide.Suppose{Down: map[string]bool{"one": true}, Hears: map[string]decide.Report{"two": {Kind: trail.ReportRefused, Status: 503}}}
	call := decide.Call{Trunk: "phones", Called: digits.MustNumber("999"), Caller: callerid.Of(digits.MustNumber("2001"))}
	res, err := s.Dry(call, suppose)
	require.NoError(t, err)
	var tried []string
	for _, a := range res.Attempts {
		tried = append(tried, fmt.Sprintf("%s %t", a.Trunk, a.Skipped))
	}
	assert.Equal(t, []string{"one true", "two false", "one false"}, tried)
	call.Called = digits.MustNumber("01632960850")
	res, err = s.Dry(call, suppose)
	require.NoError(t, err)
	assert.Len(t, res.Attempts, 2)
}

// Source: RFC 5031. A call to an emergency service by its URN is one to the number that
// the service has at the site.
func TestACallToAServiceURN(t *testing.T) {
	p := calltest.Small("DE")
	p.CallerGroups = []plan.CallerGroup{{ID: "nobody", Name: "Nobody"}}
	p.Switches[0].Region.Emergency = []plan.EmergencyNumber{{Number: "110", Service: "police"}, {Number: "2222", Service: "fire"}}
	s := calltest.Compile(t, p)
	for urn, want := range map[string]string{"urn:service:sos": "112", "urn:service:sos.police": "110", "urn:service:sos.fire": "2222", "urn:service:sos.gas": "112"} {
		res, err := s.Dry(decide.Call{Trunk: "phones", Service: urn, CalledText: urn, Caller: callerid.Of(digits.MustNumber("2001"))}, busyThenAnswered)
		require.NoError(t, err)
		assert.Equal(t, want, res.Called, urn)
		assert.Equal(t, trail.Answered, res.Outcome, trail.Text(res.Steps))
		assert.Contains(t, trail.Text(res.Steps), urn+" is "+want+" here")
	}
}

// Switches that send emergency calls to each other do not multiply them: a call that comes
// back is known by itself, and each switch sees it once.
func TestEmergencyCallsDoNotGoRoundBetweenSwitches(t *testing.T) {
	p := plan.New("ring")
	for i := range 5 {
		p.Switches = append(p.Switches, plan.Switch{ID: fmt.Sprint("s", i), Name: fmt.Sprint("S", i), Region: plan.Region{Country: "GB"}, Listeners: plan.Listeners{SIP: plan.SIPListener{Address: fmt.Sprintf("127.1.%d.1:5060", i)}}})
	}
	p.FarEnds = []plan.FarEnd{{ID: "phones", Name: "Phones", Kind: plan.PhoneSystem}}
	p.Trunks = []plan.Trunk{{ID: "phones", Name: "Phones", Switch: "s0", FarEnd: "phones", Channels: 1, InboundTable: "t0", Link: plan.Link{SIP: &plan.SIP{RemoteAddress: "127.1.9.1:5060", TrustedAddresses: []string{"127.1.9.1"}}}}}
	for i := range 5 {
		path := plan.Path{ID: fmt.Sprint("p", i), Name: "Out", Switch: fmt.Sprint("s", i)}
		for j := range 5 {
			if i != j {
				id := fmt.Sprintf("x%d%d", i, j)
				p.Trunks = append(p.Trunks, plan.Trunk{ID: id, Name: id, Switch: fmt.Sprint("s", i), OppositeTrunk: fmt.Sprintf("x%d%d", j, i), Channels: 1, InboundTable: fmt.Sprint("t", i), Link: plan.Link{SIP: &plan.SIP{RemoteAddress: fmt.Sprintf("127.1.%d.1:5060", j), TrustedAddresses: []string{fmt.Sprintf("127.1.%d.1", j)}}}})
				path.Choices = append(path.Choices, plan.Choice{Trunk: id})
			}
		}
		p.Paths = append(p.Paths, path)
		p.Tables = append(p.Tables, plan.Table{ID: fmt.Sprint("t", i), Name: "T", Switch: fmt.Sprint("s", i), Order: plan.AsListed, Rules: []plan.Rule{{ID: fmt.Sprint("r", i), Name: "All", Then: plan.Then{Path: fmt.Sprint("p", i)}}}})
	}
	s := calltest.Compile(t, p)
	res, err := s.Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber("999")}, decide.Suppose{})
	require.NoError(t, err)
	assert.NotEqual(t, trail.Answered, res.Outcome)
	assert.LessOrEqual(t, len(res.Attempts), 4+4*4, "each switch offers it to each other once")
	assert.Contains(t, fmt.Sprint(trail.Text(res.Steps)), "482")

	// A call that looks different each time is bounded too.
	for i := range p.Paths {
		for j := range p.Paths[i].Choices {
			p.Paths[i].Choices[j].CalledSteps = []rewrite.Step{{Op: rewrite.AddSuffix, Digits: "1"}}
		}
	}
	res, err = calltest.Compile(t, p).Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber("999")}, decide.Suppose{})
	require.NoError(t, err)
	offered := 0
	for _, a := range res.Attempts {
		if !a.Skipped {
			offered++
		}
	}
	assert.LessOrEqual(t, offered, 2*decide.MaxAttempts)
}

func TestATrunkIsNotItsOwnOpposite(t *testing.T) {
	p := calltest.Small("GB")
	p.Trunks[1].FarEnd, p.Trunks[1].OppositeTrunk = "", "one"
	_, problems := decide.Compile(p)
	require.Len(t, problems, 1)
	assert.Contains(t, problems[0].Reason, "its own opposite")
	p.Trunks[1].OppositeTrunk, p.Trunks[2].FarEnd, p.Trunks[2].OppositeTrunk = "two", "", "one"
	_, problems = decide.Compile(p)
	require.Len(t, problems, 2)
	assert.Contains(t, problems[0].Reason, "is also on switch sw")
}
