// Package apptest runs the whole application for tests, with the demo's plan
// and stand-ins, and a client that speaks to it as a browser does. It is for
// tests only.
package apptest

import (
	"context"
	"io"
	"log/slog"
	"net/netip"
	"path/filepath"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/door"
	"switchback.example/switchback/internal/livetest"
	"switchback.example/switchback/internal/standin"
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

// The sign-in of the test's engineer, and an address of the networks that are our own.
const (
	User     = apitest.User
	Password = apitest.Password
	Own      = "127.0.0.2"
)

// Metrics is where the application under test serves its figures.
const Metrics = "127.1.0.1:9480"

// Instance is the name of the installation under test.
const Instance = "Test bench"

// Client speaks to a running Switchback as a browser does.
type Client struct {
	*apitest.Client
	DSN string // of its database
	// Secure is its address by HTTPS, and Certificate the file with its certificate.
	Secure, Certificate string
	Stop                func() // stops the application before the test ends
	t                   testing.TB
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
	c.SignIn()
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
	c.SignIn()
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
	ready, folder := make(chan []string, 1), t.TempDir()
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	o := app.Options{
		DSN: dsn, HTTP: "127.0.0.1:0", HTTPS: app.HTTPS{Address: "127.0.0.1:0", Folder: folder}, Instance: Instance, Metrics: Metrics, StandIns: standIns(certificates), Vault: vault, Recordings: t.TempDir(), Certificates: certificates, NameServer: names.Address(), OwnNetworks: []netip.Prefix{netip.MustParsePrefix(Own + "/32")},
		Log:   slog.New(slog.NewTextHandler(log, &slog.HandlerOptions{Level: slog.LevelDebug})),
		Ready: func(urls ...string) { ready <- urls },
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
	select {
	case urls := <-ready:
		return &Client{apitest.NewClient(t, urls[0]), dsn, urls[1], filepath.Join(folder, "https.pem"), over, t}
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
	c.SignIn()
	return c
}

// Again stops the application and starts another on the same database, signed in.
func (c *Client) Again() *Client {
	c.Stop()
	again := runOn(c.t, c.DSN, nil)
	again.SignIn()
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
	ready, welcome := make(chan []string, 1), make(chan string, 1)
	certificate, key, err := door.SelfMade(t.TempDir(), []string{"127.0.0.1"}, time.Now())
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	vault, err := store.NewVault(Key)
	require.NoError(t, err)
	go func() {
		ended <- app.Run(ctx, app.Options{
			DSN: dsn, HTTP: "127.0.0.1:0", HTTPS: app.HTTPS{Address: "127.0.0.1:0", Certificate: certificate, Key: key}, Instance: Instance, Vault: vault, Recordings: t.TempDir(), Log: slog.New(slog.NewTextHandler(io.Discard, nil)),
			Ready: func(urls ...string) { ready <- urls }, Welcome: func(link string) { welcome <- link },
		})
	}()
	over := sync.OnceFunc(func() {
		stop()
		require.NoError(t, <-ended)
	})
	t.Cleanup(over)
	select {
	case urls := <-ready:
		return &Client{apitest.NewClient(t, urls[0]), dsn, urls[1], certificate, over, t}, <-welcome
	case err := <-ended:
		ended <- err
		require.NoError(t, err)
		return nil, ""
	}
}
