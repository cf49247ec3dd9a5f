package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"

	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/plan"
)

// upgradeRows brings every row that holds objects of a plan to the present version of plan
// documents, some hundred in a transaction: an upgrade that was interrupted goes on where it was.
// A row that does not fit its version is an error that names it, and nothing is lost.
func (s *Store) upgradeRows(ctx context.Context) error {
	for _, t := range []struct{ table, key string }{
		{"plan_rows", "first_revision"}, {"draft_rows", "0"}, {"trial_rows", "0"},
	} {
		for more := true; more; {
			err := s.inTx(ctx, func(tx *sql.Tx) (err error) {
				more, err = upgradeSome(ctx, tx, t.table, t.key)
				return err
			})
			if err != nil {
				return fmt.Errorf("upgrade %s: %w", t.table, err)
			}
		}
	}
	if err := s.inTx(ctx, func(tx *sql.Tx) error { return upgradeEdits(ctx, tx) }); err != nil {
		return fmt.Errorf("upgrade draft_edits: %w", err)
	}
	return nil
}

type storedRow struct {
	kind, id string
	revision int64
	body     []byte
	version  int
}

func upgradeSome(ctx context.Context, tx *sql.Tx, table, revision string) (more bool, err error) {
	rows, err := tx.QueryContext(ctx, `SELECT kind, id, `+revision+`, body, version FROM `+table+` WHERE version < ? LIMIT ? FOR UPDATE`, plan.Version, rowsAtOnce)
	if err != nil {
		return false, err
	}
	defer rows.Close()
	var list []storedRow
	for rows.Next() {
		var r storedRow
		if err := rows.Scan(&r.kind, &r.id, &r.revision, &r.body, &r.version); err != nil {
			return false, err
		}
		list = append(list, r)
	}
	if err := rows.Err(); err != nil {
		return false, err
	}
	for _, r := range list {
		is, err := document.Upgrade(document.Row{Version: r.version, Kind: r.kind, Body: r.body})
		if err != nil {
			return false, fmt.Errorf("%s %s: %w", r.kind, r.id, err)
		}
		if _, err := tx.ExecContext(ctx, `UPDATE `+table+` SET kind = ?, body = ?, version = ? WHERE kind = ? AND id = ? AND `+revision+` = ?`,
			is.Kind, is.Body, is.Version, r.kind, r.id, r.revision); err != nil {
			return false, err
		}
	}
	return len(list) == rowsAtOnce, nil
}

// upgradeEdits does the same to what undoing puts back.
func upgradeEdits(ctx context.Context, tx *sql.Tx) error {
	type edit struct {
		version int64
		format  int
		undoEdit
	}
	edits, err := many(ctx, tx, func(scan func(...any) error) (e edit, err error) {
		var text []byte
		if err = scan(&e.version, &e.format, &text); err == nil {
			err = json.Unmarshal(text, &e.undoEdit)
		}
		return e, err
	}, `SELECT version, format_version, replaced FROM draft_edits WHERE format_version < ? FOR UPDATE`, plan.Version)
	if err != nil {
		return err
	}
	for _, e := range edits {
		for i := range e.Rows {
			r := &e.Rows[i]
			is, err := document.Upgrade(document.Row{Version: e.format, Kind: string(r.Kind), Body: []byte(r.Body)})
			if err != nil {
				return fmt.Errorf("edit %d: %s %s: %w", e.version, r.Kind, r.ID, err)
			}
			r.Kind, r.Body = plan.Kind(is.Kind), string(is.Body)
		}
		text, err := json.Marshal(e.undoEdit)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE draft_edits SET replaced = ?, format_version = ? WHERE version = ?`, text, plan.Version, e.version); err != nil {
			return err
		}
	}
	return nil
}
