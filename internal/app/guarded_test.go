package app_test

import (
	"context"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
)

// Passwords are looked at a few at a time, counted before they are, and none of the many that
// come at once is tried beyond what one source may get wrong.
func TestManyWrongPasswordsAtOnceCostLittle(t *testing.T) {
	c := apptest.Run(t, nil)
	var all sync.WaitGroup
	var mu sync.Mutex
	got := map[int]int{}
	for range 64 {
		all.Go(func() {
			status, _ := c.Send("POST", "/api/session", map[string]string{"name": apptest.User, "password": "not it at all"}, nil)
			mu.Lock()
			defer mu.Unlock()
			got[status]++
		})
	}
	all.Wait()
	assert.LessOrEqual(t, got[http.StatusUnauthorized], 5, "no more than a source may get wrong are looked at")
	assert.Equal(t, 64, got[http.StatusUnauthorized]+got[http.StatusTooManyRequests], "%v", got)
	assert.Positive(t, got[http.StatusTooManyRequests])
}

// Who is blocked, and who did it, waits for the database and is kept in the end.
func TestBlocksWaitForTheDatabase(t *testing.T) {
	c, gate := apptest.SignedInBehind(t)
	gate.Close()
	put := api.BlockPut{Source: "127.0.99.0/24", Hours: 2, Why: "scans"}
	require.Eventually(t, func() bool { // the sign-in is remembered, so that a switch can be defended
		status, _ := c.Send("POST", "/api/blocked-sources", put, nil)
		return status == 200
	}, 10*time.Second, 100*time.Millisecond)
	var view api.BlockedSources
	c.Ask("GET", "/api/blocked-sources?find=127.0.99.7", nil, &view)
	require.Len(t, view.Blocks, 1)
	time.Sleep(1200 * time.Millisecond) // one round of keeping fails
	gate.Open()
	s := c.Store()
	require.Eventually(t, func() bool {
		list, err := s.Blocks(context.Background(), "calls", time.Now())
		return err == nil && len(list) == 1 && list[0].Source == put.Source && list[0].By == apptest.User
	}, 20*time.Second, 50*time.Millisecond)
	require.Eventually(t, func() bool {
		var n int
		err := s.DB().QueryRow(`SELECT COUNT(*) FROM audit WHERE what LIKE 'blocked 127.0.99.0/24%'`).Scan(&n)
		return err == nil && n >= 1
	}, 20*time.Second, 50*time.Millisecond)
}

// The switches say BYE before the stand-ins go, and nothing of ours is ever blocked.
func TestAStopLeavesNothingBehind(t *testing.T) {
	log := &lines{}
	c := apptest.RunLogging(t, log)
	c.Send("POST", "/api/session", map[string]string{"name": apptest.User, "password": apptest.Password}, nil)
	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980850", TalkSeconds: 30}, &tried)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+tried.ID, nil, &tried)
		return tried.Status == 200
	}, 20*time.Second, 50*time.Millisecond)
	s := c.Store()
	c.Stop()
	assert.NotContains(t, log.String(), "no answer to BYE")
	for _, gate := range []string{"calls", "sign-in"} {
		list, err := s.Blocks(context.Background(), gate, time.Now())
		require.NoError(t, err)
		assert.Empty(t, list)
	}
}

// lines is a log that is written and read at once.
type lines struct {
	mu   sync.Mutex
	text strings.Builder
}

func (l *lines) Write(b []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.Write(b)
}

func (l *lines) String() string {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.text.String()
}
