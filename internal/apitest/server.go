package apitest

import (
	"context"
	"errors"
	"log/slog"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/archive"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/live/media"
	"switchback.example/switchback/internal/livetest"
	"switchback.example/switchback/internal/standin"
	"switchback.example/switchback/internal/store"
)

// SignedIn is Serve with the engineer signed in.
func SignedIn(t testing.TB, change func(p *plan.Plan)) *Client {
	c := Serve(t, change)
	c.SignIn()
	return c
}

// Serve serves the API from memory until the test ends: the demo's plan is live, no switch
// runs, and the stand-ins are stopped.
func Serve(t testing.TB, change func(p *plan.Plan)) *Client {
	m, err := NewMemory("Skerry Line")
	require.NoError(t, err)
	require.NoError(t, m.AddFirstUser(t.Context(), User, Password))
	require.NoError(t, m.ReplaceDraft(t.Context(), livetest.Plan(t, change)))
	feed := live.NewFeed(0)
	b := &desk{memory: m, plan: &live.Plan{}}
	_, problems, err := b.GoLive(t.Context(), m.version, "start", "")
	require.NoError(t, err)
	require.Empty(t, problems)
	log := slog.New(slog.NewTextHandler(t.Output(), &slog.HandlerOptions{Level: slog.LevelError}))
	nowhere, err := archive.Open("", archive.DefaultLimits(), log)
	require.NoError(t, err)
	standIns, err := standin.NewSet(livetest.StandIns())
	require.NoError(t, err)
	server := httptest.NewServer(api.New(api.Config{
		Store: m, Plan: b.plan, Trunks: live.NewTrunks(feed), Recorder: live.NewRecorder(nowhere, m, feed, log), Archive: nowhere, Feed: feed,
		Secrets: live.NewSecrets(nil), Registrations: live.NewRegistrations(feed), Gate: live.NewGate(feed), SignIns: live.NewGate(feed),
		Certificates: live.NewCertificates(""), History: live.NewHistory(nil), RuleMatches: live.NewRuleMatches(nil), Lamps: &live.Lamps{}, Overrides: live.NewOverrides(feed, nil),
		Arrivals: live.NewArrivals(nil), Strangers: live.NewStrangers(), Journal: &live.Journal{},
		Switchboard: b, StandIns: standIns, Log: log,
	}))
	t.Cleanup(func() {
		feed.Close() // streams of events end with it
		server.Close()
	})
	return NewClient(t, server.URL)
}

// desk is a switchboard that puts plans in force and carries no call.
type desk struct {
	memory *Memory
	plan   *live.Plan
}

var errNoSwitch = errors.New("no switch runs here")

func (d *desk) GoLive(_ context.Context, version int64, who, note string) (store.Revision, []plan.Problem, error) {
	s, problems := decide.Compile(d.memory.now().draft.plan)
	if len(problems) > 0 {
		return store.Revision{}, problems, nil
	}
	r, err := d.memory.GoLive(version, who, note)
	if err == nil {
		d.plan.Swap(live.Running{Snapshot: s, Revision: r.ID})
	}
	return r, nil, err
}

func (*desk) TestCall(plan.Trunk, digits.Number, digits.Number, time.Duration) (string, error) {
	return "", errNoSwitch
}
func (*desk) PlaceCall(plan.Trunk, decide.Call, time.Duration) (string, error) {
	return "", errNoSwitch
}
func (*desk) EndPlaced(string) bool                { return false }
func (*desk) Unknown() map[string]map[string]int64 { return nil }
func (*desk) Try(context.Context, int64, []standing.Scope, string) ([]plan.Problem, error) {
	return nil, errNoSwitch
}
func (*desk) StopTrial(context.Context) error { return errNoSwitch }
func (*desk) Preview(plan.Switch, plan.Trunk, decide.Offer) ([]call.Preview, error) {
	return nil, errNoSwitch
}
func (*desk) Ports() map[string]media.Use { return nil }
