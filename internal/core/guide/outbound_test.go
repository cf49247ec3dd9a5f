package guide_test

import (
	"testing"

	"github.com/nyaruka/phonenumbers"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/guide"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// site is a plan with phones, a carrier and empty tables, in some country.
func site(country, area string) plan.Plan {
	p := plan.New("site")
	p.Switches = []plan.Switch{{ID: "sw", Name: "Switch", Region: plan.Region{Country: country, Area: area}, SIP: "127.1.0.1:5060"}}
	p.FarEnds = []plan.FarEnd{{ID: "phones", Name: "Phones", Kind: plan.PhoneSystem}, {ID: "carrier", Name: "Carrier", Kind: plan.Carrier}}
	p.Trunks = []plan.Trunk{
		{ID: "phones", Name: "Phones", Switch: "sw", FarEnd: "phones", Kind: "sip", Channels: 1, Entry: "in", In: plan.Inbound{Caller: numbering.Private}, SIP: plan.SIP{Address: "127.1.0.2:5060", Trusted: []string{"127.1.0.2"}}},
		{ID: "carrier", Name: "Carrier", Switch: "sw", FarEnd: "carrier", Kind: "sip", Channels: 1, SIP: plan.SIP{Address: "127.1.0.3:5060"},
			Out: plan.Contract{Called: plan.Forms{Home: numbering.E164, Foreign: numbering.E164}}},
	}
	p.Paths = []plan.Path{{ID: "out", Name: "Out", Switch: "sw", Choices: []plan.Choice{{Trunk: "carrier"}}}}
	p.Destinations = []plan.Destination{{ID: "desks", Name: "Desks", Kind: "extensions", Trunk: "phones", Numbers: "4[0-2]xx"}}
	p.Tables = []plan.Table{{ID: "in", Name: "In", Switch: "sw", Policy: plan.AsListed, Rules: []plan.Rule{}}, {ID: "world", Name: "World", Switch: "sw", Policy: plan.AsListed, Rules: []plan.Rule{}}}
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
	res, err := s.Dry(decide.Call{Trunk: "phones", Called: n, Caller: digits.MustNumber("4001")}, decide.Suppose{})
	require.NoError(t, err)
	return res
}

// Source: the phone-number library's example numbers. Each, dialled as its country dials
// it behind the prefix, must leave in E.164, in thirty countries.
func TestTheGuidesPlanCarriesEveryExampleNumber(t *testing.T) {
	for _, country := range []string{
		"AE", "AR", "AT", "AU", "BE", "BR", "BS", "CA", "CH", "CN", "CZ", "DE", "DK", "ES", "FI", "FR", "GB", "IE", "IN", "IT", "JP", "KE", "KR", "MX", "NL", "NO", "NZ", "PL", "US", "ZA",
	} {
		p := site(country, "")
		list, err := guide.Outbound(p, guide.Ask{Switch: "sw", Entry: "in", Outside: "world", Prefix: "8", Paths: everything()})
		require.NoError(t, err, country)
		s := taken(t, p, list)
		region, err := numbering.NewRegion(country, "")
		require.NoError(t, err)
		for _, kind := range []phonenumbers.PhoneNumberType{phonenumbers.FIXED_LINE, phonenumbers.MOBILE, phonenumbers.TOLL_FREE, phonenumbers.PREMIUM_RATE, phonenumbers.SHARED_COST} {
			example := phonenumbers.GetExampleNumberForType(country, kind)
			if example == nil || !phonenumbers.IsValidNumberForRegion(example, country) {
				continue
			}
			national := region.National + phonenumbers.GetNationalSignificantNumber(example)
			res := leaves(t, s, "8"+national)
			assert.Equal(t, phonenumbers.Format(example, phonenumbers.E164), res.Called, "%s dials 8%s: %s", country, national, decide.Text(res.Steps))
			assert.Equal(t, decide.Answered, res.Outcome, "%s dials 8%s", country, national)
		}
		foreign := "+33199001234"
		if country == "FR" {
			foreign = "+442079460850"
		}
		assert.Equal(t, foreign, leaves(t, s, "8"+region.International+foreign[1:]).Called, country)
		for _, n := range region.Emergency() {
			assert.Equal(t, n.String(), leaves(t, s, n.String()).Called, country)
			assert.Equal(t, n.String(), leaves(t, s, "8"+n.String()).Called, country)
		}
		assert.Equal(t, "4123", leaves(t, s, "4123").Called, country)
		for _, table := range []string{"in", "world"} {
			for _, f := range s.FindInTable(table, "") {
				assert.False(t, f.Grave, "%s, %s: %s", country, table, f.Text)
			}
		}
	}
}

func TestAmericanHabits(t *testing.T) {
	p := site("US", "617")
	list, err := guide.Outbound(p, guide.Ask{Switch: "sw", Entry: "in", Paths: everything(), ShortLocal: true, Main: "+16175550100"})
	require.NoError(t, err)
	s := taken(t, p, list)
	for dial, want := range map[string]string{
		"5550180": "+16175550180", "6175550180": "+16175550180", "16175550180": "+16175550180", "2125550180": "+12125550180", "12125550180": "+12125550180",
		"01144191498 0850": "+441914980850", "911": "911", "411": "411",
	} {
		res := leaves(t, s, dial)
		assert.Equal(t, want, res.Called, "%s: %s", dial, decide.Text(res.Steps))
		assert.Equal(t, decide.Answered, res.Outcome, dial)
	}
	assert.Equal(t, "+16175550100", leaves(t, s, "911").Caller)
	assert.Equal(t, "+16175550100", leaves(t, s, "5550180").Caller)
	_, err = guide.Outbound(p, guide.Ask{Switch: "sw", Entry: "in", Main: "main"})
	assert.Error(t, err)
}

func TestWhatIsThereAlreadyIsTold(t *testing.T) {
	p := site("GB", "191")
	p.Tables[1].Rules = []plan.Rule{{ID: "all", Name: "All of it", Match: plan.Match{Called: "0x."}, Then: plan.Then{Path: "out"}}}
	list, err := guide.Outbound(p, guide.Ask{Switch: "sw", Entry: "in", Outside: "world", Prefix: "9", Paths: everything(), Operator: "desks"})
	require.NoError(t, err)
	covered := map[string]string{}
	for _, x := range list {
		assert.LessOrEqual(t, len(x.Rule.Match.Called), 120, x.Rule.Match.Called)
		assert.NotEmpty(t, x.Why)
		covered[x.Rule.ID] = x.Covered
	}
	assert.Equal(t, "All of it", covered["world-mobile"])
	assert.Empty(t, covered["world-service"])

	_, err = guide.Outbound(p, guide.Ask{Switch: "gone"})
	assert.Error(t, err)
	_, err = guide.Outbound(p, guide.Ask{Switch: "sw", Prefix: "x"})
	assert.Error(t, err)
	only, err := guide.Outbound(p, guide.Ask{Switch: "sw", Entry: "in", Paths: map[numbering.Class]string{numbering.ClassMobile: "out"}})
	require.NoError(t, err)
	assert.Len(t, only, 3, "the extensions, mobiles and wrong numbers")
}
