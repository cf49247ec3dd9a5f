package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
)

// Trial is a plan that is tried on some calls, as it is kept.
type Trial struct {
	Version int64 // of the draft that it was
	Base    int64 // the revision that it was made on
	Scopes  []standing.Scope
	Since   time.Time
	By      string
}

// KeepTrial keeps the draft of a version as the plan that is tried, in place of one before.
// ErrDraftMoved if the draft was edited since.
func (s *Store) KeepTrial(ctx context.Context, t Trial) error {
	scopes, err := json.Marshal(t.Scopes)
	if err != nil {
		return err
	}
	return s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "FOR UPDATE")
		if err != nil {
			return err
		}
		if st.version != t.Version || st.live != t.Base {
			return ErrDraftMoved
		}
		for _, q := range []string{`DELETE FROM trial_rows`, `INSERT INTO trial_rows SELECT * FROM draft_rows`} {
			if _, err := tx.ExecContext(ctx, q); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx, `REPLACE INTO trials (id, draft_version, base_revision, scopes, since, who) VALUES (1,?,?,?,?,?)`, t.Version, t.Base, scopes, t.Since.UTC(), t.By)
		return err
	})
}

// WidenTrial changes whose calls the trial decides.
func (s *Store) WidenTrial(ctx context.Context, scopes []standing.Scope) error {
	text, err := json.Marshal(scopes)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `UPDATE trials SET scopes = ? WHERE id = 1`, text)
	return err
}

// Trial returns the plan that is tried; ErrNotFound if there is none, or if another plan
// went live since.
func (s *Store) Trial(ctx context.Context) (t Trial, p plan.Plan, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		var scopes []byte
		err := tx.QueryRowContext(ctx, `SELECT draft_version, base_revision, scopes, since, who FROM trials WHERE id = 1`).Scan(&t.Version, &t.Base, &scopes, &t.Since, &t.By)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrNotFound
		}
		if err != nil {
			return err
		}
		if err := json.Unmarshal(scopes, &t.Scopes); err != nil {
			return err
		}
		st, err := readState(ctx, tx, "")
		if err != nil {
			return err
		}
		if st.live != t.Base {
			return ErrNotFound
		}
		base, err := s.live(ctx, tx, st)
		if err != nil {
			return err
		}
		put, err := readObjects(ctx, tx, `SELECT kind, id, name, in_table, place, body FROM trial_rows WHERE NOT gone ORDER BY kind, place, id`)
		if err != nil {
			return err
		}
		gone, err := keys(ctx, tx, `SELECT kind, id FROM trial_rows WHERE gone`)
		if err != nil {
			return err
		}
		a, err := base.With(st.name, put, gone)
		if err == nil {
			p = a.Plan
		}
		return err
	})
	return t, p, err
}

// ForgetTrial drops the plan that was tried.
func (s *Store) ForgetTrial(ctx context.Context) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for _, q := range []string{`DELETE FROM trials`, `DELETE FROM trial_rows`} {
			if _, err := tx.ExecContext(ctx, q); err != nil {
				return err
			}
		}
		return nil
	})
}
