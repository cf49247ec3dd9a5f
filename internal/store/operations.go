package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/standing"
)

// Operational state that outlasts a process: registrations, blocks, trunks that
// are out of service, and what trunks have been. It is in no revision of the plan.

// Secrets returns every secret by name. One that cannot be opened is left out and
// counted, so that one bad row does not keep the switches from starting.
func (s *Store) Secrets(ctx context.Context) (list map[string]string, broken int, err error) {
	list = map[string]string{}
	if s.vault.aead == nil {
		return list, 0, nil
	}
	rows, err := s.db.QueryContext(ctx, `SELECT name, key_id, sealed FROM secrets`)
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	for rows.Next() {
		var name, id string
		var sealed []byte
		if err := rows.Scan(&name, &id, &sealed); err != nil {
			return nil, 0, err
		}
		if secret, err := s.vault.open(name, sealed); err == nil && id == s.vault.id {
			list[name] = secret
		} else {
			broken++
		}
	}
	return list, broken, rows.Err()
}

// Registrations returns the bindings that are kept.
func (s *Store) Registrations(ctx context.Context) ([]standing.Binding, error) {
	return many(ctx, s.db, func(scan func(...any) error) (b standing.Binding, err error) {
		var body []byte
		if err = scan(&body); err == nil {
			err = json.Unmarshal(body, &b)
		}
		return b, err
	}, `SELECT body FROM registrations ORDER BY trunk, account, place`)
}

// many reads rows.
func many[T any](ctx context.Context, db querier, read func(scan func(...any) error) (T, error), query string, args ...any) ([]T, error) {
	rows, err := db.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	list := []T{}
	for rows.Next() {
		one, err := read(rows.Scan)
		if err != nil {
			return nil, err
		}
		list = append(list, one)
	}
	return list, rows.Err()
}

// SaveRegistrations keeps the bindings of accounts in place of those before.
func (s *Store) SaveRegistrations(ctx context.Context, list []standing.AccountBindings) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for _, a := range list {
			if _, err := tx.ExecContext(ctx, `DELETE FROM registrations WHERE trunk = ? AND account = ?`, a.Trunk, a.Account); err != nil {
				return err
			}
			for i, b := range a.Bindings {
				body, err := json.Marshal(b)
				if err != nil {
					return err
				}
				if _, err := tx.ExecContext(ctx, `INSERT INTO registrations (trunk, account, place, expires_at, body) VALUES (?,?,?,?,?)`,
					a.Trunk, a.Account, i, b.Until.UTC(), body); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// Blocks returns the sources that a gate blocks at a time: that of calls, or of
// signing in.
func (s *Store) Blocks(ctx context.Context, gate string, at time.Time) ([]guard.Block, error) {
	return many(ctx, s.db, func(scan func(...any) error) (b guard.Block, err error) {
		err = scan(&b.Source, &b.Since, &b.Until, &b.Why, &b.By)
		return b, err
	}, `SELECT source, since, until_at, why, who FROM blocks WHERE gate = ? AND until_at > ?`, gate, at.UTC())
}

// SaveBlock keeps a block of a gate, or forgets it if it is gone.
func (s *Store) SaveBlock(ctx context.Context, gate string, b guard.Block, gone bool) error {
	if gone {
		_, err := s.db.ExecContext(ctx, `DELETE FROM blocks WHERE gate = ? AND source = ?`, gate, b.Source)
		return err
	}
	_, err := s.db.ExecContext(ctx, `REPLACE INTO blocks (gate, source, since, until_at, why, who) VALUES (?,?,?,?,?,?)`,
		gate, b.Source, b.Since.UTC(), b.Until.UTC(), clip(b.Why, maxWhy), b.By)
	return err
}

// maxWhy bounds reasons, in bytes.
const maxWhy = 500

func clip(text string, most int) string {
	if len(text) <= most {
		return text
	}
	return strings.ToValidUTF8(text[:most], "")
}

// Services returns the trunks that are out of service or take no new calls.
func (s *Store) Services(ctx context.Context) ([]standing.Service, error) {
	return many(ctx, s.db, func(scan func(...any) error) (v standing.Service, err error) {
		var until sql.NullTime
		err = scan(&v.Trunk, &v.Word, &v.Since, &until, &v.Why, &v.By)
		v.Until = until.Time
		return v, err
	}, `SELECT trunk, word, since, until_at, why, who FROM services`)
}

// SaveService keeps that a trunk is out of service; an empty word forgets it.
func (s *Store) SaveService(ctx context.Context, v standing.Service) error {
	if v.Word == "" {
		_, err := s.db.ExecContext(ctx, `DELETE FROM services WHERE trunk = ?`, v.Trunk)
		return err
	}
	_, err := s.db.ExecContext(ctx, `REPLACE INTO services (trunk, word, since, until_at, why, who) VALUES (?,?,?,?,?,?)`,
		v.Trunk, v.Word, v.Since.UTC(), orNull(v.Until), clip(v.Why, maxWhy), v.By)
	return err
}

// TrunkStates returns what trunks became since a time, and what each was then,
// oldest first.
func (s *Store) TrunkStates(ctx context.Context, since time.Time) ([]standing.TrunkState, error) {
	return many(ctx, s.db, func(scan func(...any) error) (t standing.TrunkState, err error) {
		err = scan(&t.Trunk, &t.At, &t.Word, &t.Cause)
		return t, err
	}, `SELECT trunk, at, word, cause FROM trunk_states WHERE at >= COALESCE(
		(SELECT MAX(b.at) FROM trunk_states b WHERE b.trunk = trunk_states.trunk AND b.at <= ?), ?) ORDER BY at, trunk`, since.UTC(), since.UTC())
}

// SaveTrunkStates keeps what trunks became.
func (s *Store) SaveTrunkStates(ctx context.Context, list []standing.TrunkState) error {
	if len(list) == 0 {
		return nil
	}
	var args []any
	for _, t := range list {
		args = append(args, t.Trunk, t.At.UTC(), t.Word, clip(t.Cause, maxWhy))
	}
	_, err := s.db.ExecContext(ctx, `REPLACE INTO trunk_states (trunk, at, word, cause) VALUES `+strings.TrimSuffix(strings.Repeat("(?,?,?,?),", len(list)), ","), args...)
	return err
}

// ForgetTrunkStates drops what trunks were before a time, but for the last of
// each.
func (s *Store) ForgetTrunkStates(ctx context.Context, before time.Time) error {
	_, err := s.db.ExecContext(ctx, `DELETE t FROM trunk_states t JOIN trunk_states n ON n.trunk = t.trunk AND n.at > t.at WHERE n.at < ?`, before.UTC())
	return err
}

// Answers returns what came of the calls that were sent since a time.
func (s *Store) Answers(ctx context.Context, since time.Time) ([]standing.AnswerSlot, error) {
	return many(ctx, s.db, func(scan func(...any) error) (a standing.AnswerSlot, err error) {
		var wait, talk, delay int64
		err = scan(&a.Trunk, &a.At, &a.Sent, &a.Answered, &wait, &a.Ended, &talk, &a.Rang, &delay, &a.Peak)
		a.Wait, a.Talk, a.Delay = time.Duration(wait)*time.Millisecond, time.Duration(talk)*time.Millisecond, time.Duration(delay)*time.Millisecond
		return a, err
	}, `SELECT trunk, at, sent, answered, wait_ms, ended, talk_ms, rang, delay_ms, peak FROM trunk_answers WHERE at >= ?`, since.UTC())
}

// SaveAnswers keeps slots in place of what was kept of them.
func (s *Store) SaveAnswers(ctx context.Context, list []standing.AnswerSlot) error {
	if len(list) == 0 {
		return nil
	}
	var args []any
	for _, a := range list {
		args = append(args, a.Trunk, a.At.UTC(), a.Sent, a.Answered, a.Wait.Milliseconds(), a.Ended, a.Talk.Milliseconds(), a.Rang, a.Delay.Milliseconds(), a.Peak)
	}
	_, err := s.db.ExecContext(ctx, `REPLACE INTO trunk_answers (trunk, at, sent, answered, wait_ms, ended, talk_ms, rang, delay_ms, peak) VALUES `+strings.TrimSuffix(strings.Repeat("(?,?,?,?,?,?,?,?,?,?),", len(list)), ","), args...)
	return err
}

// ForgetAnswers drops slots that began before a time.
func (s *Store) ForgetAnswers(ctx context.Context, before time.Time) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM trunk_answers WHERE at < ?`, before.UTC())
	return err
}

// SaveDeeds keeps who did what to operational state, all of it or nothing.
func (s *Store) SaveDeeds(ctx context.Context, list []standing.Deed) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for _, d := range list {
			if _, err := tx.ExecContext(ctx, `INSERT INTO audit (at, who, what) VALUES (?,?,?)`, d.At.UTC(), d.Who, clip(d.What, maxWhy)); err != nil {
				return fmt.Errorf("audit: %w", err)
			}
		}
		return nil
	})
}
