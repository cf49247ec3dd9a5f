// Package app wires everything together: the only place that knows all the
// others.
package app

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"time"

	"github.com/alexedwards/scs/mysqlstore"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/archive"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/names"
	"switchback.example/switchback/internal/standin"
	"switchback.example/switchback/internal/store"
)

// Options say how to run.
type Options struct {
	DSN  string // of the database, as go-sql-driver/mysql writes it
	HTTP string // address and port of the web application and the API, on loopback
	// HTTPRemote lets HTTP be on another address, such as behind a proxy in another place.
	HTTPRemote bool
	// HTTPS is address and port of the same by HTTPS; empty for none.
	HTTPS HTTPS
	// Instance names this installation to people; empty for none.
	Instance string
	// Metrics is where /metrics, /healthz and /readyz are served without a
	// sign-in; empty for nowhere. The last two are on HTTP too.
	Metrics string
	// Vault seals secrets in the database; the zero Vault keeps none.
	Vault store.Vault
	// Recordings is the folder for recorded messages, empty for nowhere; Keep
	// says how much of them, and how long call records are kept.
	Recordings string
	// Certificates is the folder of the files for TLS, empty for none.
	Certificates string
	// NameServer is the address and port of the name server that is asked for the
	// names of far ends; empty for none.
	NameServer string
	// OwnNetworks are those from which signing in is never blocked.
	OwnNetworks []netip.Prefix
	// Proxies are those in front of the web application that are believed.
	Proxies []netip.Prefix
	Keep    archive.Limits
	// OtherPort takes one of the next ports if the port is taken.
	OtherPort bool
	// StandIns run beside the switches; none outside the demo.
	StandIns []standin.Config
	// Prepare runs once the database is migrated, before the switches start.
	Prepare func(ctx context.Context, s *store.Store, fresh bool) error
	// Ready is told the addresses once everything runs: that of HTTP, and that of HTTPS if
	// there is one.
	Ready func(urls ...string)
	// Welcome is told the link by which the first person gets in, once, where nobody can
	// sign in yet; nil makes no link.
	Welcome func(link string)
	Log     *slog.Logger
}

func (o Options) check() error {
	if o.DSN == "" {
		return errors.New("no database: give --dsn or set SWITCHBACK_DSN, such as user:secret@tcp(127.0.0.1:3306)/switchback")
	}
	if err := o.checkHTTP(); err != nil {
		return err
	}
	if _, _, err := net.SplitHostPort(o.Metrics); o.Metrics != "" && err != nil {
		return fmt.Errorf("--metrics %q: use address and port such as 127.0.0.1:9480: %w", o.Metrics, err)
	}
	return nil
}

// planName is what the plan is called until somebody names it.
const planName = "New plan"

// Migrate brings the database up to this version.
func Migrate(ctx context.Context, dsn string) (steps int, err error) {
	s, err := store.Open(ctx, dsn)
	if err != nil {
		return 0, err
	}
	defer s.Close()
	return s.Migrate(ctx)
}

// Run runs until the context ends, and then stops in order: no new requests,
// calls end, records are saved.
func Run(ctx context.Context, o Options) error {
	if err := o.check(); err != nil {
		return err
	}
	db, err := store.Open(ctx, o.DSN)
	if err != nil {
		return err
	}
	defer db.Close()
	release, err := db.Hold(ctx, o.Log)
	if err != nil {
		return err
	}
	defer release()
	if _, err := db.Migrate(ctx); err != nil {
		return err
	}
	db.UseVault(o.Vault)
	if err := prepare(ctx, db, o); err != nil {
		return err
	}
	entrances, err := enter(o)
	if err != nil {
		return err
	}
	defer entrances.close()

	recordings, err := openArchive(ctx, db, o)
	if err != nil {
		return err
	}
	defer recordings.Close()
	// Microseconds since 1970 grow faster than any process tells news, so that
	// none repeats what an earlier one told.
	feed := live.NewFeed(time.Now().UnixMicro())
	defer feed.Close()
	recorder, calls := live.NewRecorder(recordings, db, feed, o.Log), newCallMetrics()
	recording, stopRecording := context.WithCancel(context.WithoutCancel(ctx))
	recorded := make(chan struct{})
	go func() { recorder.Run(recording); close(recorded) }()
	defer func() { stopRecording(); <-recorded }()
	go expire(recording, recordings, db, o)
	go summarize(ctx, db, o)

	standIns, err := standin.NewSet(o.StandIns)
	if err != nil {
		return err
	}
	defer standIns.Stop() // after the switches, so that they can say BYE to them
	current, trunks := &live.Plan{}, live.NewTrunks(feed)
	ops, err := loadOperations(ctx, db, current, trunks, feed, o.Log)
	if err != nil {
		return err
	}
	recorder.OnOver(func(c record.Call) {
		summary, now := record.Summarize(c), time.Now()
		calls.over(summary)
		trunks.Over(summary, now)
		ops.matches.Note(decide.Matched(c.Trail), now)
	})
	b := &board{store: db, plan: current, trunks: trunks, recorder: recorder, operations: ops, feed: feed, log: o.Log, certificates: live.NewCertificates(o.Certificates), names: names.New(o.NameServer), stations: map[string]*station{}}
	watching, stopWatching := context.WithCancel(context.WithoutCancel(ctx))
	watched := make(chan struct{})
	defer func() { stopWatching(); <-watched }()
	defer b.stop()
	go func() { ops.run(watching); close(watched) }()
	if err := b.load(ctx); err != nil {
		return err
	}
	if err := standIns.Start(); err != nil {
		return err
	}

	first, err := firstStart(ctx, db, entrances.best(), o)
	if err != nil {
		return err
	}
	handler := api.New(api.Config{
		First: first, Instance: o.Instance,
		Store: db, Sessions: mysqlstore.New(db.DB()), Plan: b.plan, Trunks: b.trunks, Recorder: recorder, Archive: recordings, Feed: feed,
		Secrets: ops.secrets, Registrations: ops.registrations, Gate: ops.gate, SignIns: ops.signIns, OwnNetworks: o.OwnNetworks, Proxies: o.Proxies, Certificates: b.certificates, History: ops.history, RuleMatches: ops.matches, Lamps: &ops.lamps, Overrides: ops.overrides, Arrivals: ops.arrivals, Strangers: ops.strangers, Journal: &ops.journal,
		Switchboard: b, StandIns: standIns, Log: o.Log,
	})
	h := health{db, b, b.trunks, recorder, recordings, ops, calls}
	mux := http.NewServeMux()
	mux.Handle("/", handler)
	h.register(mux)
	if o.Metrics != "" {
		stop, err := serveMetrics(h, o.Metrics)
		if err != nil {
			return err
		}
		defer stop()
	}
	return entrances.serve(ctx, mux, feed, o)
}

// firstStart makes the link by which the first person gets in, where nobody can sign in
// yet. The token stands behind a #, so that it is sent to no server and kept in no log.
func firstStart(ctx context.Context, db *store.Store, url string, o Options) (*api.FirstStart, error) {
	n, err := db.Users(ctx)
	if err != nil || n > 0 || o.Welcome == nil {
		return nil, err
	}
	first := &api.FirstStart{}
	o.Welcome(url + "/first-start#" + first.Open())
	return first, nil
}

// serveMetrics serves what machines ask on an address of its own.
func serveMetrics(h health, address string) (stop func(), err error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("metrics: %w", err)
	}
	mux := http.NewServeMux()
	h.register(mux)
	mux.Handle("GET /metrics", h.metrics())
	server := &http.Server{Handler: mux, ReadHeaderTimeout: readHeaderTimeout, ReadTimeout: readTimeout, MaxHeaderBytes: maxHeaderBytes}
	go func() { _ = server.Serve(listener) }() // ends with Close
	return func() { _ = server.Close() }, nil
}

func prepare(ctx context.Context, db *store.Store, o Options) error {
	fresh, err := db.Begin(ctx, planName)
	if err != nil {
		return err
	}
	if n, err := db.Unfinished(ctx); err != nil {
		return err
	} else if n > 0 {
		o.Log.Warn("closed the records of calls that were running when the last process ended", "calls", n)
	}
	if o.Prepare == nil {
		return nil
	}
	return o.Prepare(ctx, db, fresh)
}
