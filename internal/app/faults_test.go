package app_test

import (
	"database/sql"
	"net"
	"slices"
	"testing"
	"time"

	_ "github.com/go-sql-driver/mysql"
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
	place := func(dial string, talk int) (tried api.Test) {
		c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: dial, TalkSeconds: talk}, &tried)
		return tried
	}
	running := place("901914980850", 3)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+running.ID, nil, &running)
		return running.Status == 200
	}, 20*time.Second, 20*time.Millisecond)

	gate.Close()
	during := place("901914980801", 1)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+during.ID, nil, &during)
		return during.State == "over"
	}, 20*time.Second, 50*time.Millisecond)
	assert.Equal(t, 486, during.Status, "decided, carried and refused as ever")
	assert.Contains(t, during.Why, "the database does not answer")
	require.NotNil(t, during.Call, "its trail is known from memory")
	assert.Equal(t, 17, during.Call.Q850)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+running.ID, nil, &running)
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
	assert.JSONEq(t, `{"ready":true,"plan":true,"revision":1,"switches":3,"database":false,"records":false,"recordings":true}`, ready)

	gate.Open()
	require.Eventually(t, func() bool {
		status, _ := c.Send("GET", "/api/calls", nil, nil)
		c.Ask("GET", "/api/network", nil, &network)
		return status == 200 && !network.RecordsWaiting
	}, 20*time.Second, 50*time.Millisecond)
	for id, want := range map[string][]string{
		running.ID: {"INVITE", "200 OK", "ACK", "BYE"}, during.ID: {"INVITE", "486 Busy Here", "ACK"},
	} {
		var tried api.Test
		c.Ask("GET", "/api/test-calls/"+id, nil, &tried)
		require.NotNil(t, tried.Call)
		assert.False(t, tried.Call.Running)
		var labels []string
		for _, a := range tried.Call.Ladder.Arrows {
			labels = append(labels, a.Label)
		}
		assert.Subset(t, labels, want, "none of its messages was lost")
	}
}

// A go-live that has bound a new address and then cannot commit: the old plan
// stays in force on its address, the new address is given back, and the draft
// is as it was, so that it can go live once the database is well.
func TestAGoLiveThatFailsHalfWayLeavesTheOldPlan(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	db, err := sql.Open("mysql", c.DSN)
	require.NoError(t, err)
	defer db.Close()
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	p := draft.Plan
	p.Switches = slices.Clone(p.Switches)
	old, moved := p.Switches[0].Listeners.SIP.Address, "127.1.10.1:5062"
	p.Switches[0].Listeners.SIP.Address = moved
	c.Ask("PUT", "/api/draft", p, nil)
	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)

	_, err = db.Exec(`RENAME TABLE revisions TO revisions_away`)
	require.NoError(t, err)
	c.Problem(503, "POST", "/api/live", api.GoLive{Version: changes.Version})
	var live api.LivePlan
	c.Ask("GET", "/api/live", nil, &live)
	assert.EqualValues(t, 1, live.Revision)
	assert.Equal(t, old, live.Plan.Switches[0].Listeners.SIP.Address)
	free, err := net.ListenPacket("udp", moved)
	require.NoError(t, err, "the new address was given back")
	free.Close()
	_, err = net.ListenPacket("udp", old)
	assert.Error(t, err, "the old one is still served")
	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980801"}, &tried)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+tried.ID, nil, &tried)
		return tried.Status == 486
	}, 20*time.Second, 20*time.Millisecond, "calls are decided as before")
	var again api.Changes
	c.Ask("GET", "/api/changes", nil, &again)
	assert.Equal(t, changes, again, "the draft lost nothing")

	_, err = db.Exec(`RENAME TABLE revisions_away TO revisions`)
	require.NoError(t, err)
	c.Ask("POST", "/api/live", api.GoLive{Version: changes.Version}, nil)
	c.Ask("GET", "/api/live", nil, &live)
	assert.Equal(t, moved, live.Plan.Switches[0].Listeners.SIP.Address)
}
