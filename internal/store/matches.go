package store

import (
	"context"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/standing"
)

// RuleMatches returns how often rules matched since a time.
func (s *Store) RuleMatches(ctx context.Context, since time.Time) ([]standing.RuleMatch, error) {
	return many(ctx, s.db, func(scan func(...any) error) (m standing.RuleMatch, err error) {
		err = scan(&m.Rule, &m.Hour, &m.Calls, &m.Last)
		return m, err
	}, `SELECT rule, hour, calls, last_at FROM rule_matches WHERE hour >= ?`, since.UTC())
}

// SaveRuleMatches keeps hours in place of what was kept of them.
func (s *Store) SaveRuleMatches(ctx context.Context, list []standing.RuleMatch) error {
	if len(list) == 0 {
		return nil
	}
	var args []any
	for _, m := range list {
		args = append(args, m.Rule, m.Hour.UTC(), m.Calls, m.Last.UTC())
	}
	_, err := s.db.ExecContext(ctx, `REPLACE INTO rule_matches (rule, hour, calls, last_at) VALUES `+strings.TrimSuffix(strings.Repeat("(?,?,?,?),", len(list)), ","), args...)
	return err
}

// ForgetRuleMatches drops hours that began before a time.
func (s *Store) ForgetRuleMatches(ctx context.Context, before time.Time) error {
	return s.deleteAll(ctx, `DELETE FROM rule_matches WHERE hour < ? LIMIT ?`, before.UTC())
}
