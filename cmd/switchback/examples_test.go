package main

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
)

// Example calls are real calls: each has its record, and most are answered.
func TestExampleCallsLeaveRecords(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	require.Equal(t, demoUser, apptest.User)
	const n = 24
	require.NoError(t, placeExamples(context.Background(), c.URL, apptest.Password, n, slog.New(slog.DiscardHandler)))
	var page api.CallPage
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/calls", nil, &page)
		return len(page.Calls) >= n
	}, 30*time.Second, 100*time.Millisecond)
	answered := 0
	for _, call := range page.Calls {
		if call.Outcome == "answered" {
			answered++
		}
	}
	assert.Greater(t, answered, n/2)

	ctx, stop := context.WithCancel(context.Background())
	stop()
	assert.Error(t, placeExamples(ctx, c.URL, apptest.Password, n, slog.New(slog.DiscardHandler)), "it ends when the demo does")
	assert.ErrorContains(t, placeExamples(context.Background(), c.URL, "wrong", n, slog.New(slog.DiscardHandler)), "401")
}
