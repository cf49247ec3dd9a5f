package app

import (
	"context"
	"errors"
	"time"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/store"
)

// Try lets the draft decide the calls of some scopes, while the live plan decides the
// rest. It opens no addresses and knows no new trunks: those come with the go-live.
func (b *board) Try(ctx context.Context, version int64, scopes []standing.Scope, who string) ([]plan.Problem, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	run := b.plan.Current()
	if now := b.plan.Trial(); now != nil && now.Version == version {
		// The same plan, for others: it goes on counting.
		if err := b.store.WidenTrial(ctx, scopes); err != nil {
			return nil, err
		}
		wider := &live.Trial{Running: now.Running, Scopes: scopes, Version: now.Version, Base: now.Base, Since: now.Since, By: now.By}
		wider.Calls.Store(now.Calls.Load())
		b.plan.Try(wider)
		b.feed.Tell(live.TopicTrial, "")
		return nil, nil
	}
	d, err := b.store.Draft(ctx)
	if err != nil {
		return nil, err
	}
	if run == nil || d.Version != version {
		return nil, store.ErrDraftMoved
	}
	snapshot, problems := run.Snapshot.Compile(d.Plan)
	if len(problems) > 0 {
		return problems, nil
	}
	now := time.Now()
	if err := b.store.KeepTrial(ctx, store.Trial{Version: version, Base: run.Revision, Scopes: scopes, Since: now, By: who}); err != nil {
		return nil, err
	}
	b.plan.Try(&live.Trial{Running: live.Running{Snapshot: snapshot, Revision: run.Revision, Trial: true}, Scopes: scopes, Version: version, Base: run.Revision, Since: now, By: who})
	b.feed.Tell(live.TopicTrial, "")
	b.log.Info("a plan is tried", "version", version, "who", who)
	return nil, nil
}

// StopTrial lets the live plan decide all calls again, at once.
func (b *board) StopTrial(ctx context.Context) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.plan.Try(nil)
	b.feed.Tell(live.TopicTrial, "")
	return b.store.ForgetTrial(ctx)
}

// resumeTrial goes on with a trial that a process before this one began.
func (b *board) resumeTrial(ctx context.Context) {
	t, p, err := b.store.Trial(ctx)
	if errors.Is(err, store.ErrNotFound) {
		return
	}
	run := b.plan.Current()
	if err != nil || run == nil {
		b.log.Error("the plan that was tried cannot be read; the live one decides all calls", "error", err)
		return
	}
	snapshot, problems := run.Snapshot.Compile(p)
	if len(problems) > 0 {
		b.log.Error("the plan that was tried cannot run any more; the live one decides all calls", "why", problems[0].Error())
		return
	}
	b.plan.Try(&live.Trial{Running: live.Running{Snapshot: snapshot, Revision: run.Revision, Trial: true}, Scopes: t.Scopes, Version: t.Version, Base: t.Base, Since: t.Since, By: t.By})
}
