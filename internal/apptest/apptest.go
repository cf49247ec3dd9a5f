// Package apptest runs the whole application for tests, with the demo's plan
// and stand-ins, and a client that speaks to it as a browser does. It is for
// tests only.
package apptest

import (
	"bytes"
	"context"
	"encoding/json"
	"io"
	"log/slog"
	"net/http"
	"net/http/cookiejar"
	"net/netip"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/livetest"
	"switchback.example/switchback/internal/standin"
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

// The sign-in of the test's engineer.
const (
	User     = "engineer"
	Own      = "127.0.0.2" // an address of the networks that are our own
	Password = "right"
)

// Metrics is where the application under test serves its figures.
const Metrics = "127.1.0.1:9480"

// Client speaks to a running Switchback as a browser does.
type Client struct {
	URL  string
	DSN  string // of its database
	Stop func() // stops the application before the test ends
	t    testing.TB
	http *http.Client
}

// Run starts the whole application, with the demo's plan and stand-ins on the
// tests' addresses, until the test ends.
func Run(t testing.TB, change func(p *plan.Plan)) *Client {
	return runOn(t, storetest.DSN(t), change)
}

// SignedInBehind is SignedIn with a gate between the application and its
// database, which the test can close.
func SignedInBehind(t testing.TB) (*Client, *Gate) {
	dsn, gate := newGate(t, storetest.DSN(t))
	c := runOn(t, dsn, nil)
	c.signIn()
	return c, gate
}

// RunLogging is Run with the application's log written to a place of the test's.
func RunLogging(t testing.TB, log io.Writer) *Client {
	return runWith(t, storetest.DSN(t), nil, log)
}

func runOn(t testing.TB, dsn string, change func(p *plan.Plan)) *Client {
	return runWith(t, dsn, change, io.Discard)
}

func runWith(t testing.TB, dsn string, change func(p *plan.Plan), log io.Writer) *Client {
	return run(t, dsn, livetest.Plan(t, change), func(string) []standin.Config { return livetest.StandIns() }, log)
}

// WholeDemo runs the demo with its registrations and credentials, and signs in. The
// database is that of a DSN, so that a test can start it again.
func WholeDemo(t testing.TB, dsn string) *Client {
	c := run(t, dsn, livetest.Whole(t), livetest.WholeStandIns, io.Discard)
	c.signIn()
	return c
}

// Key seals secrets in tests.
const Key = "c3dpdGNoYmFjayB0ZXN0IGtleSBvZiAzMiBieXRlcyE="

func run(t testing.TB, dsn string, p plan.Plan, standIns func(certificates string) []standin.Config, log io.Writer) *Client {
	release := livetest.Lock(t)
	vault, err := store.NewVault(Key)
	require.NoError(t, err)
	certificates := t.TempDir()
	require.NoError(t, demo.Certificates(certificates, p, time.Now()))
	var records []string
	for _, r := range demo.Names() {
		records = append(records, livetest.Address(r))
	}
	names, err := standin.NewNameServer(records)
	require.NoError(t, err)
	require.NoError(t, names.Start("127.1.53.1:0"))
	t.Cleanup(names.Stop)
	ready := make(chan string, 1)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	o := app.Options{
		DSN: dsn, HTTP: "127.0.0.1:0", Metrics: Metrics, StandIns: standIns(certificates), Vault: vault, Recordings: t.TempDir(), Certificates: certificates, NameServer: names.Address(), OwnNetworks: []netip.Prefix{netip.MustParsePrefix(Own + "/32")},
		Log:   slog.New(slog.NewTextHandler(log, &slog.HandlerOptions{Level: slog.LevelDebug})),
		Ready: func(url string) { ready <- url },
		Prepare: func(ctx context.Context, s *store.Store, fresh bool) error {
			for _, a := range demo.Accounts() {
				if err := s.PutSecret(ctx, plan.SecretName(a.Trunk, a.Side, a.ID), demo.Secret(a.Side, a.Trunk)); err != nil {
					return err
				}
			}
			if !fresh {
				return nil
			}
			return load(ctx, s, p)
		},
	}
	go func() { ended <- app.Run(ctx, o) }()
	over := sync.OnceFunc(func() {
		stop()
		require.NoError(t, <-ended)
		release()
	})
	t.Cleanup(over)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	select {
	case url := <-ready:
		return &Client{url, dsn, over, t, &http.Client{Jar: jar}}
	case err := <-ended:
		ended <- err
		require.NoError(t, err)
		return nil
	}
}

func load(ctx context.Context, s *store.Store, p plan.Plan) error {
	if err := s.SetUser(ctx, User, Password); err != nil {
		return err
	}
	_, err := s.Install(ctx, p, User, "start")
	return err
}

// SignedIn is Run with the engineer signed in.
func SignedIn(t testing.TB, change func(p *plan.Plan)) *Client {
	c := Run(t, change)
	c.signIn()
	return c
}

func (c *Client) signIn() {
	status, _ := c.Send("POST", "/api/session", map[string]string{"name": User, "password": Password}, nil)
	require.Equal(c.t, 200, status)
}

// HTTP is the client with the cookies of the sign-in.
func (c *Client) HTTP() *http.Client { return c.http }

// Send sends JSON and returns the status and the body.
func (c *Client) Send(method, path string, body any, header http.Header) (int, []byte) {
	var text []byte
	switch b := body.(type) {
	case nil:
	case []byte:
		text = b
	default:
		var err error
		text, err = json.Marshal(b)
		require.NoError(c.t, err)
	}
	req, err := http.NewRequest(method, c.URL+path, bytes.NewReader(text))
	require.NoError(c.t, err)
	req.Header.Set("Content-Type", "application/json")
	for k, v := range header {
		req.Header[k] = v
	}
	res, err := c.http.Do(req)
	require.NoError(c.t, err)
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	require.NoError(c.t, err)
	return res.StatusCode, answer
}

// Ask sends a request that must succeed and reads the answer into out.
func (c *Client) Ask(method, path string, body, out any) {
	status, text := c.Send(method, path, body, nil)
	require.Less(c.t, status, 300, "%s %s: %s", method, path, text)
	if out != nil {
		require.NoError(c.t, json.Unmarshal(text, out))
	}
}

// Problem sends a request that must fail and returns its problem document.
func (c *Client) Problem(wantStatus int, method, path string, body any) ProblemDocument {
	status, text := c.Send(method, path, body, nil)
	require.Equal(c.t, wantStatus, status, "%s %s: %s", method, path, text)
	var p ProblemDocument
	require.NoError(c.t, json.Unmarshal(text, &p))
	return p
}

// ProblemDocument is the answer to a request that failed (RFC 9457).
type ProblemDocument struct {
	Detail string
	Errors []struct{ Location, Message string }
}

// Again stops the application and starts another on the same database, signed in.
func (c *Client) Again() *Client {
	c.Stop()
	again := runOn(c.t, c.DSN, nil)
	again.signIn()
	return again
}

// Store is the application's database, looked at from outside.
func (c *Client) Store() *store.Store {
	s, err := store.Open(context.Background(), c.DSN)
	require.NoError(c.t, err)
	c.t.Cleanup(func() { s.Close() })
	return s
}

// Empty runs the application on an empty database, as "switchback serve" does on a new
// machine, and returns the link that it gives the first person.
func Empty(t testing.TB) (c *Client, link string) {
	dsn := storetest.DSN(t)
	ready, welcome := make(chan string, 1), make(chan string, 1)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	vault, err := store.NewVault(Key)
	require.NoError(t, err)
	go func() {
		ended <- app.Run(ctx, app.Options{
			DSN: dsn, HTTP: "127.0.0.1:0", Vault: vault, Recordings: t.TempDir(), Log: slog.New(slog.NewTextHandler(io.Discard, nil)),
			Ready: func(url string) { ready <- url }, Welcome: func(link string) { welcome <- link },
		})
	}()
	over := sync.OnceFunc(func() {
		stop()
		require.NoError(t, <-ended)
	})
	t.Cleanup(over)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	select {
	case url := <-ready:
		return &Client{url, dsn, over, t, &http.Client{Jar: jar}}, <-welcome
	case err := <-ended:
		ended <- err
		require.NoError(t, err)
		return nil, ""
	}
}
