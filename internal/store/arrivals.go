package store

import (
	"context"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/standing"
)

// Arrivals returns the public numbers that calls were for.
func (s *Store) Arrivals(ctx context.Context) ([]standing.Arrival, error) {
	return many(ctx, s.db, func(scan func(...any) error) (a standing.Arrival, err error) {
		var number string
		if err = scan(&number, &a.Trunk, &a.First, &a.Last, &a.Calls); err == nil {
			a.Number, err = digits.ParseNumber(number)
		}
		return a, err
	}, `SELECT number, trunk, first_at, last_at, calls FROM arrivals LIMIT ?`, standing.MaxArrivals)
}

// SaveArrivals keeps what became of numbers that arrived.
func (s *Store) SaveArrivals(ctx context.Context, list []standing.Arrival) error {
	if len(list) == 0 {
		return nil
	}
	var args []any
	for _, a := range list {
		args = append(args, a.Number.String(), a.Trunk, a.First.UTC(), a.Last.UTC(), a.Calls)
	}
	_, err := s.db.ExecContext(ctx, `REPLACE INTO arrivals (number, trunk, first_at, last_at, calls) VALUES `+strings.TrimSuffix(strings.Repeat("(?,?,?,?,?),", len(list)), ","), args...)
	return err
}

// LastTrails returns the newest calls that are over, newest first, with their trails only.
func (s *Store) LastTrails(ctx context.Context, limit int) ([]PastCall, error) {
	return many(ctx, s.db, func(scan func(...any) error) (c PastCall, err error) {
		err = scan(&c.ID, &c.Started, &c.Trail)
		return c, err
	}, `SELECT id, started_at, trail FROM calls WHERE ended_at IS NOT NULL ORDER BY started_at DESC, id LIMIT ?`, limit)
}

// PastCall is a call that is over, with its trail as JSON.
type PastCall struct {
	ID      string
	Started time.Time
	Trail   []byte
}
