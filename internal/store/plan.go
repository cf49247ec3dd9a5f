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

// Draft is the plan being edited, with the version that a go-live must name.
type Draft struct {
	Plan    plan.Plan
	Objects []plan.Object
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

// Live returns the live plan and its revision; revision 0 is the empty plan.
func (s *Store) Live(ctx context.Context) (p plan.Plan, revision int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "")
		if err != nil {
			return err
		}
		objects, err := liveObjects(ctx, tx)
		if err != nil {
			return err
		}
		revision = st.live
		p, err = plan.Assemble(st.name, objects)
		return err
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
		if d.Objects, err = draftObjects(ctx, tx); err != nil {
			return err
		}
		d.Version = st.version
		d.Plan, err = plan.Assemble(st.name, d.Objects)
		return err
	})
	return d, err
}

func liveObjects(ctx context.Context, q querier) ([]plan.Object, error) {
	return readObjects(ctx, q, `SELECT kind, id, name, in_table, place, body FROM plan_rows WHERE end_revision IS NULL ORDER BY kind, place, id`)
}

func draftObjects(ctx context.Context, q querier) ([]plan.Object, error) {
	return readObjects(ctx, q, `
		SELECT kind, id, name, in_table, place, body FROM (
			SELECT p.kind, p.id, p.name, p.in_table, p.place, p.body FROM plan_rows p
			LEFT JOIN draft_rows d ON d.kind = p.kind AND d.id = p.id
			WHERE p.end_revision IS NULL AND d.id IS NULL
			UNION ALL
			SELECT kind, id, name, in_table, place, body FROM draft_rows WHERE NOT gone
		) both_rows ORDER BY kind, place, id`)
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
		p, err = plan.Assemble(st.name, objects)
		return err
	})
	return p, err
}

// Changes returns in which objects the draft differs from the live plan.
func (s *Store) Changes(ctx context.Context) (changes []plan.Change, version int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "")
		if err != nil {
			return err
		}
		version = st.version
		live, err := liveObjects(ctx, tx)
		if err != nil {
			return err
		}
		draft, err := draftObjects(ctx, tx)
		if err != nil {
			return err
		}
		changes, err = plan.DiffObjects(dense(live), dense(draft))
		return err
	})
	return changes, version, err
}

// dense renumbers places by order within each list, as people count them.
func dense(objects []plan.Object) []plan.Object {
	type list struct {
		kind  plan.Kind
		table string
	}
	next := map[list]int{}
	out := make([]plan.Object, len(objects))
	for i, o := range objects { // objects come ordered by place
		k := list{o.Kind, o.Table}
		o.Place = next[k]
		next[k]++
		out[i] = o
	}
	return out
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
		if err := tx.QueryRowContext(ctx, `SELECT COUNT(*) FROM draft_rows`).Scan(&r.Changes); err != nil {
			return err
		}
		for _, q := range []string{
			`UPDATE plan_rows p JOIN draft_rows d ON d.kind = p.kind AND d.id = p.id SET p.end_revision = ? WHERE p.end_revision IS NULL`,
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
