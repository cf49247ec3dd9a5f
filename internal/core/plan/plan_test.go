package plan_test

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/demo"
)

func skerry(t require.TestingT) plan.Plan {
	p, err := demo.Plan()
	require.NoError(t, err)
	return p
}

func TestDemoPlanIsValid(t *testing.T) {
	assert.Empty(t, skerry(t).Validate())
}

func TestValidateReportsEveryProblemWithItsPlace(t *testing.T) {
	for name, c := range map[string]struct {
		spoil         func(p *plan.Plan)
		place, reason string
	}{
		"format":         {func(p *plan.Plan) { p.Format = "other" }, "/format", "expected \"switchback-plan\""},
		"version":        {func(p *plan.Plan) { p.Version = 9 }, "/version", "reads version 2"},
		"switch id":      {func(p *plan.Plan) { p.Switches[0].ID = "No Id" }, "/switches/No Id/id", "invalid id"},
		"country":        {func(p *plan.Plan) { p.Switches[0].Region.Country = "XX" }, "/switches/quay/region", "unknown country"},
		"switch address": {func(p *plan.Plan) { p.Switches[0].Listeners.SIP.Address = "quay:5060" }, "/switches/quay/listeners/sip/address", "use address and port"},
		"far end kind":   {func(p *plan.Plan) { p.FarEnds[0].Kind = "cloud" }, "/farEnds/quay-phones/kind", "unknown kind"},
		"same id twice":  {func(p *plan.Plan) { p.FarEnds[1].ID = "quay-phones" }, "/farEnds/quay-phones/id", "used by"},
		"no name":        {func(p *plan.Plan) { p.Trunks[0].Name = " " }, "/trunks/quay-phones/name", "is missing"},
		"long name":      {func(p *plan.Plan) { p.Trunks[0].Name = strings.Repeat("x", 201) }, "/trunks/quay-phones/name", "longer than 200"},
		"no far end":     {func(p *plan.Plan) { p.Trunks[1].FarEnd = "" }, "/trunks/ostrel/farEnd", "set either a far end or"},
		"lost far end":   {func(p *plan.Plan) { p.Trunks[1].FarEnd = "gone" }, "/trunks/ostrel/farEnd", `unknown far end "gone"`},
		"channels":       {func(p *plan.Plan) { p.Trunks[1].Channels = 0 }, "/trunks/ostrel/channels", "1 to 10,000"},
		"trusted":        {func(p *plan.Plan) { p.Trunks[1].Link.SIP.TrustedAddresses = []string{"127.0.30"} }, "/trunks/ostrel/link/sip/trustedAddresses/0", "invalid address or network"},
		"trusted twice":  {func(p *plan.Plan) { p.Trunks[2].Link.SIP.TrustedAddresses = []string{"127.0.30.1"} }, "/trunks/penhallow/link/sip/trustedAddresses/0", "trusted by trunk ostrel too"},
		"entry alone":    {func(p *plan.Plan) { p.Trunks[1].Link.SIP.TrustedAddresses = nil }, "/trunks/ostrel/link/sip/trustedAddresses", "no call can reach table"},
		"contract":       {func(p *plan.Plan) { p.Trunks[1].Out.Called.Domestic = "loose" }, "/trunks/ostrel/out/called/domestic", "use a public number format or refuse"},
		"contract short": {func(p *plan.Plan) { p.Trunks[1].Out.Called.Short = "e164" }, "/trunks/ostrel/out/called/short", "never converted"},
		"policy":         {func(p *plan.Plan) { p.Tables[0].Order = "random" }, "/tables/phones-out/order", "unknown order"},
		"pattern":        {func(p *plan.Plan) { p.Tables[0].Rules[0].Match.Called = "9[" }, "/tables/phones-out/rules/phones-emergency/match/called", "position 2"},
		"caller pattern": {func(p *plan.Plan) { p.Tables[0].Rules[0].Match.Caller = "y" }, "/tables/phones-out/rules/phones-emergency/match/caller", "position 1"},
		"both":           {func(p *plan.Plan) { p.Tables[0].Rules[0].Match.NoDigits = true }, "/tables/phones-out/rules/phones-emergency/match/noDigits", "cannot be combined"},
		"from":           {func(p *plan.Plan) { p.Tables[0].Rules[0].Match.Trunks = []string{"x"} }, "/tables/phones-out/rules/phones-emergency/match/trunks/0", "unknown trunk"},
		"step":           {func(p *plan.Plan) { p.Tables[0].Rules[2].CalledSteps = []rewrite.Step{{Op: "remove-first"}} }, "/tables/phones-out/rules/phones-outside-quay/calledSteps/0/count", "1 to 32"},
		"nowhere":        {func(p *plan.Plan) { p.Tables[0].Rules[0].Then = plan.Then{} }, "/tables/phones-out/rules/phones-emergency/then", "0 are set"},
		"two ways":       {func(p *plan.Plan) { p.Tables[0].Rules[0].Then.RejectCause = 21 }, "/tables/phones-out/rules/phones-emergency/then", "2 are set"},
		"lost path":      {func(p *plan.Plan) { p.Tables[0].Rules[0].Then.Path = "gone" }, "/tables/phones-out/rules/phones-emergency/then/path", `unknown path "gone"`},
		"no choice":      {func(p *plan.Plan) { p.Paths[0].Choices = nil }, "/paths/national/choices", "add a trunk"},
		"path cause":     {func(p *plan.Plan) { p.Paths[0].FailoverCauses = []int{200} }, "/paths/national/failoverCauses/0", "Q.850 cause 1 to 127"},
		"timer":          {func(p *plan.Plan) { p.Paths[0].Timers.NoResponseMs = 50 }, "/paths/national/timers/noResponseMs", "100 to 32000"},
		"two numbers":    {func(p *plan.Plan) { p.Destinations[0].Number = "2000" }, "/destinations/quay-extensions/number", "cannot be combined with numberPattern"},
		"bad number":     {func(p *plan.Plan) { p.Destinations[1].Number = "20z0" }, "/destinations/operator/number", "position 3"},
	} {
		p := skerry(t)
		c.spoil(&p)
		var found []string
		for _, problem := range p.Validate() {
			if problem.Place == c.place {
				found = append(found, problem.Reason)
			}
		}
		require.NotEmpty(t, found, "%s: %v", name, p.Validate())
		assert.Contains(t, strings.Join(found, "; "), c.reason, name)
	}
}

func TestValidateFindsAllAtOnce(t *testing.T) {
	p := skerry(t)
	p.Trunks[1].Channels = 0
	p.Tables[0].Rules[0].Match.Called = "("
	p.Paths[0].Choices[0].Trunk = "gone"
	assert.Len(t, p.Validate(), 3)
}

func TestUnknownKindsAndAClassThatNeedsNoPermission(t *testing.T) {
	p := skerry(t)
	p.Destinations[0].Kind = "lighthouse"
	p.FarEnds[0].Kind = "lighthouse"
	p.CallerGroups = []plan.CallerGroup{{ID: "g", Name: "G", Permissions: []plan.Permission{{Class: "emergency"}}}}
	p.Tables[0].Rules[0].Match.Called = strings.Repeat("9", 1<<20)
	var places []string
	for _, x := range p.Validate() {
		places = append(places, x.Place)
		assert.Less(t, len(x.Reason), 500, x.Place)
	}
	assert.Subset(t, places, []string{"/farEnds/quay-phones/kind", "/tables/phones-out/rules/phones-emergency/match/called", "/destinations/quay-extensions/kind", "/callerGroups/g/permissions/0/class"})
}

func TestArrangeIsTheInverseOfObjects(t *testing.T) {
	p := skerry(t)
	objects, err := plan.Objects(p)
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		arranged, err := plan.Arrange(p.Name, rapid.Permutation(objects).Draw(t, "objects"))
		require.NoError(t, err)
		require.Equal(t, toJSON(t, p), toJSON(t, arranged.Plan))
	})
}

// The twin of With arranges everything anew.
func TestWithAgreesWithArranging(t *testing.T) {
	p := skerry(t)
	all, err := plan.Objects(p)
	require.NoError(t, err)
	for i := range all {
		if all[i].Kind != plan.KindNumbers { // pages have their places by their numbers
			all[i].Place *= 10 // room between two
		}
	}
	base, err := plan.Arrange(p.Name, all)
	require.NoError(t, err)
	before := toJSON(t, base.Plan)
	rapid.Check(t, func(t *rapid.T) {
		left := map[plan.Key]plan.Object{}
		for _, o := range all {
			left[o.Key()] = o
		}
		var put []plan.Object
		var gone []plan.Key
		for _, o := range rapid.Permutation(all).Draw(t, "touched")[:rapid.IntRange(0, 8).Draw(t, "count")] {
			switch {
			case o.Kind != plan.KindRule && rapid.Bool().Draw(t, "gone"):
				gone = append(gone, o.Key())
				delete(left, o.Key())
				continue
			case o.Kind == plan.KindRule:
				o.Table = rapid.SampledFrom([]string{"phones-out", "outside", "carriers-in"}).Draw(t, "table")
			}
			if place := rapid.IntRange(-5, 100).Draw(t, "place"); o.Kind != plan.KindNumbers {
				o.Place = place*10 + 1 + len(put) // no two alike
			}
			put = append(put, o)
			left[o.Key()] = o
		}
		var objects []plan.Object
		for _, o := range left {
			objects = append(objects, o)
		}
		got, err := base.With("another", put, gone)
		require.NoError(t, err)
		want, err := plan.Arrange("another", objects)
		require.NoError(t, err)
		require.Equal(t, toJSON(t, want.Plan), toJSON(t, got.Plan))
		require.Equal(t, before, toJSON(t, base.Plan), "the plan that it was made from is as it was")
	})
	edited, err := base.With(p.Name, nil, []plan.Key{{Kind: plan.KindRule, ID: p.Tables[0].Rules[0].ID}})
	require.NoError(t, err)
	assert.True(t, plan.SameSlice(base.Plan.Tables[1].Rules, edited.Plan.Tables[1].Rules), "what did not change is the same memory")
	assert.False(t, plan.SameSlice(base.Plan.Tables[0].Rules, edited.Plan.Tables[0].Rules))
}

func toJSON(t require.TestingT, v any) string {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}

func TestDiff(t *testing.T) {
	a, b := skerry(t), skerry(t)
	same, _, err := plan.Diff(a, b)
	require.NoError(t, err)
	assert.Empty(t, same)

	b.Tables[1].Rules[1].Match.Called = "0[12]xxxxxxxxx"
	rules := b.Tables[0].Rules
	b.Tables[0].Rules = slices.Concat(rules[4:5], rules[:4], rules[5:])
	b.Destinations = slices.Delete(b.Destinations, 1, 2)
	b.FarEnds = append(b.FarEnds, plan.FarEnd{ID: "island-peer", Name: "Island", Kind: plan.PeerNetwork})
	changes, _, err := plan.Diff(a, b)
	require.NoError(t, err)
	var told []string
	for _, c := range changes {
		told = append(told, c.What+" "+string(c.Kind)+" "+c.ID)
	}
	assert.Equal(t, []string{
		"added farEnd island-peer", "moved rule phones-outside-rest", "changed rule outside-national", "removed destination operator",
	}, told)
	assert.Equal(t, []plan.FieldChange{{Field: "match/called", Before: "0[1-3]xxxxxxxxx", After: "0[12]xxxxxxxxx"}}, changes[2].Fields)
	assert.Equal(t, []plan.FieldChange{{Field: "place", Before: "5", After: "1"}}, changes[1].Fields)
}

// A rule that changes its table leaves the order of those that stay as it was, wherever it
// comes to stand.
func TestDiffOfARuleThatChangesItsTable(t *testing.T) {
	for at := range 3 {
		a, b := skerry(t), skerry(t)
		rule := a.Tables[2].Rules[0]
		b.Tables[2].Rules = b.Tables[2].Rules[1:]
		b.Tables[1].Rules = slices.Insert(slices.Clone(b.Tables[1].Rules), at, rule)
		changes, _, err := plan.Diff(a, b)
		require.NoError(t, err)
		require.Len(t, changes, 1)
		assert.Equal(t, "changed", changes[0].What)
		assert.Equal(t, []plan.FieldChange{{Field: "table", Before: a.Tables[2].ID, After: a.Tables[1].ID}}, changes[0].Fields)
	}
}

// A list shows the elements that one side has alone; steps by their labels.
func TestDiffOfLists(t *testing.T) {
	trunk := func(p *plan.Plan, id string) *plan.Trunk {
		return &p.Trunks[slices.IndexFunc(p.Trunks, func(t plan.Trunk) bool { return t.ID == id })]
	}
	for name, c := range map[string]struct {
		edit  func(p *plan.Plan)
		field plan.FieldChange
	}{
		"address": {func(p *plan.Plan) {
			trunk(p, "ostrel").Link.SIP.TrustedAddresses = []string{"127.0.30.1", "127.0.30.2", "127.0.30.4", "127.0.30.5"}
		}, plan.FieldChange{Field: "link/sip/trustedAddresses", Before: "127.0.30.3", After: "127.0.30.5"}},
		"order": {func(p *plan.Plan) { slices.Reverse(p.Paths[0].Choices) }, plan.FieldChange{Field: "choices", Before: "ostrel; penhallow", After: "penhallow; ostrel"}},
		"step": {func(p *plan.Plan) {
			steps := slices.Clone(p.Tables[0].Rules[2].CallerSteps)
			steps[0].To = &rewrite.Range{First: "01914980000", Last: "01914980199"}
			p.Tables[0].Rules[2].CallerSteps = steps
		}, plan.FieldChange{Field: "callerSteps", Before: "map block 2000–2199 to 01914980100–01914980299", After: "map block 2000–2199 to 01914980000–01914980199"}},
		"gone": {func(p *plan.Plan) { p.Tables[1].Rules[1].CalledSteps = nil }, plan.FieldChange{Field: "calledSteps", Before: "interpret as national"}},
	} {
		a, b := skerry(t), skerry(t)
		c.edit(&b)
		changes, _, err := plan.Diff(a, b)
		require.NoError(t, err)
		require.Len(t, changes, 1, name)
		assert.Equal(t, []plan.FieldChange{c.field}, changes[0].Fields, name)
	}
}
