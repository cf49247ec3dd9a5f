package inbound_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inbound"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/demo"
)

func skerry(t require.TestingT) plan.Plan {
	p, err := demo.Plan()
	require.NoError(t, err)
	return p
}

// Source: the examples of the Ofcom National Telephone Numbering Plan and the NANPA
// dialling plan (from memory): 020 is followed by eight digits, 0191 by seven, 617 by
// seven.
func TestTheFormsOfANumber(t *testing.T) {
	forms := func(country, area, n string) map[string]string {
		region, err := numbering.NewRegion(country, area)
		require.NoError(t, err)
		out := map[string]string{}
		for _, f := range inbound.FormsOf(&region, digits.MustNumber(n)) {
			out[f.Name] = f.Number.String()
		}
		return out
	}
	assert.Equal(t, map[string]string{
		"plus": "+442079460412", "bare": "442079460412", "international": "00442079460412", "national": "02079460412", "national-bare": "2079460412",
		"local": "79460412", "last-6": "460412", "last-4": "0412", "last-3": "412",
	}, forms("GB", "191", "+442079460412"))
	assert.Equal(t, "4980123", forms("GB", "191", "+441914980123")["local"])
	us := forms("US", "617", "+16175550123")
	assert.Equal(t, []string{"16175550123", "", "6175550123", "5550123", "01116175550123"}, []string{us["bare"], us["national"], us["national-bare"], us["local"], us["international"]}, "with the prefix it is the same as bare")
	assert.Empty(t, forms("GB", "191", "+448081570123")["local"], "freephone has no area")
}

func arrivals(t *testing.T, n string, change func(p *plan.Plan)) map[string]inbound.Arrival {
	p := skerry(t)
	if change != nil {
		change(&p)
	}
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	out := map[string]inbound.Arrival{}
	for _, a := range inbound.Arrivals(s, []string{"ostrel"}, digits.MustNumber(n), time.Date(2026, 11, 27, 10, 0, 0, 0, time.UTC), nil) {
		out[a.Format.Name] = a
	}
	return out
}

func TestWhatBecomesOfANumberInEachForm(t *testing.T) {
	got := arrivals(t, "+442079460412", nil)
	assert.True(t, got["plus"].Declared)
	assert.True(t, got["plus"].Same)
	assert.Equal(t, []string{"quay-extensions", "2312"}, []string{got["plus"].Lands.ID, got["plus"].As})
	assert.Equal(t, "By number inventory", got["plus"].Rule)
	for _, form := range []string{"national", "local", "last-4"} {
		a := got[form]
		assert.True(t, a.Resort, form)
		assert.Equal(t, []string{"operator", "2000"}, []string{a.Lands.ID, a.As}, "a form that the trunk does not declare goes to the last resort")
		assert.False(t, a.Same)
	}
	assert.False(t, got["national"].Declared)
	got = arrivals(t, "+442079460412", func(p *plan.Plan) {
		for i := range p.Trunks {
			if p.Trunks[i].ID == "ostrel" {
				p.Trunks[i].In.CalledFormat = numbering.National
			}
		}
	})
	assert.True(t, got["national"].Declared)
	assert.Equal(t, "2312", got["national"].As)
	assert.True(t, got["plus"].Same, "a number with + is what it is")
	p := skerry(t)
	s, _ := decide.Compile(p)
	assert.Equal(t, []string{"ostrel"}, inbound.TrunksOf(s, inventory.Number{Carrier: "ostrel"}))
	assert.Equal(t, []string{"ostrel", "penhallow", "tamarack"}, inbound.TrunksOf(s, inventory.Number{}))
}

func mapping(steps ...rewrite.Step) inbound.Mapping {
	return inbound.Mapping{First: "+442079460400", Last: "+442079460479", Format: "national", Steps: steps, Destination: "quay-extensions"}
}

// The sum that nobody does: keep the last two digits and put 24 before them.
func TestAMappingThatIsOffByAHundred(t *testing.T) {
	p := skerry(t)
	got, err := inbound.Map(p, mapping(rewrite.Step{Op: rewrite.KeepLast, Count: 2}, rewrite.Step{Op: rewrite.AddPrefix, Digits: "24"}))
	require.NoError(t, err)
	assert.False(t, got.Right)
	assert.Equal(t, []int{80, 0, 80}, []int{got.Members, got.Landing, got.NotThere})
	require.Len(t, got.Runs, 1)
	assert.Equal(t, []string{"2400", "2479", "not-there"}, []string{got.Runs[0].Lands.String(), got.Runs[0].LandsLast.String(), got.Runs[0].State})
	require.NotEmpty(t, got.Offers)
	assert.Equal(t, inbound.Offer{First: digits.MustNumber("2300"), Last: digits.MustNumber("2379"), Off: 100, Free: true}, got.Offers[0])
	assert.Equal(t, "2200", got.Offers[1].First.String())
	assert.False(t, got.Offers[2].Free, "2100 and 2000 are taken by 0191 498 01xx and 02xx")

	right, err := inbound.Map(p, inbound.Mapping{First: "+442079460400", Last: "+442079460479", Extension: got.Offers[0].First.String(), Destination: "quay-extensions"})
	require.NoError(t, err)
	assert.True(t, right.Right)
	assert.Zero(t, right.Offers[0].Off)
}

func TestAMappingThatHitsOthers(t *testing.T) {
	got, err := inbound.Map(skerry(t), mapping(rewrite.Step{Op: rewrite.KeepLast, Count: 2}, rewrite.Step{Op: rewrite.AddPrefix, Digits: "21"}))
	require.NoError(t, err)
	assert.False(t, got.Right)
	assert.Equal(t, 80, got.Taken)
	require.NotEmpty(t, got.Runs)
	assert.Equal(t, "+441914980100 to +441914980299", got.Runs[0].Clash)

	got, err = inbound.Map(skerry(t), mapping(rewrite.Step{Op: rewrite.KeepLast, Count: 2}, rewrite.Step{Op: rewrite.AddPrefix, Digits: "30"}))
	require.NoError(t, err)
	assert.Equal(t, "Island extensions", got.Runs[0].Elsewhere, "what the typed one would have hit")

	got, err = inbound.Map(skerry(t), mapping(rewrite.Step{Op: rewrite.KeepLast, Count: 1}, rewrite.Step{Op: rewrite.AddPrefix, Digits: "220"}))
	require.NoError(t, err)
	assert.Equal(t, got.Members, got.Landing)
	assert.False(t, got.Right, "eight numbers land on each")

	got, err = inbound.Map(skerry(t), mapping(rewrite.Step{Op: rewrite.RemoveFirst, Count: 20}))
	require.NoError(t, err)
	assert.Equal(t, 80, got.Failing)
	assert.Contains(t, got.Runs[0].Why, "20")
	assert.NotEmpty(t, got.Offers)
}

func TestMappingsThatCannotBeWorkedOut(t *testing.T) {
	p := skerry(t)
	for reason, m := range map[string]inbound.Mapping{
		`destination: unknown destination "nobody"`:                                      {First: "+442079460400", Destination: "nobody", Extension: "2000"},
		"destination: Operator has one number only, so no block mapping":                 {First: "+442079460400", Destination: "operator", Extension: "2000"},
		"extension: set the first extension, or digit steps":                             {First: "+442079460400", Destination: "quay-extensions"},
		"extension: 9950 is too short for 100 numbers":                                   {First: "+442079460400", Last: "+442079460499", Destination: "quay-extensions", Extension: "9950"},
		"the block has 10000000 numbers; up to 100000 are supported":                     {First: "+442070000000", Last: "+442079999999", Destination: "quay-extensions", Extension: "2000"},
		"first: a public number is written as E.164: +, country code, at most 15 digits": {First: "02079460400", Destination: "quay-extensions", Extension: "2000"},
		`steps/0/count: must be 1 to 32`:                                                 {First: "+442079460400", Destination: "quay-extensions", Steps: []rewrite.Step{{Op: rewrite.KeepLast}}},
	} {
		_, err := inbound.Map(p, m)
		assert.EqualError(t, err, reason)
	}
}

// Over whole blocks: what is said of a mapping by arithmetic is what trying each member
// with plain numbers says, and each offer maps every member on one that is there.
func TestMappingsAgreeWithPlainArithmetic(t *testing.T) {
	p := skerry(t)
	there := digits.MustCompile("2[0-2]xx|23[0-7]x")
	rapid.Check(t, func(t *rapid.T) {
		first := rapid.IntRange(300, 900).Draw(t, "first")
		size := rapid.IntRange(2, 250).Draw(t, "size")
		extension := rapid.IntRange(1900, 2450).Draw(t, "extension")
		got, err := inbound.Map(p, inbound.Mapping{
			First: fmt.Sprintf("+44207946%04d", first), Last: fmt.Sprintf("+44207946%04d", first+size-1), Extension: fmt.Sprint(extension), Destination: "quay-extensions",
		})
		require.NoError(t, err)
		landing, listed := 0, 0
		for i := range size {
			if there.Matches(digits.MustNumber(fmt.Sprint(extension + i))) {
				landing++
			}
		}
		require.Equal(t, landing, got.Landing)
		for _, r := range got.Runs {
			require.Equal(t, fmt.Sprint(extension+listed), r.Lands.String())
			listed += r.Count
			require.Equal(t, fmt.Sprint(extension+listed-1), r.LandsLast.String())
		}
		require.Equal(t, size, listed)
		for _, o := range got.Offers {
			for i := range size {
				n := o.First.Nth(uint64(i))
				require.True(t, there.Matches(n), n)
				require.Equal(t, fmt.Sprintf("%04d", first+i)[3:], n.String()[3:], "the last digit stays")
			}
			require.Equal(t, o.Last, o.First.Nth(uint64(size-1)))
		}
	})
}

// A number in a block has a row of its own: the block does not land there, and what is
// beside it does.
func TestANumberInABlockIsNoClashWithIt(t *testing.T) {
	p := skerry(t)
	mate := inbound.Mapping{First: "+441914980250", Destination: "quay-extensions", Extension: "2150"}
	m, err := inbound.Map(p, mate)
	require.NoError(t, err)
	assert.True(t, m.Right, "%+v", m)
	for _, beside := range []string{"2149", "2151", "2000", "2199"} {
		mate.Extension = beside
		m, err = inbound.Map(p, mate)
		require.NoError(t, err)
		assert.Equal(t, "+441914980100 to +441914980299", m.Runs[0].Clash, beside)
	}
}

// A rule that cuts and prefixes is worked out over all the numbers that it takes.
func TestTheStepsOfARuleOverItsWholeBlock(t *testing.T) {
	p := skerry(t)
	rule := plan.Rule{
		ID: "sales", Name: "Sales", Match: plan.Match{Called: "+4420794604[0-7]x"}, Then: plan.Then{Destination: "quay-extensions"},
		CalledSteps: []rewrite.Step{{Op: rewrite.KeepLast, Count: 2}, {Op: rewrite.AddPrefix, Digits: "24"}},
	}
	m, ok, err := inbound.MapRule(p, "carriers-in", rule)
	require.NoError(t, err)
	require.True(t, ok)
	assert.Equal(t, []string{"+442079460400", "+442079460479"}, []string{m.First.String(), m.Last.String()})
	assert.Equal(t, []int{80, 0, 80}, []int{m.Members, m.Landing, m.NotThere})
	assert.Equal(t, []any{"2300", "2379", int64(100), true}, []any{m.Offers[0].First.String(), m.Offers[0].Last.String(), m.Offers[0].Off, m.Offers[0].Free})

	rule.CalledSteps = []rewrite.Step{{Op: rewrite.MapBlock, From: &rewrite.Range{First: m.First.String(), Last: m.Last.String()}, To: &rewrite.Range{First: "2300", Last: "2379"}}}
	m, _, err = inbound.MapRule(p, "carriers-in", rule)
	require.NoError(t, err)
	assert.True(t, m.Right, "the inventory's own row for these numbers is no clash: the rule is asked first")
	rule.CalledSteps[0].To = &rewrite.Range{First: "2100", Last: "2179"}
	m, _, err = inbound.MapRule(p, "carriers-in", rule)
	require.NoError(t, err)
	assert.Equal(t, 80, m.Taken, "others land there")
	assert.Equal(t, "+441914980100 to +441914980299", m.Runs[0].Clash)

	for _, change := range []func(r *plan.Rule){
		func(r *plan.Rule) { r.Match.Called = "+44207946x." },
		func(r *plan.Rule) { r.Match.Called = "" },
		func(r *plan.Rule) { r.CalledSteps = nil },
		func(r *plan.Rule) { r.Then = plan.Then{Destination: "operator"} },
		func(r *plan.Rule) { r.Then = plan.Then{Inventory: true} },
	} {
		other := rule
		change(&other)
		_, ok, err = inbound.MapRule(p, "carriers-in", other)
		require.NoError(t, err)
		assert.False(t, ok, "%+v", other.Match)
	}
	rule.Match.Called = "+4420xxxxxxxx"
	_, _, err = inbound.MapRule(p, "carriers-in", rule)
	assert.ErrorContains(t, err, "the block has 100000000 numbers; up to 100000 are supported")
}

// Of the demo's calendars, Bookings alone has rules for calls in: those to the bookings number.
func TestWhichNumbersDependOnACalendar(t *testing.T) {
	p := skerry(t)
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	at := time.Date(2026, 11, 27, 10, 0, 0, 0, time.UTC)
	depending := func(id string) []inbound.Depending {
		return inbound.Depends(s, id, plan.NewIndex(p).Calendars[id].States(), at, p.Numbers.All(), 100)
	}
	assert.Empty(t, depending("office"))
	found := depending("bookings")
	require.NotEmpty(t, found)
	states := map[string]string{}
	for _, d := range found {
		assert.Equal(t, "+448081570123", d.Number.String())
		for _, w := range d.Ways {
			require.NotNil(t, w.Lands, w.Why)
			states[w.State] = w.Lands.ID
		}
	}
	assert.Equal(t, "storm-desk", states["storm"])
	assert.NotEqual(t, states["day"], states["storm"])
	assert.Len(t, inbound.Depends(s, "bookings", plan.NewIndex(p).Calendars["bookings"].States(), at, p.Numbers.All(), 1), 1, "no more than are asked for")
}
