package app_test

import (
	"context"
	"io"
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
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

var quiet = slog.New(slog.NewTextHandler(io.Discard, nil))

// On an empty database the program prints a link that makes the first person, once, however
// many use it at the same time.
func TestTheFirstPersonComesInOnce(t *testing.T) {
	c, link := apptest.Empty(t)
	_, token, _ := strings.Cut(link, "#")
	var state api.FirstStartState
	c.Ask("GET", "/api/first-start", nil, &state)
	assert.True(t, state.Open)
	assert.Equal(t, apptest.Instance, state.Instance)
	c.Problem(403, "POST", "/api/first-start", api.FirstPerson{Token: "guessed", Name: "engineer", Password: "a long password"})
	p := c.Problem(422, "POST", "/api/first-start", api.FirstPerson{Token: token, Name: "engineer", Password: "short"})
	assert.Contains(t, p.Detail, "at least 12 characters")
	c.Problem(401, "GET", "/api/draft", nil)

	var wait sync.WaitGroup
	var mu sync.Mutex
	made := 0
	for i := range 5 {
		wait.Go(func() {
			status, _ := c.Send("POST", "/api/first-start", api.FirstPerson{Token: token, Name: "engineer" + string(rune('a'+i)), Password: "a long password"}, nil)
			mu.Lock()
			defer mu.Unlock()
			if status == http.StatusOK {
				made++
			}
		})
	}
	wait.Wait()
	assert.Equal(t, 1, made)
	users, err := c.Store().Users(context.Background())
	require.NoError(t, err)
	assert.Equal(t, 1, users)
	c.Problem(403, "POST", "/api/first-start", api.FirstPerson{Token: token, Name: "second", Password: "a long password"})
	c.Ask("GET", "/api/first-start", nil, &state)
	assert.False(t, state.Open)
}

// A second process on the same database is refused before it writes anything.
func TestASecondProcessIsRefusedBeforeItWrites(t *testing.T) {
	dsn := storetest.Empty(t)
	ctx := context.Background()
	s, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	defer s.Close()
	release, err := s.Hold(ctx, quiet)
	require.NoError(t, err)
	defer release()
	err = app.Run(ctx, app.Options{DSN: dsn, HTTP: "127.0.0.1:0", Log: quiet})
	require.ErrorIs(t, err, store.ErrHeld)
	var tables int
	require.NoError(t, s.DB().QueryRow(`SELECT COUNT(*) FROM information_schema.tables WHERE table_schema = DATABASE()`).Scan(&tables))
	assert.Zero(t, tables)
}

func TestUsersAreAdded(t *testing.T) {
	ctx := context.Background()
	s := storetest.New(t)
	for name, password := range map[string]string{"": "a long password", " x": "a long password", "engineer": "short", "other": strings.Repeat("p", 201)} {
		assert.True(t, store.IsChosenBadly(s.AddUser(ctx, name, password)), name)
	}
	require.NoError(t, s.AddUser(ctx, "engineer", "a long password"))
	require.ErrorIs(t, s.AddUser(ctx, "engineer", "another password"), store.ErrTaken)
	require.ErrorIs(t, s.ChangePassword(ctx, "nobody", "another password"), store.ErrNotFound)
	assert.True(t, store.IsChosenBadly(s.ChangePassword(ctx, "engineer", "short")))
	require.NoError(t, s.ChangePassword(ctx, "engineer", "another password"))
	for password, want := range map[string]bool{"a long password": false, "another password": true} {
		ok, err := s.CheckPassword(ctx, "engineer", password)
		require.NoError(t, err)
		assert.Equal(t, want, ok)
	}
	require.ErrorIs(t, s.AddFirstUser(ctx, "late", "a long password"), store.ErrTaken)
}
