package app

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/live/media"
	"switchback.example/switchback/internal/live/names"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/store"
)

// board runs the switches of the live plan.
type board struct {
	store      *store.Store
	plan       *live.Plan
	trunks     *live.Trunks
	recorder   *live.Recorder
	operations *operations
	feed       *live.Feed
	log        *slog.Logger
	// certificates are for TLS.
	certificates *live.Certificates
	names        *names.Resolver

	mu       sync.Mutex
	stations map[string]*station // by the id of the switch
}

// load compiles the live plan of the store and starts its switches.
func (b *board) load(ctx context.Context) error {
	p, revision, err := b.store.Live(ctx)
	if err != nil {
		return err
	}
	snapshot, problems := decide.Compile(p)
	if len(problems) > 0 {
		return fmt.Errorf("the live plan, revision %d, cannot run: %w (and %d more)", revision, problems[0], len(problems)-1)
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.plan.Swap(live.Running{Snapshot: snapshot, Revision: revision})
	b.resumeTrial(ctx)
	fresh, failed := b.bind(p)
	if len(failed) > 0 {
		return failed[0]
	}
	adopt(fresh)
	for _, p := range b.listen(p) { // other calls are carried all the same
		b.log.Error("a switch does not listen everywhere", "place", p.Place, "why", p.Reason)
	}
	return nil
}

// GoLive prepares the draft (compile, bind addresses), commits it as a
// revision, and only then swaps it in. If anything fails the old plan stays.
func (b *board) GoLive(ctx context.Context, version int64, who, note string) (store.Revision, []plan.Problem, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	d, err := b.store.Draft(ctx)
	if err != nil {
		return store.Revision{}, nil, err
	}
	if d.Version != version {
		return store.Revision{}, nil, store.ErrDraftMoved
	}
	var before *decide.Snapshot
	if run := b.plan.Current(); run != nil {
		before = run.Snapshot
	}
	snapshot, problems := before.Compile(d.Plan)
	if len(problems) > 0 {
		return store.Revision{}, problems, nil
	}
	fresh, problems := b.bind(d.Plan)
	if len(problems) == 0 {
		problems = b.listen(d.Plan)
	}
	if len(problems) > 0 {
		b.back(before, fresh)
		return store.Revision{}, problems, nil
	}
	r, err := b.store.GoLive(ctx, version, who, note)
	if err != nil {
		b.back(before, fresh)
		return r, nil, err
	}
	b.plan.Swap(live.Running{Snapshot: snapshot, Revision: r.ID})
	if b.plan.Trial() != nil { // it was made on the plan before
		b.plan.Try(nil)
		b.feed.Tell(live.TopicTrial, "")
		if err := b.store.ForgetTrial(ctx); err != nil {
			b.log.Warn("the plan that was tried could not be dropped; it decides nothing any more", "error", err)
		}
	}
	adopt(fresh)
	b.feed.Tell(live.TopicPlan, "")
	b.retire(d.Plan)
	b.log.Info("plan went live", "revision", r.ID, "who", who, "changes", r.Changes)
	return r, nil, nil
}

// stop stops every switch; calls end.
func (b *board) stop() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.retire(plan.Plan{})
}

// TestCall sends a straight test call by the switch of a trunk.
func (b *board) TestCall(t plan.Trunk, called, caller digits.Number, talk time.Duration) (call string, err error) {
	for _, a := range b.running() {
		if a.Switch == t.Switch {
			return a.TestCall(t.ID, called, caller, talk)
		}
	}
	return "", fmt.Errorf("switch %s does not run", t.Switch)
}

// PlaceCall begins a test call in the switch of the trunk from which it is to come.
func (b *board) PlaceCall(t plan.Trunk, in decide.Call, talk time.Duration) (leg string, err error) {
	for _, a := range b.running() {
		if a.Switch == t.Switch {
			return a.PlaceCall(in, talk)
		}
	}
	return "", fmt.Errorf("switch %s does not run", t.Switch)
}

// EndPlaced ends such a call; ok is false if none of the name runs.
func (b *board) EndPlaced(leg string) (ok bool) {
	for _, a := range b.running() {
		ok = ok || a.EndPlaced(leg)
	}
	return ok
}

// Unknown counts messages from unknown sources, by switch and by what became of them.
func (b *board) Unknown() map[string]map[string]int64 {
	out := map[string]map[string]int64{}
	for _, s := range b.running() {
		by := map[string]int64{}
		for _, c := range s.carriers {
			for what, n := range c.Strangers() {
				by[what] += n
			}
		}
		out[s.Switch] = by
	}
	return out
}

// previewers are those of the protocols that trunks can have.
var previewers = map[string]call.Previewer{plan.ProtocolSIP: sip.Preview}

// Preview writes what a switch would send by a trunk for a call; nothing is sent.
func (b *board) Preview(sw plan.Switch, t plan.Trunk, o decide.Offer) ([]call.Preview, error) {
	write := previewers[t.Protocol()]
	if write == nil {
		return nil, fmt.Errorf("trunk %s has no link that could send anything", t.ID)
	}
	return write(sw, t, o)
}

// Ports says how many RTP ports each switch uses.
func (b *board) Ports() map[string]media.Use {
	out := map[string]media.Use{}
	for _, s := range b.running() {
		out[s.Switch] = s.Ports()
	}
	return out
}

// running are the switches as they are now.
func (b *board) running() (list []station) {
	b.mu.Lock()
	defer b.mu.Unlock()
	for _, s := range b.stations {
		list = append(list, station{s.Control, maps.Clone(s.carriers)})
	}
	return list
}
