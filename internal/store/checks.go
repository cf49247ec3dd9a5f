package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"time"

	"switchback.example/switchback/internal/core/decide"
)

// CheckRun is what came of a check when it was run last.
type CheckRun struct {
	ID  string
	Ran time.Time
	Who string
	// Asked is the fingerprint of the check itself as it was run.
	Asked string
	CheckRunBody
}

// CheckRunBody is what is kept of a run as it is.
type CheckRunBody struct {
	Passed      bool
	Differences []decide.Difference
	// Touched are the objects of the plan that had a part in the call, by kind and id,
	// with their fingerprints.
	Touched map[string]string
	// Matched are the ids of the rules that the call matched.
	Matched []string `json:",omitempty"`
}

// CheckRuns returns the last run of every check, by id.
func (s *Store) CheckRuns(ctx context.Context) (map[string]CheckRun, error) {
	list, err := many(ctx, s.db, func(scan func(...any) error) (r CheckRun, err error) {
		var body []byte
		if err = scan(&r.ID, &r.Ran, &r.Who, &r.Asked, &body); err == nil {
			err = json.Unmarshal(body, &r.CheckRunBody)
		}
		return r, err
	}, `SELECT id, ran_at, who, asked, body FROM check_runs`)
	out := make(map[string]CheckRun, len(list))
	for _, r := range list {
		out[r.ID] = r
	}
	return out, err
}

// SaveCheckRuns keeps runs in place of those before.
func (s *Store) SaveCheckRuns(ctx context.Context, list []CheckRun) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		for _, r := range list {
			body, err := json.Marshal(r.CheckRunBody)
			if err != nil {
				return err
			}
			if _, err := tx.ExecContext(ctx, `REPLACE INTO check_runs (id, ran_at, who, asked, body) VALUES (?,?,?,?,?)`, r.ID, r.Ran.UTC(), r.Who, r.Asked, body); err != nil {
				return err
			}
		}
		return nil
	})
}
