package app

import (
	"context"
	"time"

	"switchback.example/switchback/internal/archive"
	"switchback.example/switchback/internal/store"
)

// openArchive opens the folder for recordings so that no segment's id is used a
// second time.
func openArchive(ctx context.Context, db *store.Store, o Options) (*archive.Archive, error) {
	if o.Keep == (archive.Limits{}) {
		o.Keep = archive.DefaultLimits()
	}
	a, err := archive.Open(o.Recordings, o.Keep, o.Log)
	if err != nil {
		return nil, err
	}
	last, err := db.LastSegment(ctx)
	if err != nil {
		return nil, err
	}
	a.After(last)
	return a, nil
}

// expireEvery is how often what is too old is looked for.
const expireEvery = time.Minute

// expire drops old segments with their index, and old call records, until the
// context ends. What fails is tried again the next time.
func expire(ctx context.Context, a *archive.Archive, db *store.Store, o Options) {
	tick := time.NewTicker(expireEvery)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case now := <-tick.C:
			oldest, err := a.Expire(now)
			if err == nil && a.Keeps() {
				err = db.ForgetSegments(ctx, oldest)
			}
			if err == nil && o.Keep.Keep > 0 {
				err = db.ForgetCalls(ctx, now.Add(-o.Keep.Keep))
			}
			if err != nil && ctx.Err() == nil {
				o.Log.Warn("old records could not be dropped; it is tried again in a minute", "error", err)
			}
		}
	}
}

// summarize gives the records of older versions their summaries while calls already run.
func summarize(ctx context.Context, db *store.Store, o Options) {
	if err := db.SummarizeCalls(ctx); err != nil && ctx.Err() == nil {
		o.Log.Warn("older call records could not be made searchable; it is tried again at the next start", "error", err)
	}
}
