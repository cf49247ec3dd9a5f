package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
)

// Save keeps the places of messages and call records; a call that is there is
// replaced.
func (s *Store) Save(ctx context.Context, messages []record.Place, calls []record.Call) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for part := range slices.Chunk(messages, rowsAtOnce) {
			if err := insertMessages(ctx, tx, part); err != nil {
				return err
			}
		}
		for _, c := range calls {
			if err := putCall(ctx, tx, c); err != nil {
				return err
			}
		}
		return nil
	})
}

func insertMessages(ctx context.Context, tx *sql.Tx, list []record.Place) error {
	var args []any
	for _, m := range list {
		args = append(args, m.Segment, m.Offset, m.Length, m.Switch, m.Seq, m.At.UTC(), m.Out, m.Local, m.Remote, m.Leg, m.Protocol, m.Carriage)
	}
	values := strings.TrimSuffix(strings.Repeat("(?,?,?,?,?,?,?,?,?,?,?,?),", len(list)), ",")
	_, err := tx.ExecContext(ctx, `REPLACE INTO messages (segment, place, length, switch_id, seq, at, outbound, local_addr, remote_addr, leg_id, protocol, carriage) VALUES `+values, args...)
	return err
}

func putCall(ctx context.Context, tx *sql.Tx, c record.Call) error {
	legs, err := json.Marshal(c.Legs)
	if err != nil {
		return err
	}
	steps, err := json.Marshal(c.Trail)
	if err != nil {
		return err
	}
	stamps, err := json.Marshal(c.Stamps)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `REPLACE INTO calls (id, session, switch_id, revision, started_at, answered_at, ended_at, release_how, released_by, legs, trail, trail_version, stamps) VALUES (?,?,?,?,?,?,?,?,?,?,?,?,?)`,
		c.ID, c.Session, c.Switch, c.Revision, c.Started.UTC(), orNull(c.Answered), orNull(c.Ended), c.Release, c.ReleasedBy, legs, steps, trail.Version, stamps)
	if err != nil {
		return err
	}
	for i, leg := range c.Legs {
		if _, err := tx.ExecContext(ctx, `REPLACE INTO call_legs (leg_id, call_id, place) VALUES (?,?,?)`, leg.ID, c.ID, i); err != nil {
			return err
		}
	}
	return putSummary(ctx, tx, c)
}

func orNull(t time.Time) any {
	if t.IsZero() {
		return nil
	}
	return t.UTC()
}

const callColumns = `id, session, switch_id, revision, started_at, answered_at, ended_at, release_how, released_by, legs, trail, trail_version, stamps`

// maxJoined bounds how many records of one session are looked for: a call passes
// a switch once or twice.
const maxJoined = 20

// Session returns the records of one call over all switches, oldest first.
func (s *Store) Session(ctx context.Context, session string) ([]record.Call, error) {
	if session == "" {
		return nil, nil
	}
	return s.calls(ctx, `SELECT `+callColumns+` FROM calls WHERE session = ? ORDER BY started_at, id LIMIT ?`, session, maxJoined)
}

func (s *Store) calls(ctx context.Context, query string, args ...any) ([]record.Call, error) {
	rows, err := s.db.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	list := []record.Call{}
	for rows.Next() {
		c, err := scanCall(rows.Scan)
		if err != nil {
			return nil, err
		}
		list = append(list, c)
	}
	return list, rows.Err()
}

// Call returns one call.
func (s *Store) Call(ctx context.Context, id string) (record.Call, error) {
	return one(scanCall(s.db.QueryRowContext(ctx, `SELECT `+callColumns+` FROM calls WHERE id = ?`, id).Scan))
}

// CallByLeg returns the call whose first leg, the caller's, is one of some by their ids.
func (s *Store) CallByLeg(ctx context.Context, legs ...string) (record.Call, error) {
	args := make([]any, len(legs))
	for i, id := range legs {
		args[i] = id
	}
	return one(scanCall(s.db.QueryRowContext(ctx, `SELECT `+callColumns+` FROM calls WHERE id = (SELECT call_id FROM call_legs
		WHERE leg_id IN (`+strings.TrimSuffix(strings.Repeat("?,", len(legs)), ",")+`) AND place = 0 LIMIT 1)`, args...).Scan))
}

func one(c record.Call, err error) (record.Call, error) {
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("call: %w", ErrNotFound)
	}
	return c, err
}

func scanCall(scan func(...any) error) (c record.Call, err error) {
	var answered, ended sql.NullTime
	var legs, steps, stamps []byte
	var version int
	if err := scan(&c.ID, &c.Session, &c.Switch, &c.Revision, &c.Started, &answered, &ended, &c.Release, &c.ReleasedBy, &legs, &steps, &version, &stamps); err != nil {
		return c, err
	}
	c.Answered, c.Ended = answered.Time, ended.Time
	for _, part := range []struct {
		text []byte
		into any
	}{{legsOf(version, legs), &c.Legs}, {trail.Upgrade(version, steps), &c.Trail}, {stamps, &c.Stamps}} {
		if err := json.Unmarshal(part.text, part.into); err != nil {
			return c, fmt.Errorf("call %s: %w", c.ID, err)
		}
	}
	if version == 1 {
		for i, leg := range c.Legs {
			c.Legs[i] = leg.Named("sip", leg.Key)
		}
	}
	return c, nil
}

// Messages returns where the messages of a call's legs lie, in the order of the
// wire.
func (s *Store) Messages(ctx context.Context, c record.Call) ([]record.Place, error) {
	list := []record.Place{}
	if len(c.Legs) == 0 {
		return list, nil
	}
	var args []any
	for _, leg := range c.Legs {
		args = append(args, leg.ID)
	}
	args = append(args, c.Switch)
	rows, err := s.db.QueryContext(ctx, `SELECT segment, place, length, seq, switch_id, at, outbound, local_addr, remote_addr, leg_id, protocol, carriage FROM messages
		WHERE leg_id IN (`+strings.TrimSuffix(strings.Repeat("?,", len(c.Legs)), ",")+`) AND switch_id = ? ORDER BY segment, place`, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var m record.Place
		if err := rows.Scan(&m.Segment, &m.Offset, &m.Length, &m.Seq, &m.Switch, &m.At, &m.Out, &m.Local, &m.Remote, &m.Leg, &m.Protocol, &m.Carriage); err != nil {
			return nil, err
		}
		list = append(list, m)
	}
	return list, rows.Err()
}

// LastSegment is the newest segment that the index knows; 0 if none.
func (s *Store) LastSegment(ctx context.Context) (id int64, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT COALESCE(MAX(segment), 0) FROM messages`).Scan(&id)
	return id, err
}

// expireAtOnce bounds how many rows one statement deletes, so that none holds
// its locks for long.
const expireAtOnce = 5_000

// ForgetSegments drops the index of the segments before one: they expired.
func (s *Store) ForgetSegments(ctx context.Context, oldest int64) error {
	return s.deleteAll(ctx, `DELETE FROM messages WHERE segment < ? LIMIT ?`, oldest)
}

// ForgetCalls drops the records of calls that ended before a time.
func (s *Store) ForgetCalls(ctx context.Context, before time.Time) error {
	if err := s.deleteAll(ctx, `DELETE FROM call_legs WHERE call_id IN (SELECT id FROM calls WHERE started_at < ? AND ended_at IS NOT NULL) LIMIT ?`, before.UTC()); err != nil {
		return err
	}
	if err := s.deleteAll(ctx, `DELETE FROM call_numbers WHERE id IN (SELECT id FROM call_summaries WHERE started_at < ? AND ended_at IS NOT NULL) LIMIT ?`, before.UTC()); err != nil {
		return err
	}
	if err := s.deleteAll(ctx, `DELETE FROM call_summaries WHERE started_at < ? AND ended_at IS NOT NULL LIMIT ?`, before.UTC()); err != nil {
		return err
	}
	return s.deleteAll(ctx, `DELETE FROM calls WHERE started_at < ? AND ended_at IS NOT NULL LIMIT ?`, before.UTC())
}

// deleteAll repeats a delete with a limit until nothing is left.
func (s *Store) deleteAll(ctx context.Context, query string, arg any) error {
	for {
		res, err := s.db.ExecContext(ctx, query, arg, expireAtOnce)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n < expireAtOnce {
			return err
		}
	}
}

// Unfinished closes the records of calls that were running when the process
// ended without saying so.
func (s *Store) Unfinished(ctx context.Context) (n int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `UPDATE calls SET ended_at = COALESCE(answered_at, started_at), release_how = 'the switch ended without warning', released_by = 'switch' WHERE ended_at IS NULL`)
		if err != nil {
			return err
		}
		if n, err = res.RowsAffected(); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE call_summaries SET ended_at = COALESCE(answered_at, started_at), outcome = IF(outcome = 'running', 'failed', outcome),
			released_by = IF(answered_at IS NULL, '', 'switch') WHERE ended_at IS NULL`)
		return err
	})
	return n, err
}

// legsOf are legs as JSON of the present version: in version 1 a leg was known by its Call-ID.
func legsOf(version int, text []byte) []byte {
	if version == 1 {
		return bytes.ReplaceAll(text, []byte(`"callId":`), []byte(`"key":`))
	}
	return text
}
