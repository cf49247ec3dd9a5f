package app_test

import (
	"bufio"
	"net"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/live"
)

// hangUp ends a live try, so that nothing is on its way when the test ends.
func hangUp(t *testing.T, c *apptest.Client, id string) {
	c.Ask("DELETE", "/api/test-calls/"+id, nil, nil)
	require.Eventually(t, func() bool {
		var tried api.Test
		c.Ask("GET", "/api/test-calls/"+id, nil, &tried)
		return tried.State == "over"
	}, 20*time.Second, 20*time.Millisecond)
}

func TestEventsTellWhatChangesAndResume(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	next, lose := c.Events("")
	first := next()
	assert.Equal(t, "reset", first.Name, "who comes anew looks at everything")

	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980850"}, &tried)
	seen := apitest.Until(next, live.TopicCall)
	var running []api.RunningCall
	c.Ask("GET", "/api/active-calls", nil, &running)
	require.NotEmpty(t, running)
	assert.Equal(t, "901914980850", running[0].CalledIn)

	lose() // the browser lost its connection; meanwhile the draft is edited and goes live
	c.Ask("DELETE", "/api/draft/rules/outside-premium", nil, nil)
	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)
	c.Ask("POST", "/api/live", api.GoLive{Version: changes.Version}, nil)

	next, lose = c.Events(seen.ID)
	again := next()
	assert.Equal(t, "news", again.Name, "it is told what it missed")
	assert.Contains(t, again.News, live.News{Topic: live.TopicDraft})
	assert.Contains(t, again.News, live.News{Topic: live.TopicPlan})
	lose()

	hangUp(t, c, tried.ID)
	for _, unknown := range []string{"1", "9999999999999999", "nonsense"} {
		next, lose = c.Events(unknown)
		assert.Equal(t, "reset", next().Name, "another process told that, or nobody did")
		lose()
	}
}

func TestARunningCallIsFollowedWhileItIsDecided(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	var tried api.Test
	// Ostrel's directory keeps this number silent: the path waits, then goes on.
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980850", TalkSeconds: 2}, &tried)
	phases := map[record.Phase]bool{}
	var legs int
	require.Eventually(t, func() bool {
		var running []api.RunningCall
		c.Ask("GET", "/api/active-calls", nil, &running)
		for _, r := range running {
			phases[r.Phase] = true
			legs = max(legs, len(r.Legs))
			if r.Phase == record.PhaseConnected {
				assert.Equal(t, "PCMA/8000", r.Legs[len(r.Legs)-1].Media.Codec)
				assert.NotEmpty(t, r.Legs[0].Media.Address)
				var d api.CallDetail
				c.Ask("GET", "/api/calls/"+r.ID, nil, &d)
				assert.True(t, d.Running)
				assert.NotEmpty(t, d.Result.Steps)
			}
		}
		return phases[record.PhaseConnected]
	}, 20*time.Second, 5*time.Millisecond)
	assert.Equal(t, 2, legs)
	hangUp(t, c, tried.ID)
}

// A client that sends its request byte by byte is given up; others are served
// meanwhile.
func TestASlowSenderIsGivenUpAndHoldsNobodyUp(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	slow, err := net.Dial("tcp", strings.TrimPrefix(c.URL, "http://"))
	require.NoError(t, err)
	defer slow.Close()
	closed := make(chan time.Duration, 1)
	began := time.Now()
	go func() {
		for _, b := range []byte("GET /api/network HTTP/1.1\r\nHost: slow.example\r\nX-Padding: " + strings.Repeat("x", 500)) {
			if _, err := slow.Write([]byte{b}); err != nil {
				break
			}
			time.Sleep(50 * time.Millisecond)
		}
		closed <- time.Since(began)
	}()
	require.NoError(t, slow.SetReadDeadline(time.Now().Add(20*time.Second)))
	answer, _ := bufio.NewReader(slow).ReadString('\n')
	assert.NotContains(t, answer, "200")
	assert.Less(t, time.Since(began), 15*time.Second, "headers are waited for 5 seconds")
	var network api.Network
	c.Ask("GET", "/api/network", nil, &network)
	assert.NotEmpty(t, network.Trunks)
	slow.Close()
	<-closed
}
