package store

import (
	"context"
	"database/sql"
	"time"

	"switchback.example/switchback/internal/core/standing"
)

// Overrides returns the calendars that were set by hand since a time, and those that
// still are, the oldest first.
func (s *Store) Overrides(ctx context.Context, since time.Time) ([]standing.Override, error) {
	return many(ctx, s.db, func(scan func(...any) error) (o standing.Override, err error) {
		var until, ended sql.NullTime
		err = scan(&o.Hours, &o.Since, &o.State, &until, &o.Why, &o.By, &ended)
		o.Until, o.Ended = until.Time, ended.Time
		return o, err
	}, `SELECT calendar, since, state, until_at, why, who, ended_at FROM overrides WHERE ended_at IS NULL OR ended_at > ? ORDER BY since`, since.UTC())
}

// SaveOverrides keeps what became of overrides.
func (s *Store) SaveOverrides(ctx context.Context, list []standing.Override) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for _, o := range list {
			if _, err := tx.ExecContext(ctx, `REPLACE INTO overrides (calendar, since, state, until_at, why, who, ended_at) VALUES (?,?,?,?,?,?,?)`,
				o.Hours, o.Since.UTC().Truncate(time.Millisecond), o.State, orNull(o.Until), clip(o.Why, maxWhy), clip(o.By, 200), orNull(o.Ended)); err != nil {
				return err
			}
		}
		return nil
	})
}

// Clock is how far the database's clock is from ours.
func (s *Store) Clock(ctx context.Context) (c standing.Clock, err error) {
	before := time.Now()
	var theirs time.Time
	if err := s.db.QueryRowContext(ctx, `SELECT UTC_TIMESTAMP(6)`).Scan(&theirs); err != nil {
		return c, err
	}
	after := time.Now()
	return standing.Clock{Ahead: theirs.Sub(before.Add(after.Sub(before) / 2)), At: after}, nil
}
