package app

import (
	"context"
	"errors"
	"log/slog"
	"time"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/store"
)

// operations is the state of the moment that outlasts the process: read once when
// it starts, and kept as it changes. Calls never wait for it.
type operations struct {
	store         *store.Store
	plan          *live.Plan
	trunks        *live.Trunks
	secrets       *live.Secrets
	registrations *live.Registrations
	gate          *live.Gate // of calls
	signIns       *live.Gate // who guesses passwords
	history       *live.History
	matches       *live.RuleMatches
	lamps         live.Lamps
	overrides     *live.Overrides
	arrivals      *live.Arrivals
	strangers     *live.Strangers
	log           *slog.Logger
	journal       live.Journal
	blocks        *blocks
	answersKept   time.Time // until when what came of calls is kept
	ending        bool
}

// loadOperations reads what was kept.
func loadOperations(ctx context.Context, db *store.Store, plan *live.Plan, trunks *live.Trunks, feed *live.Feed, log *slog.Logger) (*operations, error) {
	o := &operations{
		store: db, plan: plan, trunks: trunks, log: log,
		registrations: live.NewRegistrations(feed), gate: live.NewGate(feed), signIns: live.NewGate(feed), blocks: newBlocks(),
	}
	secrets, broken, err := db.Secrets(ctx)
	if err != nil {
		return nil, err
	}
	if broken > 0 {
		log.Error("secrets cannot be opened with the key in the key file; the accounts that they belong to cannot prove themselves", "secrets", broken)
	}
	o.secrets = live.NewSecrets(secrets)
	now := time.Now()
	bindings, err := db.Registrations(ctx)
	if err != nil {
		return nil, err
	}
	o.registrations.Restore(bindings)
	for name, gate := range map[string]*live.Gate{"calls": o.gate, "sign-in": o.signIns} {
		if err := o.keepGate(ctx, name, gate, now); err != nil {
			return nil, err
		}
	}
	answers, err := db.Answers(ctx, now.Add(-standing.HistoryFor))
	if err != nil {
		return nil, err
	}
	trunks.RestoreAnswers(answers)
	services, err := db.Services(ctx)
	if err != nil {
		return nil, err
	}
	for _, v := range services {
		trunks.SetService(v)
	}
	turns, err := db.TrunkStates(ctx, now.Add(-standing.HistoryFor))
	if err != nil {
		return nil, err
	}
	o.history = live.NewHistory(turns)
	matches, err := db.RuleMatches(ctx, now.Add(-keepMatches))
	if err != nil {
		return nil, err
	}
	o.matches = live.NewRuleMatches(matches)
	overrides, err := db.Overrides(ctx, now)
	if err != nil {
		return nil, err
	}
	o.overrides = live.NewOverrides(feed, overrides)
	arrivals, err := db.Arrivals(ctx)
	if err != nil {
		return nil, err
	}
	o.arrivals, o.strangers = live.NewArrivals(arrivals), live.NewStrangers()
	return o, nil
}

// keepGate gives a gate the blocks that were kept, and keeps what becomes of them.
func (o *operations) keepGate(ctx context.Context, name string, gate *live.Gate, now time.Time) error {
	blocks, err := o.store.Blocks(ctx, name, now)
	if err != nil {
		return err
	}
	gate.Restore(blocks)
	gate.Changed = func(b guard.Block, gone bool) {
		o.blocks.changed(blockKey{name, b.Source}, blockChange{b, gone})
	}
	return nil
}

// keepMatches is for how long it is known when a rule matched last.
const keepMatches = 90 * 24 * time.Hour

// lookEvery is how often trunks are looked at, and what changed is kept.
const lookEvery = time.Second

// keepAnswersEvery is how often what came of calls is kept.
const keepAnswersEvery = 10 * time.Second

// run watches and keeps until the context ends.
func (o *operations) run(ctx context.Context) {
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	swept := time.Now()
	for {
		select {
		case <-ctx.Done():
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			o.stopped(time.Now())
			o.ending = true
			o.keep(last)
			return
		case now := <-tick.C:
			o.observe(now)
			o.overrides.Expire(now)
			o.keep(ctx)
			if now.Sub(swept) > time.Hour {
				swept = now
				before := now.Add(-2 * standing.HistoryFor)
				_ = errors.Join(o.store.ForgetTrunkStates(ctx, before), o.store.ForgetAnswers(ctx, before), o.store.ForgetRuleMatches(ctx, now.Add(-keepMatches))) // tried again in an hour
			}
		}
	}
}

// observe notes what each trunk is.
func (o *operations) observe(now time.Time) {
	run := o.plan.Current()
	if run == nil {
		return
	}
	for _, t := range run.Snapshot.Plan().Trunks {
		s := o.trunks.Judge(t, o.registrations, o.gate, now)
		o.history.Observe(standing.TrunkState{Trunk: t.ID, At: now, Word: s.Word, Cause: s.Cause})
	}
}

// stopped notes that nobody looks any more.
func (o *operations) stopped(now time.Time) {
	if run := o.plan.Current(); run != nil {
		for _, t := range run.Snapshot.Plan().Trunks {
			o.history.Observe(standing.TrunkState{Trunk: t.ID, At: now, Word: standing.Stopped, Cause: "Switchback was not running"})
		}
	}
}

// keep writes what changed; what fails is tried again a second later.
func (o *operations) keep(ctx context.Context) {
	if list := o.registrations.Changed(time.Now()); len(list) > 0 {
		if err := o.store.SaveRegistrations(ctx, list); err != nil {
			o.registrations.Again(list)
		}
	}
	// The slots since the last one that was kept: few, and the same again until
	// nothing is added to them.
	if now := time.Now(); o.answersKept.IsZero() || now.Sub(o.answersKept) >= keepAnswersEvery || o.ending {
		if err := o.store.SaveAnswers(ctx, o.trunks.AnswersSince(o.answersKept)); err == nil {
			o.answersKept = now
		}
		if list := o.matches.Changed(); len(list) > 0 {
			if err := o.store.SaveRuleMatches(ctx, list); err != nil {
				o.matches.Again(list)
			}
		}
	}
	o.keepBlocks(ctx)
	if list := o.journal.Changed(); len(list) > 0 {
		if err := o.store.SaveDeeds(ctx, list); err != nil {
			o.journal.Again(list)
		}
	}
	if list := o.arrivals.Changed(); len(list) > 0 {
		if err := o.store.SaveArrivals(ctx, list); err != nil {
			o.arrivals.Again(list)
		}
	}
	if list := o.overrides.Changed(); len(list) > 0 {
		if err := o.store.SaveOverrides(ctx, list); err != nil {
			o.overrides.Again(list)
		}
	}
	if list := o.history.Fresh(); len(list) > 0 {
		if err := o.store.SaveTrunkStates(ctx, list); err != nil {
			o.history.Again(list)
		}
	}
}
