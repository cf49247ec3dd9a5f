package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/trail"
)

// Two numbers arrive: one that is only ordered, and one that is not in the inventory.
func TestWhatCallsTeachOfNumbers(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	for _, called := range []string{"+447700900461", "+441914980555", "+441914980110"} {
		place(t, c, api.TestAsk{Mode: "live", Plan: "live", From: "ostrel", Called: called, Caller: "+441914980850", TalkSeconds: 1})
	}
	var sum api.NumbersSummary
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/draft/numbers-summary", nil, &sum)
		return sum.Early == 1 && sum.StrangeCount == 1
	}, 20*time.Second, 20*time.Millisecond)
	assert.Equal(t, []any{"+441914980555", "ostrel", int64(1)}, []any{sum.Strange[0].Number, sum.Strange[0].Trunk, sum.Strange[0].Calls})
	find := func(query string) (page api.NumbersPage) {
		c.Ask("GET", "/api/draft/numbers?"+query, nil, &page)
		return page
	}
	assert.Equal(t, "447700900461", find("only=early").Rows[0].ID)
	for _, r := range find("only=silent").Rows {
		assert.NotEqual(t, "441914980100-441914980299", r.ID, "one of the block arrived")
	}
	assert.EqualValues(t, 1, find("text=4980110").Rows[0].Calls)
	require.Eventually(t, func() bool { // and it outlasts the process
		list, err := c.Store().Arrivals(t.Context())
		return err == nil && len(list) == 3
	}, 20*time.Second, 50*time.Millisecond)
}

// place places a live call and waits until it is over.
func place(t *testing.T, c *apptest.Client, ask api.TestAsk) (try api.Test) {
	c.Ask("POST", "/api/test-calls", ask, &try)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+try.ID, nil, &try)
		return try.State == "over" && try.Call != nil
	}, 20*time.Second, 20*time.Millisecond)
	return try
}

func TestHoursAreShownAndSetByHand(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	now := func() map[string]api.CalendarNow {
		var list []api.CalendarNow
		c.Ask("GET", "/api/calendars", nil, &list)
		out := map[string]api.CalendarNow{}
		for _, h := range list {
			out[h.ID] = h
		}
		return out
	}
	h := now()["bookings"]
	assert.Equal(t, "day", h.Places[0].State)
	assert.Equal(t, []string{"Quay"}, h.Places[0].Switches)
	assert.Nil(t, h.Override)
	c.Problem(422, "PUT", "/api/calendars/bookings/override", api.OverridePut{State: "gale"})
	c.Problem(404, "PUT", "/api/calendars/gone/override", api.OverridePut{State: "storm"})
	c.Ask("PUT", "/api/calendars/bookings/override", api.OverridePut{State: "storm", Minutes: 60, Why: "wind"}, nil)
	h = now()["bookings"]
	require.NotNil(t, h.Override)
	assert.Equal(t, []string{"storm", "wind", apptest.User}, []string{h.Override.State, h.Override.Why, h.Override.By})
	assert.Equal(t, []string{"storm", "day", "override"}, []string{h.Places[0].State, h.Places[0].Times, h.Places[0].Because.By})

	var try api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "dry", Plan: "live", From: "ostrel", Called: "+448081570123", Caller: "+441914980850"}, &try)
	assert.Equal(t, "2005", try.Result.Called, "a try goes by what is set by hand")
	require.Eventually(t, func() bool {
		list, err := c.Store().Overrides(t.Context(), time.Now())
		return err == nil && len(list) == 1
	}, 10*time.Second, 20*time.Millisecond)
	c.Ask("DELETE", "/api/calendars/bookings/override", nil, nil)
	assert.Nil(t, now()["bookings"].Override)
}

// changeRule changes a rule of the draft.
func changeRule(c *apptest.Client, id string, change func(r *plan.Rule)) {
	var d api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &d)
	for _, table := range d.Plan.Tables {
		for _, r := range table.Rules {
			if r.ID == id {
				was := r
				change(&r)
				c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: table.ID, Rule: r, Was: &was}, nil)
			}
		}
	}
}

func TestTheImpactOfADraftIsToldBeforeItGoesLive(t *testing.T) {
	c := apptest.SignedIn(t, func(p *plan.Plan) {
		var keep []plan.Check
		for _, check := range p.Checks {
			if check.Simulate.Time == "" {
				keep = append(keep, check)
			}
		}
		p.Checks = keep
	})
	place(t, c, api.TestAsk{Mode: "live", Plan: "live", From: "2150", Called: "901914980850", TalkSeconds: 1})
	var r api.Impact
	require.Eventually(t, func() bool {
		c.Ask("POST", "/api/draft/impact", nil, &r)
		return r.Replayed.Decided == 1
	}, 10*time.Second, 50*time.Millisecond)
	assert.Empty(t, r.Checks.Failed)
	assert.Equal(t, 1, r.Replayed.Same)
	lost := map[string]int{}
	for _, a := range r.TrunkFailures {
		lost[a.Trunk.ID] = len(a.Lost)
	}
	assert.Zero(t, lost["ostrel"], "Penhallow takes what it carries")
	assert.Positive(t, lost["tamarack"], "Cape's only way out")

	changeRule(c, "outside-national", func(r *plan.Rule) { r.Then = plan.Then{RejectCause: 21} })
	c.Ask("POST", "/api/draft/impact", nil, &r)
	require.NotEmpty(t, r.Replayed.Groups)
	g := r.Replayed.Groups[0]
	assert.Equal(t, []any{"refused", "ostrel", 1}, []any{string(g.What), g.Before, g.Count})
	assert.Equal(t, trail.Answered, g.Calls[0].Happened.Outcome)
	assert.Equal(t, trail.Refused, g.Calls[0].Would.Outcome)
	var failed []string
	for _, f := range r.Checks.Failed {
		failed = append(failed, f.ID)
	}
	assert.Contains(t, failed, "national")
}

// A plan is tried on one extension, then on a group, survives a start of the process, and
// is taken back; a go-live ends it.
func TestAPlanIsTriedOnSomeFirst(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	changeRule(c, "outside-national", func(r *plan.Rule) { r.Then = plan.Then{RejectCause: 21} })
	version := func() int64 {
		var ch api.Changes
		c.Ask("GET", "/api/changes", nil, &ch)
		return ch.Version
	}
	answered := func(from string) bool {
		return place(t, c, api.TestAsk{Mode: "live", Plan: "live", From: from, Called: "901914980850", TalkSeconds: 1}).Status == 200
	}
	var trial api.Trial
	c.Ask("GET", "/api/trial", nil, &trial)
	assert.False(t, trial.Running)
	c.Problem(422, "PUT", "/api/trial", api.TrialAsk{Version: version(), Scopes: []standing.Scope{{Trunk: "gone"}}})
	c.Problem(422, "PUT", "/api/trial", api.TrialAsk{Version: version(), Scopes: []standing.Scope{{}}})
	c.Problem(409, "PUT", "/api/trial", api.TrialAsk{Version: version() - 1, Scopes: []standing.Scope{{Extension: "2150"}}})
	c.Ask("PUT", "/api/trial", api.TrialAsk{Version: version(), Scopes: []standing.Scope{{Extension: "2150"}}}, &trial)
	assert.True(t, trial.Running)
	assert.False(t, answered("2150"))
	assert.True(t, answered("2151"))
	c.Ask("GET", "/api/trial", nil, &trial)
	assert.EqualValues(t, 1, trial.Calls)

	v := trial.Version
	changeRule(c, "outside-mobile", func(r *plan.Rule) { r.Note = "edited meanwhile" })
	c.Ask("GET", "/api/trial", nil, &trial)
	assert.True(t, trial.Moved, "what is tried is as it was")
	c.Ask("PUT", "/api/trial", api.TrialAsk{Version: v, Scopes: []standing.Scope{{Group: "office"}}}, &trial)
	assert.False(t, answered("2151"), "widened")
	assert.True(t, answered("2001"), "a manager is not of the office")

	again := c.Again()
	trial = api.Trial{}
	again.Ask("GET", "/api/trial", nil, &trial)
	assert.True(t, trial.Running, "it outlasts the process")
	assert.Equal(t, []standing.Scope{{Group: "office"}}, trial.Scopes)
	c = again
	assert.False(t, answered("2151"))
	c.Ask("DELETE", "/api/trial", nil, &trial)
	assert.False(t, trial.Running)
	assert.True(t, answered("2151"), "taken back in one step")

	c.Ask("PUT", "/api/trial", api.TrialAsk{Version: version(), Scopes: []standing.Scope{{Extension: "2150"}}}, nil)
	c.Ask("POST", "/api/live", api.GoLive{Version: version()}, nil)
	c.Ask("GET", "/api/trial", nil, &trial)
	assert.False(t, trial.Running, "a go-live ends it")
}
