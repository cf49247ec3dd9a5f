package app_test

import (
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
)

func scrape(t *testing.T, path string) (int, string) {
	res, err := http.Get("http://" + apptest.Metrics + path)
	require.NoError(t, err)
	defer res.Body.Close()
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res.StatusCode, string(text)
}

func TestHealthAndMetrics(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	for _, path := range []string{"/healthz", "/readyz"} {
		status, _ := c.Send("GET", path, nil, nil)
		assert.Equal(t, 200, status, path)
		status, _ = scrape(t, path)
		assert.Equal(t, 200, status, path)
	}
	_, ready := scrape(t, "/readyz")
	assert.JSONEq(t, `{"ready":true,"plan":true,"revision":1,"switches":3,"database":true,"records":true,"recordings":true}`, ready)
	status, page := c.Send("GET", "/metrics", nil, nil)
	assert.Equal(t, 200, status)
	assert.NotContains(t, string(page), "switchback_trunk", "figures are not told where anybody may come")

	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980850", TalkSeconds: 1}, &tried)
	over(t, c, tried)
	require.Eventually(t, func() bool {
		_, text := scrape(t, "/metrics")
		return strings.Contains(text, `switchback_trunk_outbound_calls_total{result="answered",trunk="ostrel"} 1`) &&
			strings.Contains(text, `switchback_trunk_channels_in_use{trunk="ostrel"} 0`) &&
			strings.Contains(text, `switchback_trunk_channels{trunk="ostrel"} 30`) &&
			strings.Contains(text, "switchback_plan_revision 1") &&
			strings.Contains(text, `switchback_calls_total{outcome="answered",switch="quay"} 1`) &&
			strings.Contains(text, `switchback_call_setup_seconds_count{switch="quay"} 1`) &&
			strings.Contains(text, `switchback_active_calls{phase="connected",switch="quay"} 0`) &&
			strings.Contains(text, `switchback_blocked_sources{from="calls"} 0`) &&
			!strings.Contains(text, "switchback_call_failures_total") &&
			!strings.Contains(text, "switchback_unknown_messages_total")
	}, 5*time.Second, 20*time.Millisecond)

	// The rejecting number of the carrier counts as a failure by its cause.
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980801", TalkSeconds: 1}, &tried)
	over(t, c, tried)
	require.Eventually(t, func() bool {
		_, text := scrape(t, "/metrics")
		return strings.Contains(text, "switchback_call_failures_total{cause=")
	}, 5*time.Second, 20*time.Millisecond)
}
