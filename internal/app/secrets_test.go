package app_test

import (
	"bytes"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/apptest"
)

// safeBuffer is a log that is written while it is read.
type safeBuffer struct {
	mu sync.Mutex
	b  bytes.Buffer
}

func (s *safeBuffer) Write(p []byte) (int, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.Write(p)
}

func (s *safeBuffer) String() string {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.b.String()
}

func TestNoSecretIsLogged(t *testing.T) {
	log := &safeBuffer{}
	c := apptest.RunLogging(t, log)
	c.Problem(401, "POST", "/api/session", api.SignIn{Name: apptest.User, Password: "gannet-guess"})
	res, err := c.HTTP().Post(c.URL+"/api/session", "application/json", strings.NewReader(`{"name":"engineer","password":"`+apptest.Password+`"}`))
	require.NoError(t, err)
	res.Body.Close()
	token := res.Header.Get("Set-Cookie")
	require.Contains(t, token, "switchback_session=")
	token, _, _ = strings.Cut(strings.TrimPrefix(token, "switchback_session="), ";")
	c.Ask("DELETE", "/api/draft/rules/outside-premium", nil, nil)
	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)
	c.Ask("POST", "/api/live", api.GoLive{Version: changes.Version, Note: "to have something logged"}, nil)
	text := log.String()
	require.Contains(t, text, "wrong password")
	require.Contains(t, text, "plan went live")
	for _, secret := range []string{"gannet-guess", "password=", apptest.Password + `"`, token} {
		assert.NotContains(t, text, secret)
	}
	err = app.Run(t.Context(), app.Options{DSN: "user:gannet@tcp(127.0.0.1:1)/none", HTTP: "127.0.0.1:0", Log: slog.New(slog.DiscardHandler)})
	require.Error(t, err)
	assert.NotContains(t, err.Error(), "gannet", "an error about the database names its address only")
}

func TestTooLargeRequestsAreRefused(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	status, _ := c.Send("POST", "/api/patterns", []byte(`{"pattern":"`+strings.Repeat("x", 2<<20)+`"}`), nil)
	assert.Equal(t, http.StatusRequestEntityTooLarge, status, "1 MiB, but for a plan")
	status, _ = c.Send("GET", "/api/network", nil, http.Header{"X-Padding": {strings.Repeat("x", 100<<10)}})
	assert.Equal(t, http.StatusRequestHeaderFieldsTooLarge, status, "64 KiB of headers")
	status, _ = c.Send("GET", "/api/calls?limit=100000", nil, nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}
