package app_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
)

// The database goes away while a call runs: the call goes on and ends, new
// calls are decided from memory, the interface says so, and when the database
// is back every record is there.
func TestCallsGoOnWhileTheDatabaseIsAway(t *testing.T) {
	c, gate := apptest.SignedInBehind(t)
	place := func(dial string, talk int) (tried api.Try) {
		c.Ask("POST", "/api/tries", api.TryAsk{Mode: "live", Plan: "live", From: "2001", Dial: dial, TalkSeconds: talk}, &tried)
		return tried
	}
	running := place("901914980850", 3)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/tries/"+running.ID, nil, &running)
		return running.Status == 200
	}, 20*time.Second, 20*time.Millisecond)

	gate.Close()
	during := place("901914980801", 1)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/tries/"+during.ID, nil, &during)
		return during.State == "over"
	}, 20*time.Second, 50*time.Millisecond)
	assert.Equal(t, 486, during.Status, "decided, carried and refused as ever")
	assert.Contains(t, during.Why, "the database does not answer")
	require.NotNil(t, during.Call, "its trail is known from memory")
	assert.Equal(t, 17, during.Call.Q850)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/tries/"+running.ID, nil, &running)
		return running.State == "over" && running.Events[len(running.Events)-1].What == "hung up"
	}, 20*time.Second, 50*time.Millisecond)

	var network api.Network
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/network", nil, &network)
		return network.RecordsWaiting
	}, 10*time.Second, 50*time.Millisecond)
	assert.Zero(t, network.RecordsLost)
	p := c.Problem(503, "GET", "/api/calls", nil)
	assert.Contains(t, p.Detail, "calls go on")
	p = c.Problem(503, "POST", "/api/live", api.GoLive{Version: 1})
	assert.Contains(t, p.Detail, "database")
	_, ready := scrape(t, "/readyz")
	assert.JSONEq(t, `{"ready":true,"plan":true,"revision":1,"switches":1,"database":false,"records":false}`, ready)

	gate.Open()
	require.Eventually(t, func() bool {
		status, _ := c.Send("GET", "/api/calls", nil, nil)
		c.Ask("GET", "/api/network", nil, &network)
		return status == 200 && !network.RecordsWaiting
	}, 20*time.Second, 50*time.Millisecond)
	for id, want := range map[string][]string{
		running.ID: {"INVITE", "200 OK", "ACK", "BYE"}, during.ID: {"INVITE", "486 Busy Here", "ACK"},
	} {
		var tried api.Try
		c.Ask("GET", "/api/tries/"+id, nil, &tried)
		require.NotNil(t, tried.Call)
		assert.False(t, tried.Call.Running)
		var labels []string
		for _, a := range tried.Call.Ladder.Arrows {
			labels = append(labels, a.Label)
		}
		assert.Subset(t, labels, want, "none of its messages was lost")
	}
}
