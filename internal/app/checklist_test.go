package app_test

import (
	"bytes"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/store/storetest"
)

// Once a call has gone each way on every trunk of the demo, every line of every
// checklist is proved, and both ends of each trunk agree.
func TestEveryChecklistOfTheDemoIsProved(t *testing.T) {
	c := apptest.WholeDemo(t, storetest.DSN(t))
	for trunk, proved := range map[string]string{"quay-phones": "registered", "penhallow": "registered", "deskline": "answers", "quay-cape": "answers", "cape-quay": "answers"} {
		word(t, c, trunk, proved)
	}
	var placed []string
	for _, call := range []api.TestAsk{
		{From: "2001", Called: "9 0191 498 0850"}, {From: "2001", Called: "9 00 1 617 555 0180"}, {From: "2001", Called: "2999"}, {From: "2345", Called: "2385"},
		{From: "2001", Called: "84 4105"}, {From: "4105", Called: "82 2001"}, {From: "4105", Called: "617 555 0180"}, {From: "3001", Called: "3002"}, {From: "4105", Called: "4106"},
		{From: "penhallow", Called: "01914980101", Caller: "01914980999"}, {From: "harbourbox", Called: "2001", Caller: "2002"},
		{From: "deskline", Called: "+441914980101", Caller: "+442079460485"}, {From: "tamarack", Called: "6175550101", Caller: "6175550190"},
		// Ostrel calls from each of its four addresses in turn.
		{From: "ostrel", Called: "+441914980101", Caller: "+441914980999"}, {From: "ostrel", Called: "+441914980101", Caller: "+441914980999"},
		{From: "ostrel", Called: "+441914980101", Caller: "+441914980999"}, {From: "ostrel", Called: "+441914980101", Caller: "+441914980999"},
	} {
		call.Mode, call.Plan, call.TalkSeconds = "live", "live", 1
		var v api.Test
		c.Ask("POST", "/api/test-calls", call, &v)
		require.NotEmpty(t, v.ID, "%+v", v)
		placed = append(placed, v.ID)
	}
	for _, id := range placed {
		assert.Equal(t, 200, settled(t, c, id).Status, id)
	}
	var now struct{ Plan plan.Plan }
	c.Ask("GET", "/api/live", nil, &now)
	for _, trunk := range now.Plan.Trunks {
		var d api.TrunkDetail
		var unproved []judge.Check
		for until := time.Now().Add(15 * time.Second); ; time.Sleep(200 * time.Millisecond) {
			d = api.TrunkDetail{}
			c.Ask("GET", "/api/trunks/"+trunk.ID, nil, &d)
			unproved = slices.DeleteFunc(slices.Clone(d.Checklist), func(l judge.Check) bool {
				return l.State == judge.CheckProved || l.State == judge.CheckUnneeded
			})
			if len(unproved) == 0 || time.Now().After(until) {
				break
			}
		}
		assert.Empty(t, unproved, trunk.ID)
		require.NotEmpty(t, d.Ends.Rows, trunk.ID)
		for _, r := range d.Ends.Rows {
			assert.Equal(t, plan.EndsMatch, r.State, "%s: %+v", trunk.ID, r)
		}
	}
}

// A far end that is set otherwise than we are is told, and mended over there: a stand-in
// at once, what is kept by hand in the draft.
func TestTheOtherEndIsMended(t *testing.T) {
	c := apptest.WholeDemo(t, storetest.DSN(t))
	row := func(what string) api.EndLine {
		var d api.TrunkDetail
		c.Ask("GET", "/api/trunks/deskline", nil, &d)
		i := slices.IndexFunc(d.Ends.Rows, func(r api.EndLine) bool { return r.What == what })
		require.GreaterOrEqual(t, i, 0, what)
		return d.Ends.Rows[i]
	}
	const where = "Calls to the switch"
	require.Equal(t, plan.EndsMatch, row(where).State)
	var one api.StandIn
	c.Ask("PATCH", "/api/stand-ins/deskline", api.StandInChange{RemoteAddress: "127.0.99.1:5061", Encryption: "none"}, &one)
	assert.True(t, one.Running)

	for _, what := range []string{where, "Encryption"} {
		r := row(what)
		require.Equal(t, plan.EndsDiffer, r.State, what)
		require.NotNil(t, r.There)
		c.Ask("PATCH", "/api/stand-ins/"+r.There.StandIn, map[string]any{r.There.Place: r.There.Value}, &one)
		assert.Equal(t, plan.EndsMatch, row(what).State, what)
		assert.Nil(t, row(what).There, "nothing is left to mend")
	}
	c.Problem(404, "PATCH", "/api/stand-ins/nobody", api.StandInChange{RemoteAddress: "127.0.99.1:5061"})
	c.Problem(409, "PATCH", "/api/stand-ins/ostrel", api.StandInChange{InboundUser: "another"})

	var saved api.ObjectSaved
	var now struct{ Plan plan.Plan }
	c.Ask("GET", "/api/draft", nil, &now)
	trunk := *plan.NewIndex(now.Plan).Trunks["deskline"]
	was := trunk
	trunk.FarEndSettings.Channels = 12
	c.Ask("PUT", "/api/draft/trunks/deskline", api.Put[plan.Trunk]{Is: trunk, Was: &was}, &saved)
	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)
	c.Ask("POST", "/api/live", api.GoLive{Version: changes.Version}, nil)
	r := row("Channels")
	require.NotNil(t, r.There)
	assert.Equal(t, api.There{Trunk: "deskline", Place: "farEndSettings/channels", Value: 20.0}, *r.There)
}

// What the demo's plan has to do it does live as well as dry: every check that supposes
// no trunk down or full is placed by the stand-ins, and the same must come of it. What a
// check says of the hour is set by hand, as the demo's own calendars have it then.
func TestTheDemosChecksHoldLive(t *testing.T) {
	c := apptest.WholeDemo(t, storetest.DSN(t))
	for trunk, proved := range map[string]string{"quay-phones": "registered", "penhallow": "registered", "deskline": "answers", "quay-cape": "answers", "cape-quay": "answers"} {
		word(t, c, trunk, proved)
	}
	p, err := document.Read(bytes.NewReader(demo.Document()))
	require.NoError(t, err)
	atOnce := map[string][]plan.Check{} // by the states that they want
	for _, check := range p.Checks {
		if len(check.Simulate.Down)+len(check.Simulate.Full) == 0 {
			want := wantedStates(t, p, check)
			atOnce[want] = append(atOnce[want], check)
		}
	}
	placed := 0
	for _, want := range slices.Sorted(maps.Keys(atOnce)) {
		for _, state := range strings.Fields(want) {
			id, state, _ := strings.Cut(state, "=")
			c.Ask("PUT", "/api/calendars/"+id+"/override", api.OverridePut{State: state}, nil)
		}
		for some := range slices.Chunk(atOnce[want], 16) { // trunks have few channels
			placed += len(some)
			holdLive(t, c, some)
		}
	}
	assert.GreaterOrEqual(t, placed, 60)
}

// wantedStates are the states in which a check wants the calendars; those that dial a code
// to set them want some of their own, so that they disturb no others.
func wantedStates(t *testing.T, p plan.Plan, check plan.Check) string {
	states := maps.Clone(check.Simulate.Overrides)
	if check.Simulate.Time != "" {
		at, err := time.Parse(time.RFC3339, check.Simulate.Time)
		require.NoError(t, err)
		for _, h := range p.Calendars {
			if _, byHand := states[h.ID]; !byHand {
				states = withState(states, h.ID, h.Compile("Europe/London").At(at))
			}
		}
	}
	if strings.HasPrefix(check.Called, "*") {
		states = withState(states, "office", "night")
		states = withState(states, "bookings", "day")
	}
	var out []string
	for id, state := range states {
		out = append(out, id+"="+state)
	}
	slices.Sort(out)
	return strings.Join(out, " ")
}

func withState(states map[string]string, id, state string) map[string]string {
	if states == nil {
		states = map[string]string{}
	}
	states[id] = state
	return states
}

// holdLive places some checks at one time, and compares what came of each.
func holdLive(t *testing.T, c *apptest.Client, checks []plan.Check) {
	placed := map[string]plan.Check{}
	for _, check := range checks {
		var v api.Test
		c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: check.From, Called: check.Called, Caller: check.Caller, TalkSeconds: 1}, &v)
		require.NotEmpty(t, v.ID, "%s: %+v", check.Name, v)
		placed[v.ID] = check
	}
	plain := func(text string) string { return strings.NewReplacer(" ", "").Replace(text) }
	for id, check := range placed {
		done := settled(t, c, id)
		require.NotNil(t, done.Call, check.Name)
		res := done.Call.Result
		assert.Equal(t, check.Expected.Outcome, string(res.Outcome), "%s:\n%s", check.Name, trail.Text(res.Steps))
		if check.Expected.CalledOut == "" || check.ID == "to-cape" || check.ID == "to-quay" {
			continue // its last leg is in the record of the other switch
		}
		assert.Equal(t, plain(check.Expected.CalledOut), res.Called, check.Name)
		if check.Expected.CallerOut != "" {
			assert.Equal(t, plain(check.Expected.CallerOut), res.Caller, check.Name)
		}
	}
}
