package guide_test

import (
	"testing"

	"github.com/nyaruka/phonenumbers"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/guide"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// site is a plan with phones, a carrier and empty tables, in some country.
func site(country, area string) plan.Plan {
	p := plan.New("site")
	p.Switches = []plan.Switch{{ID: "sw", Name: "Switch", Region: plan.Region{Country: country, Area: area}, Listeners: plan.Listeners{SIP: plan.SIPListener{Address: "127.1.0.1:5060"}}}}
	p.FarEnds = []plan.FarEnd{{ID: "phones", Name: "Phones", Kind: plan.PhoneSystem}, {ID: "carrier", Name: "Carrier", Kind: plan.Carrier}}
	p.Trunks = []plan.Trunk{
		{ID: "phones", Name: "Phones", Switch: "sw", FarEnd: "phones", Channels: 1, InboundTable: "in", In: plan.Inbound{CallerFormat: numbering.Private}, Link: plan.Link{SIP: &plan.SIP{RemoteAddress: "127.1.0.2:5060", TrustedAddresses: []string{"127.1.0.2"}}}},
		{ID: "carrier", Name: "Carrier", Switch: "sw", FarEnd: "carrier", Channels: 1, Link: plan.Link{SIP: &plan.SIP{RemoteAddress: "127.1.0.3:5060"}},
			Out: plan.Contract{Called: plan.Formats{Domestic: numbering.E164, International: numbering.E164}}},
	}
	p.Paths = []plan.Path{{ID: "out", Name: "Out", Switch: "sw", Choices: []plan.Choice{{Trunk: "carrier"}}}}
	p.Destinations = []plan.Destination{{ID: "desks", Name: "Desks", Kind: "extensions", Trunk: "phones", NumberPattern: "4[0-2]xx"}}
	p.Tables = []plan.Table{{ID: "in", Name: "In", Switch: "sw", Order: plan.AsListed, Rules: []plan.Rule{}}, {ID: "world", Name: "World", Switch: "sw", Order: plan.AsListed, Rules: []plan.Rule{}}}
	return p
}

func everything() map[numbering.Class]string {
	out := map[numbering.Class]string{}
	for _, c := range numbering.Classes() {
		out[c] = "out"
	}
	return out
}

// taken puts proposals into a plan.
func taken(t *testing.T, p plan.Plan, list []guide.Proposal) *decide.Snapshot {
	for _, x := range list {
		for i := range p.Tables {
			if p.Tables[i].ID == x.Table {
				p.Tables[i].Rules = append(p.Tables[i].Rules, x.Rule)
			}
		}
	}
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	return s
}

func leaves(t *testing.T, s *decide.Snapshot, dial string) decide.Result {
	n, err := digits.ParseNumber(dial)
	require.NoError(t, err)
	res, err := s.Dry(decide.Call{Trunk: "phones", Called: n, Caller: callerid.Of(digits.MustNumber("4001"))}, decide.Suppose{})
	require.NoError(t, err)
	return res
}

// byClass is a path for every class, so that a test sees which one was taken.
func byClass(p *plan.Plan) map[numbering.Class]string {
	out := map[numbering.Class]string{}
	for _, c := range numbering.Classes() {
		id := "to-" + string(c)
		p.Paths = append(p.Paths, plan.Path{ID: id, Name: id, Switch: "sw", Choices: []plan.Choice{{Trunk: "carrier"}}})
		out[c] = id
	}
	return out
}

// Source: the phone-number library's example numbers of every type, of every country and
// of those that share its code. Each, dialled as in the country in each habit (behind a
// prefix and without one, with the national prefix, without it, as from abroad, without
// the area code), must leave in E.164 by the path that was asked for its class; no rule is
// dead, and no two want the same number.
func TestTheGuidesPlanCarriesEveryExampleNumber(t *testing.T) {
	for _, country := range numbering.Countries() {
		t.Run(country, func(t *testing.T) {
			t.Parallel()
			for _, ask := range []guide.Ask{
				{Switch: "sw", InboundTable: "in", Outside: "world", Prefix: "0"},
				{Switch: "sw", InboundTable: "in", ShortLocal: true},
			} {
				area := ""
				if ask.ShortLocal {
					area = areaOf(country)
				}
				p := site(country, area)
				p.Destinations = nil // an extension may look like a number without its area code
				ask.Paths = byClass(&p)
				list, err := guide.Outbound(p, ask)
				require.NoError(t, err)
				proven, err := guide.Prove(p, ask, list)
				require.NoError(t, err)
				require.NotEmpty(t, proven.Examples)
				for _, x := range proven.Examples {
					assert.True(t, x.OK, "prefix %q, area %q, class %s: %s for %s by %s: %s", ask.Prefix, area, x.Class, x.Dialled, x.World, x.After.Rule, x.Why)
				}
				for _, f := range proven.Findings {
					t.Errorf("prefix %q, area %q: %s: %s", ask.Prefix, area, f.Rule, f.Text)
				}
			}
		})
	}
}

// areaOf is the area code of the country's example number, if it has one.
func areaOf(country string) string {
	n := phonenumbers.GetExampleNumberForType(country, phonenumbers.FIXED_LINE)
	if n == nil {
		return ""
	}
	national := phonenumbers.GetNationalSignificantNumber(n)
	return national[:phonenumbers.GetLengthOfGeographicalAreaCode(n)]
}

// As a newcomer met it: in Germany with the prefix 0, a national number must not become a
// local one of another town.
func TestANationalNumberIsNoLocalOne(t *testing.T) {
	p := site("DE", "931")
	ask := guide.Ask{Switch: "sw", InboundTable: "in", Outside: "world", Prefix: "0", ShortLocal: true, Paths: everything()}
	list, err := guide.Outbound(p, ask)
	require.NoError(t, err)
	s := taken(t, p, list)
	for dial, want := range map[string]string{"00301234567": "+49301234567", "009311234567": "+499311234567", "01234567": "+499311234567", "0112": "112"} {
		res := leaves(t, s, dial)
		assert.Equal(t, want, res.Called, "%s: %s", dial, trail.Text(res.Steps))
	}
}

// Numbers of a class for which no path was chosen do not slip into a broader rule.
func TestAClassWithoutAPathDoesNotLeave(t *testing.T) {
	for _, country := range []string{"AT", "BR", "CA", "CN", "DE", "FR", "GB", "IT", "JP", "RU", "US", "ZA"} {
		p := site(country, "")
		ask := guide.Ask{Switch: "sw", InboundTable: "in", Outside: "world", Prefix: "8", Paths: byClass(&p)}
		delete(ask.Paths, numbering.ClassPremium)
		list, err := guide.Outbound(p, ask)
		require.NoError(t, err)
		proven, err := guide.Prove(p, ask, list)
		require.NoError(t, err)
		for _, x := range proven.Examples {
			assert.True(t, x.OK, "%s, class %s: %s for %s by %s: %s", country, x.Class, x.Dialled, x.World, x.After.Rule, x.Why)
		}
	}
}

func TestAmericanHabits(t *testing.T) {
	p := site("US", "617")
	list, err := guide.Outbound(p, guide.Ask{Switch: "sw", InboundTable: "in", Paths: everything(), ShortLocal: true, Main: "+16175550100"})
	require.NoError(t, err)
	s := taken(t, p, list)
	for dial, want := range map[string]string{
		"5550180": "+16175550180", "6175550180": "+16175550180", "16175550180": "+16175550180", "2125550180": "+12125550180", "12125550180": "+12125550180",
		"01144191498 0850": "+441914980850", "911": "911", "411": "411",
	} {
		res := leaves(t, s, dial)
		assert.Equal(t, want, res.Called, "%s: %s", dial, trail.Text(res.Steps))
		assert.Equal(t, trail.Answered, res.Outcome, dial)
	}
	assert.Equal(t, "+16175550100", leaves(t, s, "911").Caller)
	assert.Equal(t, "+16175550100", leaves(t, s, "5550180").Caller)
	_, err = guide.Outbound(p, guide.Ask{Switch: "sw", InboundTable: "in", Main: "main"})
	assert.Error(t, err)
}

func TestWhatIsThereAlreadyIsTold(t *testing.T) {
	p := site("GB", "191")
	p.Tables[1].Rules = []plan.Rule{{ID: "all", Name: "All of it", Match: plan.Match{Called: "0x."}, Then: plan.Then{Path: "out"}}}
	list, err := guide.Outbound(p, guide.Ask{Switch: "sw", InboundTable: "in", Outside: "world", Prefix: "9", Paths: everything(), Operator: "desks"})
	require.NoError(t, err)
	covered := map[string]string{}
	for _, x := range list {
		assert.NotEmpty(t, x.Why)
		covered[x.Rule.ID] = x.Covered
	}
	assert.Equal(t, "All of it", covered["world-mobile"])
	assert.Empty(t, covered["world-service"])

	_, err = guide.Outbound(p, guide.Ask{Switch: "gone"})
	assert.Error(t, err)
	_, err = guide.Outbound(p, guide.Ask{Switch: "sw", Prefix: "x"})
	assert.Error(t, err)
	only, err := guide.Outbound(p, guide.Ask{Switch: "sw", InboundTable: "in", Paths: map[numbering.Class]string{numbering.ClassMobile: "out"}})
	require.NoError(t, err)
	var rules []string
	for _, x := range only {
		rules = append(rules, x.Rule.Name)
	}
	assert.Contains(t, rules, "Mobile")
	assert.NotContains(t, rules, "National", "without a path")
	assert.Contains(t, rules, "Premium rate, not offered")
}

// What the guide changes is told number by number: without rules nothing was routed, with all
// of them what was asked is, and with one left out its numbers stay as they were.
func TestEachExampleIsDecidedBeforeAndAfter(t *testing.T) {
	for _, country := range []string{"GB", "US", "DE", "FR", "AU", "JP", "BR", "ZA"} {
		p := site(country, "")
		p.Destinations = nil
		ask := guide.Ask{Switch: "sw", InboundTable: "in", Paths: byClass(&p)}
		list, err := guide.Outbound(p, ask)
		require.NoError(t, err)
		all, err := guide.Prove(p, ask, list)
		require.NoError(t, err)
		for _, left := range list {
			if left.Rule.Then.Table != "" {
				continue // it passes calls to another rule, which takes them
			}
			ask.Omit = []string{left.Rule.ID}
			without, err := guide.Prove(p, ask, list)
			require.NoError(t, err)
			for i, x := range without.Examples {
				assert.Nil(t, x.Before.Path, "%s: %s", country, x.Dialled)
				assert.Nil(t, x.Before.Rule, "%s: %s", country, x.Dialled)
				if was := all.Examples[i].After; was.Rule.ID != left.Rule.ID {
					assert.Equal(t, was, x.After, "%s: %s without %s", country, x.Dialled, left.Rule.ID)
				} else if x.After.Rule != nil {
					assert.NotEqual(t, left.Rule.ID, x.After.Rule.ID)
					assert.NotEqual(t, was.Path, x.After.Path, "no two proposed rules want one number")
				}
			}
		}
		ask.Omit = nil
		// Run again on a draft that has them, one of them edited since.
		s := p
		s.Tables[0].Rules = nil
		for _, x := range list {
			require.Empty(t, x.Present)
			s.Tables[0].Rules = append(s.Tables[0].Rules, x.Rule)
		}
		s.Tables[0].Rules[0].Name = "Mine"
		again, err := guide.Outbound(s, ask)
		require.NoError(t, err)
		for i, x := range again {
			want := guide.PresentSame
			if i == 0 {
				want = guide.PresentDiffers
			}
			assert.Equal(t, want, x.Present, "%s: %s", country, x.Rule.ID)
			assert.Empty(t, x.Covered, "a rule is not covered by itself")
		}
	}
}
