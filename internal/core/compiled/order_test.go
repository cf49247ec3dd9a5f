package compiled_test

import (
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

func tableOf(patterns ...string) plan.Table {
	t := plan.Table{ID: "t", Name: "T", Switch: "quay", Order: plan.SpecificFirst}
	for i, p := range patterns {
		t.Rules = append(t.Rules, plan.Rule{ID: fmt.Sprintf("r%d", i), Name: p, Match: plan.Match{Called: p}, Then: plan.Then{Destination: "operator"}})
	}
	return t
}

func names(t plan.Table) []string {
	var out []string
	for _, p := range compiled.EffectiveOrder(t, nil) {
		i := slices.IndexFunc(t.Rules, func(r plan.Rule) bool { return r.ID == p.Rule })
		out = append(out, t.Rules[i].Name)
	}
	return out
}

func TestSpecificFirstIsByContainmentNeverByCountingWildcards(t *testing.T) {
	assert.Equal(t, []string{"(2[0-9]x|3xx)", "[2-9]xx"}, names(tableOf("[2-9]xx", "(2[0-9]x|3xx)")))
	assert.Equal(t, []string{"(2[0-9]x|3xx)", "[2-9]xx"}, names(tableOf("(2[0-9]x|3xx)", "[2-9]xx")))
	assert.Equal(t, []string{"999", "9xx"}, names(tableOf("9xx", "999")))
	assert.Equal(t, []string{"999", "9xx", "0xx.", "x."}, names(tableOf("x.", "9xx", "0xx.", "999")))
	assert.Equal(t, []string{"1x", "x1"}, names(tableOf("1x", "x1")), "pairs that only overlap keep the order of the list")
	assert.Equal(t, []string{"x1", "1x"}, names(tableOf("x1", "1x")))

	table := tableOf("9xx", "999")
	placed := compiled.EffectiveOrder(table, nil)
	assert.Equal(t, "r0", placed[0].Before)
	assert.Equal(t, "999", placed[0].Example.String())
	assert.Equal(t, "r0", compiled.EffectiveOrder(tableOf("9xx", "999", "x."), nil)[0].Before, "the next that contains it")
	assert.Equal(t, "r1", compiled.EffectiveOrder(tableOf("999", "9xx"), nil)[0].Before, "also where the list had it so")
	table.Order = plan.AsListed
	assert.Equal(t, []string{"9xx", "999"}, names(table))
}

func TestSpecificFirstCountsCallerAndSourceToo(t *testing.T) {
	table := tableOf("9x.", "9x.", "9x.", "9x.")
	table.Rules[1].Match.Caller = "20xx"
	table.Rules[2].Match.Trunks = []string{"ostrel", "penhallow"}
	table.Rules[3].Match = plan.Match{Called: "9x.", Caller: "2xxx", Trunks: []string{"ostrel"}}
	var ids []string
	for _, p := range compiled.EffectiveOrder(table, nil) {
		ids = append(ids, p.Rule)
	}
	assert.Equal(t, []string{"r1", "r3", "r2", "r0"}, ids)

	none := tableOf("", "x.")
	none.Rules[1].Match = plan.Match{NoDigits: true, NoCaller: true}
	assert.Equal(t, "r1", compiled.EffectiveOrder(none, nil)[0].Rule)
}

// rules of a random table, and calls to hold against it.
func drawRules(t *rapid.T) []plan.Rule {
	patterns := []string{"", "x.", "1x.", "12", "1x", "x2", "[12]x", "(1|2x)", "2x.", "121", "1.", "x1x", "(12|21).", "11x|12x"}
	sources := [][]string{nil, nil, {"ostrel"}, {"ostrel", "penhallow"}, {"quay-phones"}}
	callers := []string{"", "", "2xxx", "20xx", "xxxx"}
	var rules []plan.Rule
	for i, n := 0, rapid.IntRange(1, 7).Draw(t, "rules"); i < n; i++ {
		rules = append(rules, plan.Rule{
			ID: fmt.Sprintf("r%d", i), Name: fmt.Sprintf("R%d", i), Then: plan.Then{Destination: "operator"},
			Match: plan.Match{
				Called: rapid.SampledFrom(patterns).Draw(t, "called"), Caller: rapid.SampledFrom(callers).Draw(t, "caller"),
				Trunks: rapid.SampledFrom(sources).Draw(t, "from"),
			},
		})
	}
	return rules
}

type sample struct{ trunk, called, caller string }

var samples = func() (out []sample) {
	for _, trunk := range []string{"quay-phones", "ostrel", "penhallow"} {
		for _, caller := range []string{"", "2001", "2101", "3001"} {
			for _, called := range []string{"", "1", "2", "11", "12", "21", "22", "111", "112", "121", "212", "1212", "2121", "999"} {
				out = append(out, sample{trunk, called, caller})
			}
		}
	}
	return out
}()

// atQuay is what of a plan belongs to its first switch alone.
func atQuay(p plan.Plan) plan.Plan {
	p.Switches, p.Numbers = p.Switches[:1], inventory.List{}
	p.Trunks = slices.DeleteFunc(slices.Clone(p.Trunks), func(t plan.Trunk) bool { return t.Switch != "quay" || t.OppositeTrunk != "" })
	p.Paths = slices.DeleteFunc(slices.Clone(p.Paths), func(x plan.Path) bool { return x.Switch != "quay" || x.ID == "to-cape" })
	p.Destinations = slices.DeleteFunc(slices.Clone(p.Destinations), func(d plan.Destination) bool { return d.Trunk != "quay-phones" })
	return p
}

// winners decides every sample by a table of these rules.
func winners(t require.TestingT, base plan.Plan, rules []plan.Rule) []string {
	base = atQuay(base)
	base.Tables = []plan.Table{{ID: "t", Name: "T", Switch: "quay", Order: plan.SpecificFirst, Rules: rules}}
	for i := range base.Trunks {
		base.Trunks[i].InboundTable, base.Trunks[i].In, base.Trunks[i].Services = "t", plan.Inbound{}, plan.Services{}
	}
	s, problems := decide.Compile(base)
	require.Empty(t, problems)
	var out []string
	for _, c := range samples {
		e, _ := s.Begin(decide.Call{Trunk: c.trunk, Called: digits.MustNumber(c.called), Caller: callerid.Of(digits.MustNumber(c.caller))})
		won := ""
		for _, step := range e.Trail() {
			if step.LookedUp != nil && step.LookedUp.Winner != nil {
				won = step.LookedUp.Winner.ID
			}
		}
		out = append(out, won)
	}
	return out
}

// matches is the slow twin of a rule's match, by the fields alone.
func matches(r plan.Rule, c sample) bool {
	called, caller := digits.MustNumber(c.called), digits.MustNumber(c.caller)
	return (r.Match.Called == "" || digits.MustCompile(r.Match.Called).Matches(called)) &&
		(r.Match.Caller == "" || c.caller != "" && digits.MustCompile(r.Match.Caller).Matches(caller)) &&
		(len(r.Match.Trunks) == 0 || slices.Contains(r.Match.Trunks, c.trunk))
}

func TestARuleStrictlyWithinAnotherStandsBeforeIt(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rules := drawRules(t)
		place := map[string]int{}
		for i, p := range compiled.EffectiveOrder(plan.Table{Order: plan.SpecificFirst, Rules: rules}, nil) {
			place[p.Rule] = i
		}
		require.Len(t, place, len(rules))
		for _, a := range rules {
			for _, b := range rules {
				if strictlyWithin(a, b) {
					require.Less(t, place[a.ID], place[b.ID], "%v is within %v", a.Match, b.Match)
				}
			}
		}
	})
}

// strictlyWithin is the slow twin of containment: field by field, by comparing
// sets; for sources by listing them.
func strictlyWithin(a, b plan.Rule) bool {
	narrower, ok := false, true
	field := func(x, y string) {
		switch {
		case x == y:
		case y == "":
			narrower = true
		case x == "":
			ok = false
		default:
			switch digits.Compare(digits.MustCompile(x).Set(), digits.MustCompile(y).Set()).Relation {
			case digits.Within:
				narrower = true
			case digits.Equal:
			default:
				ok = false
			}
		}
	}
	field(a.Match.Called, b.Match.Called)
	field(a.Match.Caller, b.Match.Caller)
	all := []string{"quay-phones", "ostrel", "penhallow", "another"}
	for _, trunk := range all {
		inA := len(a.Match.Trunks) == 0 || slices.Contains(a.Match.Trunks, trunk)
		inB := len(b.Match.Trunks) == 0 || slices.Contains(b.Match.Trunks, trunk)
		ok = ok && (!inA || inB)
		narrower = narrower || inB && !inA
	}
	return ok && narrower
}

func TestAnAddedRuleChangesOnlyCallsThatItMatches(t *testing.T) {
	base := calltest.Plan(t, "skerry-line")
	calltest.WithoutGroups(&base)
	rapid.Check(t, func(t *rapid.T) {
		rules := drawRules(t)
		at := rapid.IntRange(0, len(rules)-1).Draw(t, "added")
		with := winners(t, base, rules)
		without := winners(t, base, slices.Delete(slices.Clone(rules), at, at+1))
		for i, c := range samples {
			if with[i] != without[i] {
				require.True(t, matches(rules[at], c), "%v went from %q to %q", c, without[i], with[i])
			}
			if with[i] != "" {
				w := rules[slices.IndexFunc(rules, func(r plan.Rule) bool { return r.ID == with[i] })]
				require.True(t, matches(w, c))
			}
		}
	})
}

// A table with more rules than a trail lists is searched by an index; it must
// find the winner that asking every rule in order finds.
func TestALargeTableFindsTheSameWinner(t *testing.T) {
	base := calltest.Plan(t, "skerry-line")
	calltest.WithoutGroups(&base)
	rapid.Check(t, func(t *rapid.T) {
		var rules []plan.Rule
		for len(rules) < 60 {
			for _, r := range drawRules(t) {
				r.ID = fmt.Sprintf("r%d", len(rules))
				r.Disabled = rapid.IntRange(0, 2).Draw(t, "disabled") > 0
				rules = append(rules, r)
			}
		}
		table := plan.Table{Order: plan.SpecificFirst, Rules: rules}
		order := compiled.EffectiveOrder(table, nil)
		for i, won := range winners(t, base, rules) {
			want := ""
			for _, p := range order {
				r := rules[slices.IndexFunc(rules, func(r plan.Rule) bool { return r.ID == p.Rule })]
				if !r.Disabled && matches(r, samples[i]) {
					want = r.ID
					break
				}
			}
			require.Equal(t, want, won, "%v", samples[i])
		}
	})
}

func TestALargeTableTellsRulesThatAreNearAndCountsTheRest(t *testing.T) {
	p := calltest.Plan(t, "skerry-line")
	calltest.WithoutGroups(&p)
	p.Tables[0].Rules = nil
	for i := range 200 {
		p.Tables[0].Rules = append(p.Tables[0].Rules, plan.Rule{
			ID: fmt.Sprintf("r%d", i), Name: fmt.Sprintf("R%d", i), Match: plan.Match{Called: fmt.Sprintf("9%03dx", i)}, Then: plan.Then{Destination: "operator"},
		})
	}
	s := calltest.Compile(t, p)
	for _, c := range []struct{ dial, own string }{{"90420", ""}, {"904", "incomplete"}, {"8", "no-rule"}, {"904200", "no-rule"}} {
		call, err := s.CallFrom("2001", c.dial, "")
		require.NoError(t, err)
		res, err := s.Dry(call, decide.Suppose{})
		require.NoError(t, err)
		looked := res.Steps[1].LookedUp
		won := 0
		if looked.Winner != nil {
			won = 1
		}
		assert.Equal(t, 200, len(looked.Lost)+looked.Omitted+won, c.dial)
		assert.Less(t, len(looked.Lost), 20)
		if c.own != "" {
			assert.EqualValues(t, c.own, res.Steps[len(res.Steps)-1].Ended.Own)
		}
	}
}

// The slow twin compares every pair of rules, by the sets of each field.
func TestOrderIsThatOfComparingEveryPair(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var rules []plan.Rule
		for range rapid.IntRange(1, 6).Draw(t, "batches") {
			for _, r := range drawRules(t) {
				r.ID = fmt.Sprintf("r%d", len(rules))
				rules = append(rules, r)
			}
		}
		var want []string
		var placed []plan.Rule
		for _, r := range rules {
			at := slices.IndexFunc(placed, func(p plan.Rule) bool { return strictlyWithin(r, p) })
			if at < 0 {
				at = len(placed)
			}
			placed = slices.Insert(placed, at, r)
		}
		for _, r := range placed {
			want = append(want, r.ID)
		}
		var got []string
		for i, p := range compiled.EffectiveOrder(plan.Table{Order: plan.SpecificFirst, Rules: rules}, nil) {
			got = append(got, p.Rule)
			next := slices.IndexFunc(placed[i+1:], func(q plan.Rule) bool { return strictlyWithin(placed[i], q) })
			if next < 0 {
				require.Empty(t, p.Before)
			} else {
				require.Equal(t, placed[i+1+next].ID, p.Before)
			}
		}
		require.Equal(t, want, got)
	})
}

// A rule that is disabled, or for wrong numbers, changes nothing of the order in which the
// others are tried, wherever it stands.
func TestRulesThatAreNotTriedDoNotChangeTheOrder(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		rules := drawRules(t)
		for i := range rules {
			switch rapid.IntRange(0, 3).Draw(t, "kind") {
			case 0:
				rules[i].Disabled = true
			case 1:
				rules[i].CatchAll = true
			}
		}
		order := func(rules []plan.Rule) (out []string) {
			apart := map[string]bool{}
			for _, r := range rules {
				apart[r.ID] = r.Disabled || r.CatchAll
			}
			for _, p := range compiled.EffectiveOrder(plan.Table{Order: plan.SpecificFirst, Rules: rules}, nil) {
				if !apart[p.Rule] {
					out = append(out, p.Rule)
				}
			}
			return out
		}
		alone := slices.DeleteFunc(slices.Clone(rules), func(r plan.Rule) bool { return r.Disabled || r.CatchAll })
		require.Equal(t, order(alone), order(rules))
	})
}
