package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"switchback.example/switchback/internal/core/plan"
)

// gap is the distance between the places of neighbours when they are first
// put down, so that a row put between two touches no other.
const gap = 1 << 20

// Revision is a plan that is or was live.
type Revision struct {
	ID      int64
	Created time.Time
	Who     string
	Note    string
	Changes int
}

// Draft is the plan being edited, with the version that a go-live must name. It
// must not be changed: it shares memory with other plans.
type Draft struct {
	Plan    plan.Plan
	Version int64
}

// ErrDraftMoved says that the draft was edited since it was read.
var ErrDraftMoved = errors.New("the draft was changed in the meantime; look at it again")

// Begin makes an empty plan if there is none yet. It reports whether it did.
func (s *Store) Begin(ctx context.Context, name string) (fresh bool, err error) {
	res, err := s.db.ExecContext(ctx, `INSERT IGNORE INTO plan_state (id, name, live_revision, draft_version) VALUES (1, ?, 0, 0)`, name)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n == 1, err
}

type state struct {
	name          string
	live, version int64
}

func readState(ctx context.Context, q querier, lock string) (st state, err error) {
	err = q.QueryRowContext(ctx, `SELECT name, live_revision, draft_version FROM plan_state WHERE id = 1 `+lock).Scan(&st.name, &st.live, &st.version)
	if errors.Is(err, sql.ErrNoRows) {
		err = fmt.Errorf("the database holds no plan yet: %w", ErrNotFound)
	}
	return st, err
}

// Live returns the live plan and its revision; revision 0 is the empty plan. It
// must not be changed: it shares memory with other plans.
func (s *Store) Live(ctx context.Context) (p plan.Plan, revision int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "")
		if err != nil {
			return err
		}
		live, err := s.live(ctx, tx, st)
		if err != nil {
			return err
		}
		p, revision = live.Plan, st.live
		return nil
	})
	return p, revision, err
}

// Draft returns the live plan with the draft's changes.
func (s *Store) Draft(ctx context.Context) (d Draft, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "")
		if err != nil {
			return err
		}
		a, err := s.draft(ctx, tx, st)
		if err != nil {
			return err
		}
		d = Draft{a.Plan, st.version}
		return nil
	})
	return d, err
}

// DraftVersion returns the version of the draft alone.
func (s *Store) DraftVersion(ctx context.Context) (int64, error) {
	st, err := readState(ctx, s.db, "")
	return st.version, err
}

func readObjects(ctx context.Context, q querier, query string, args ...any) ([]plan.Object, error) {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	objects := []plan.Object{}
	for rows.Next() {
		var o plan.Object
		var body []byte
		if err := rows.Scan(&o.Kind, &o.ID, &o.Name, &o.Table, &o.Place, &body); err != nil {
			return nil, err
		}
		o.Body = body
		objects = append(objects, o)
	}
	return objects, rows.Err()
}

// Revision returns a plan that is or was live. Revision 0 is the empty plan.
func (s *Store) Revision(ctx context.Context, id int64) (p plan.Plan, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "")
		if err != nil {
			return err
		}
		if id < 0 || id > st.live {
			return fmt.Errorf("revision %d: %w", id, ErrNotFound)
		}
		objects, err := readObjects(ctx, tx, `
			SELECT kind, id, name, in_table, place, body FROM plan_rows
			WHERE first_revision <= ? AND (end_revision IS NULL OR end_revision > ?) ORDER BY kind, place, id`, id, id)
		if err != nil {
			return err
		}
		a, err := plan.Arrange(st.name, objects)
		if err == nil {
			p = a.Plan
		}
		return err
	})
	return p, err
}

// GoLive makes the draft of the given version the live plan and records a
// revision. It costs what the change costs: only rows that differ are written.
// ErrDraftMoved if the draft was edited since.
func (s *Store) GoLive(ctx context.Context, version int64, who, note string) (r Revision, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "FOR UPDATE")
		if err != nil {
			return err
		}
		if st.version != version {
			return ErrDraftMoved
		}
		r = Revision{ID: st.live + 1, Created: time.Now().UTC().Truncate(time.Millisecond), Who: who, Note: note}
		if _, r.Changes, err = s.changes(ctx, tx, st); err != nil {
			return err
		}
		for _, q := range []string{
			`UPDATE draft_rows d STRAIGHT_JOIN plan_rows p FORCE INDEX (PRIMARY) ON p.kind = d.kind AND p.id = d.id SET p.end_revision = ? WHERE p.end_revision IS NULL`,
			`INSERT INTO plan_rows (kind, id, first_revision, name, in_table, place, body)
			 SELECT kind, id, ?, name, in_table, place, body FROM draft_rows WHERE NOT gone`,
			`UPDATE plan_state SET live_revision = ?, draft_version = draft_version + 1 WHERE id = 1`,
		} {
			if _, err := tx.ExecContext(ctx, q, r.ID); err != nil {
				return err
			}
		}
		for _, q := range []string{`DELETE FROM draft_rows`, `DELETE FROM draft_edits`} {
			if _, err := tx.ExecContext(ctx, q); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, `INSERT INTO revisions (id, created_at, who, note, changes) VALUES (?, ?, ?, ?, ?)`, r.ID, r.Created, r.Who, r.Note, r.Changes)
		return err
	})
	if err == nil {
		s.wentLive(version, r.ID)
	}
	return r, err
}

// Install makes a valid plan the draft and live at once, as for a new database.
func (s *Store) Install(ctx context.Context, p plan.Plan, who, note string) (Revision, error) {
	if err := s.ReplaceDraft(ctx, p); err != nil {
		return Revision{}, err
	}
	d, err := s.Draft(ctx)
	if err != nil {
		return Revision{}, err
	}
	return s.GoLive(ctx, d.Version, who, note)
}

// Revisions returns the newest revisions, newest first.
func (s *Store) Revisions(ctx context.Context, limit int) ([]Revision, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT id, created_at, who, note, changes FROM revisions ORDER BY id DESC LIMIT ?`, limit)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	list := []Revision{}
	for rows.Next() {
		var r Revision
		if err := rows.Scan(&r.ID, &r.Created, &r.Who, &r.Note, &r.Changes); err != nil {
			return nil, err
		}
		list = append(list, r)
	}
	return list, rows.Err()
}
