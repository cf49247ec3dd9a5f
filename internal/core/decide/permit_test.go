package decide_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/nyaruka/phonenumbers"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

var (
	friday = time.Date(2026, 11, 27, 10, 0, 0, 0, time.UTC)
	sunday = time.Date(2026, 11, 29, 10, 0, 0, 0, time.UTC)
)

// Every group of a small plan calls numbers of every class at two moments; what comes
// of it must be what the matrix says, read by hand. The class of each number is the
// phone-number library's own, not ours.
func TestLeaveIsTheMatrix(t *testing.T) {
	day := plan.When{Calendar: "office", States: []string{"day"}}
	groups := []plan.CallerGroup{
		{ID: "crew", Name: "Crew", CallerPattern: "21xx", Permissions: []plan.Permission{{Class: numbering.ClassInternal}, {Class: numbering.ClassFreephone}}},
		{ID: "office", Name: "Office", CallerPattern: "20xx", Permissions: []plan.Permission{{Class: numbering.ClassInternal}, {Class: numbering.ClassNational}, {Class: numbering.ClassLocal}, {Class: numbering.ClassMobile, When: day}}},
		{ID: "managers", Name: "Managers", CallerPattern: "22xx", Permissions: []plan.Permission{
			{Class: numbering.ClassInternal}, {Class: numbering.ClassLocal}, {Class: numbering.ClassNational}, {Class: numbering.ClassMobile}, {Class: numbering.ClassFreephone},
			{Class: numbering.ClassSharedCost}, {Class: numbering.ClassInternational, When: day}, {Class: numbering.ClassPremium, When: day},
		}},
		{ID: "nobody", Name: "Nobody"},
	}
	s := calltest.Compile(t, calltest.OneRule(groups...))
	asked := 0
	for caller, group := range map[string]plan.CallerGroup{"2100": groups[0], "2001": groups[1], "2200": groups[2], "2300": groups[3]} {
		for _, kind := range []phonenumbers.PhoneNumberType{phonenumbers.FIXED_LINE, phonenumbers.MOBILE, phonenumbers.TOLL_FREE, phonenumbers.PREMIUM_RATE, phonenumbers.SHARED_COST} {
			for _, country := range []string{"GB", "DE"} {
				example := phonenumbers.GetExampleNumberForType(country, kind)
				if example == nil {
					continue // the country has none of the kind
				}
				national := phonenumbers.GetNationalSignificantNumber(example)
				dial, class := "90"+national, map[phonenumbers.PhoneNumberType]numbering.Class{
					phonenumbers.FIXED_LINE: numbering.ClassNational, phonenumbers.MOBILE: numbering.ClassMobile, phonenumbers.TOLL_FREE: numbering.ClassFreephone,
					phonenumbers.PREMIUM_RATE: numbering.ClassPremium, phonenumbers.SHARED_COST: numbering.ClassSharedCost,
				}[kind]
				if country != "GB" {
					dial, class = "900"+fmt.Sprint(example.GetCountryCode())+national, numbering.ClassInternational
				}
				for _, at := range []time.Time{friday, sunday} {
					want := slices.ContainsFunc(group.Permissions, func(l plan.Permission) bool {
						return l.Class == class && (l.When.Always() || at == friday)
					})
					res, err := s.Dry(decide.Call{Trunk: "phones", Called: digits.MustNumber(dial), Caller: callerid.Of(digits.MustNumber(caller)), At: at}, decide.Suppose{})
					require.NoError(t, err)
					assert.Equal(t, want, res.Outcome == trail.Answered, "%s calls %s, %s, on %s: %s", group.Name, dial, class, at.Weekday(), trail.Text(res.Steps))
					if !want {
						assert.Equal(t, cause.Q850(21), res.Cause.Q850)
						assert.Empty(t, res.Attempts, "nothing was sent, and no other rule was asked")
					}
					asked++
				}
			}
		}
	}
	assert.GreaterOrEqual(t, asked, 72)
}

func outcome(t *testing.T, p plan.Plan, c decide.Call) decide.Result {
	res, err := calltest.Compile(t, p).Dry(c, decide.Suppose{})
	require.NoError(t, err)
	return res
}

func TestEmergencyCallsAreNeverHeldBack(t *testing.T) {
	p := calltest.OneRule(plan.CallerGroup{ID: "nobody", Name: "Nobody"})
	p.Tables[0].Rules[0].CallerGroups = []string{"nobody"}
	for _, caller := range []string{"2001", ""} {
		res := outcome(t, p, decide.Call{Trunk: "phones", Called: digits.MustNumber("999"), Caller: callerid.Of(digits.MustNumber(caller))})
		assert.Equal(t, trail.Answered, res.Outcome)
	}
	p.CallerGroups = append([]plan.CallerGroup{{ID: "crew", Name: "Crew", CallerPattern: "21xx"}}, p.CallerGroups...)
	res := outcome(t, p, decide.Call{Trunk: "phones", Called: digits.MustNumber("112"), Caller: callerid.Of(digits.MustNumber("2100"))})
	assert.Equal(t, trail.Answered, res.Outcome, "also by a rule that is for others")
}

func TestARuleNarrowsAndNoBroaderOneLetsThrough(t *testing.T) {
	all := []plan.Permission{{Class: numbering.ClassNational}, {Class: numbering.ClassUnknown}}
	p := calltest.OneRule(plan.CallerGroup{ID: "crew", Name: "Crew", CallerPattern: "21xx", Permissions: all}, plan.CallerGroup{ID: "office", Name: "Office", Permissions: all})
	rules := p.Tables[1].Rules
	p.Tables[1].Rules = append([]plan.Rule{{ID: "bristol", Name: "Bristol", Match: plan.Match{Called: "0117x."}, CalledSteps: rules[1].CalledSteps, Then: rules[1].Then, CallerGroups: []string{"office"}}}, rules...)
	call := decide.Call{Trunk: "phones", Called: digits.MustNumber("901174960850"), Caller: callerid.Of(digits.MustNumber("2001"))}
	assert.Equal(t, trail.Answered, outcome(t, p, call).Outcome)
	call.Caller = callerid.Of(digits.MustNumber("2100"))
	res := outcome(t, p, call)
	assert.Equal(t, trail.Refused, res.Outcome)
	assert.Contains(t, trail.Text(res.Steps), "rule Bristol is only for Office; the caller is in Crew")
	p.Tables[1].Rules[0].CallerGroups = []string{"crew", "office"}
	assert.Equal(t, trail.Answered, outcome(t, p, call).Outcome)

	p.Tables[0].Rules[2].CallerGroups = []string{"office"}
	res = outcome(t, p, call)
	assert.Equal(t, trail.Refused, res.Outcome, "a rule that sends on narrows too")
}

func TestTheClassIsThatOfTheNumberThatLeaves(t *testing.T) {
	p := calltest.OneRule(plan.CallerGroup{ID: "office", Name: "Office", Permissions: []plan.Permission{{Class: numbering.ClassNational}}})
	// The rule says national, and a step makes a premium number of it.
	p.Tables[1].Rules[1].Class = numbering.ClassNational
	p.Tables[1].Rules[1].CalledSteps = []rewrite.Step{{Op: rewrite.ReplacePrefix, Prefix: "0117", Digits: "0909"}, {Op: rewrite.InterpretAs, Format: numbering.National}}
	call := decide.Call{Trunk: "phones", Called: digits.MustNumber("901178790123"), Caller: callerid.Of(digits.MustNumber("2001"))}
	res := outcome(t, p, call)
	assert.Equal(t, trail.Refused, res.Outcome)
	assert.Contains(t, trail.Text(res.Steps), "class premium")

	p = calltest.OneRule(plan.CallerGroup{ID: "office", Name: "Office", Permissions: []plan.Permission{{Class: numbering.ClassNational}}})
	p.Paths[0].Choices[0].CalledSteps = []rewrite.Step{{Op: rewrite.ReplaceAll, Digits: "09098790123"}, {Op: rewrite.InterpretAs, Format: numbering.National}}
	call.Called = digits.MustNumber("901174960850")
	res = outcome(t, p, call)
	assert.Equal(t, trail.Refused, res.Outcome, "steps of a path count too")
	assert.Contains(t, trail.Text(res.Steps), "not permitted, class premium")

	p.Paths[0].Choices = append([]plan.Choice{{Trunk: p.Paths[0].Choices[0].Trunk}}, p.Paths[0].Choices...)
	res = outcome(t, p, call)
	assert.Equal(t, trail.Answered, res.Outcome, "a choice without those steps may be used")
}

func TestWhoSendsACallOnAnswersForIt(t *testing.T) {
	p := calltest.OneRule(plan.CallerGroup{ID: "crew", Name: "Crew", CallerPattern: "21xx", Permissions: []plan.Permission{{Class: numbering.ClassInternal}}}, plan.CallerGroup{ID: "office", Name: "Office", Trunks: []string{"phones"}, Permissions: []plan.Permission{{Class: numbering.ClassNational}}})
	p.Trunks[0].Services = plan.Services{Forwarding: true, Transfer: true}
	call := decide.Call{Trunk: "phones", Called: digits.MustNumber("901174960850"), Caller: callerid.Of(digits.MustNumber("2001")), Diversions: []decide.Diversion{{Number: digits.MustNumber("2100"), Reason: "unconditional"}}}
	assert.Equal(t, trail.Refused, outcome(t, p, call).Outcome, "the crew's phone diverts it")
	call.Diversions[0].Number = digits.MustNumber("2002")
	assert.Equal(t, trail.Answered, outcome(t, p, call).Outcome)
	call.Diversions = nil
	call.Transfer = &decide.Transfer{Party: "phones", Caller: callerid.Caller{Number: numbering.As(digits.MustNumber("2001"), numbering.Private)}, By: digits.MustNumber("2100")}
	assert.Contains(t, trail.Text(outcome(t, p, call).Steps), "Crew: no permission for national calls", "the crew's phone transfers it")
}

func TestAGroupEntersByItsOwnTable(t *testing.T) {
	p := calltest.OneRule(plan.CallerGroup{ID: "crew", Name: "Crew", CallerPattern: "21xx", Trunks: []string{"phones"}, InboundTable: "in", Permissions: []plan.Permission{{Class: numbering.ClassInternal}}})
	res := outcome(t, p, decide.Call{Trunk: "phones", Called: digits.MustNumber("901174960850"), Caller: callerid.Of(digits.MustNumber("2100"))})
	assert.Equal(t, "2000", res.Called)
}

func TestMatchByTheHourAndByGroupsOfTrunks(t *testing.T) {
	p := calltest.OneRule()
	p.Trunks[1].Group = "carriers"
	p.Tables[2].Rules = append([]plan.Rule{{
		ID: "night", Name: "At night", Match: plan.Match{TrunkGroups: []string{"carriers"}, When: plan.When{Calendar: "office", States: []string{"night"}}},
		Then: plan.Then{RejectCause: 17},
	}}, p.Tables[2].Rules...)
	call := decide.Call{Trunk: "ostrel", Called: digits.MustNumber("+441914980101"), At: friday}
	res := outcome(t, p, call)
	assert.Equal(t, trail.Answered, res.Outcome)
	assert.Contains(t, trail.Text(res.Steps), "not night: calendar Office is day, needed: night")
	call.At = sunday
	assert.Equal(t, cause.Q850(17), outcome(t, p, call).Cause.Q850)
	call.At, call.Overrides = friday, map[string]string{"office": "night"}
	assert.Equal(t, cause.Q850(17), outcome(t, p, call).Cause.Q850, "an override holds in place of the clock")
	p.Trunks[1].Group, p.Trunks[0].Group = "", "carriers"
	assert.Equal(t, trail.Answered, outcome(t, p, call).Outcome, "only from trunks of the group")
}

// A simulated permission changes that the call is permitted, and nothing else: numbers and
// trunks are those of a caller who has it.
func TestASimulatedPermission(t *testing.T) {
	demo := calltest.Plan(t, "skerry-line")
	s := calltest.Compile(t, demo)
	all := demo
	all.CallerGroups = slices.Clone(demo.CallerGroups)
	for i := range all.CallerGroups {
		all.CallerGroups[i].Permissions = nil
		for _, class := range numbering.Classes() {
			if class == numbering.ClassEmergency {
				continue // needs none
			}
			all.CallerGroups[i].Permissions = append(all.CallerGroups[i].Permissions, plan.Permission{Class: class})
		}
	}
	free := calltest.Compile(t, all)
	for _, from := range []string{"2001", "2150", "2250", "3001", "4123"} {
		for _, called := range []string{"2020", "902079460850", "907700900850", "90016175550180", "909098790000", "*1071", "999", "6175550180"} {
			ask := func(s *decide.Snapshot, permitted bool) decide.Result {
				c, err := s.CallFrom(from, called, "")
				require.NoError(t, err)
				c.At, c.Permitted = sunday, permitted
				r, err := s.Dry(c, decide.Suppose{})
				require.NoError(t, err)
				return r
			}
			got, want := ask(s, true), ask(free, false)
			if called == "*1071" && strings.HasPrefix(from, "2") {
				require.Equal(t, "answered", string(got.Outcome), "a rule for some groups permits everybody")
				continue
			}
			assert.Equal(t, []any{want.Outcome, want.Cause, want.Called, want.Caller, want.Attempts}, []any{got.Outcome, got.Cause, got.Called, got.Caller, got.Attempts}, "%s calls %s", from, called)
		}
	}
}
