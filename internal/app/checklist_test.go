package app_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
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
	for _, call := range []api.TryAsk{
		{From: "2001", Dial: "9 0191 498 0850"}, {From: "2001", Dial: "9 00 1 617 555 0180"}, {From: "2001", Dial: "2999"}, {From: "2345", Dial: "2385"},
		{From: "2001", Dial: "84 4105"}, {From: "4105", Dial: "82 2001"}, {From: "4105", Dial: "617 555 0180"}, {From: "3001", Dial: "3002"}, {From: "4105", Dial: "4106"},
		{From: "penhallow", Dial: "01914980101", Caller: "01914980999"}, {From: "harbourbox", Dial: "2001", Caller: "2002"},
		{From: "deskline", Dial: "+441914980101", Caller: "+442079460485"}, {From: "tamarack", Dial: "6175550101", Caller: "6175550190"},
		// Ostrel calls from each of its four addresses in turn.
		{From: "ostrel", Dial: "+441914980101", Caller: "+441914980999"}, {From: "ostrel", Dial: "+441914980101", Caller: "+441914980999"},
		{From: "ostrel", Dial: "+441914980101", Caller: "+441914980999"}, {From: "ostrel", Dial: "+441914980101", Caller: "+441914980999"},
	} {
		call.Mode, call.Plan, call.TalkSeconds = "live", "live", 1
		var v api.Try
		c.Ask("POST", "/api/tries", call, &v)
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
		var unproved []live.Check
		for until := time.Now().Add(15 * time.Second); ; time.Sleep(200 * time.Millisecond) {
			d = api.TrunkDetail{}
			c.Ask("GET", "/api/trunks/"+trunk.ID, nil, &d)
			unproved = slices.DeleteFunc(slices.Clone(d.Checklist), func(l live.Check) bool {
				return l.State == live.CheckProved || l.State == live.CheckUnneeded
			})
			if len(unproved) == 0 || time.Now().After(until) {
				break
			}
		}
		assert.Empty(t, unproved, trunk.ID)
		require.NotEmpty(t, d.Ends.Rows, trunk.ID)
		for _, r := range d.Ends.Rows {
			assert.Equal(t, plan.EndsAgree, r.State, "%s: %+v", trunk.ID, r)
		}
	}
}
