package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"

	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/plan"
)

// upgradeAtOnce is how many rows one transaction upgrades: a page of numbers can be some hundred
// kilobytes, and ten times that while it is upgraded.
const upgradeAtOnce = 50

// upgradeRows brings every row that holds objects of a plan to the present version of plan
// documents. All of them are looked at first: a row that does not fit its version is an error that
// names it, and nothing is changed. An upgrade that was interrupted goes on where it was.
func (s *Store) upgradeRows(ctx context.Context) error {
	for _, write := range []bool{false, true} {
		for _, t := range []struct{ table, revision string }{
			{"plan_rows", "first_revision"}, {"draft_rows", "0"}, {"trial_rows", "0"},
		} {
			if err := s.upgradeTable(ctx, t.table, t.revision, write); err != nil {
				return fmt.Errorf("upgrade %s: %w", t.table, err)
			}
		}
		if err := s.inTx(ctx, func(tx *sql.Tx) error { return upgradeEdits(ctx, tx, write) }); err != nil {
			return fmt.Errorf("upgrade draft_edits: %w", err)
		}
	}
	return nil
}

type storedRow struct {
	kind, id string
	revision int64
	body     []byte
	version  int
}

// upgradeTable goes through the old rows of a table, and writes what becomes of them if it is to.
func (s *Store) upgradeTable(ctx context.Context, table, revision string, write bool) error {
	var last storedRow
	for {
		var list []storedRow
		err := s.inTx(ctx, func(tx *sql.Tx) (err error) {
			if list, err = oldRows(ctx, tx, table, revision, last); err != nil {
				return err
			}
			for _, r := range list {
				if err := upgradeRow(ctx, tx, table, revision, r, write); err != nil {
					return fmt.Errorf("%s %s: %w", r.kind, r.id, err)
				}
			}
			return nil
		})
		if err != nil || len(list) < upgradeAtOnce {
			return err
		}
		last = list[len(list)-1]
	}
}

// oldRows are some old rows behind one, in the order of their keys.
func oldRows(ctx context.Context, tx *sql.Tx, table, revision string, last storedRow) ([]storedRow, error) {
	order := revision
	if order == "0" {
		order = "id" // a table with one row for each object
	}
	return many(ctx, tx, func(scan func(...any) error) (r storedRow, err error) {
		return r, scan(&r.kind, &r.id, &r.revision, &r.body, &r.version)
	}, `SELECT kind, id, `+revision+`, body, version FROM `+table+`
		WHERE version < ? AND (kind > ? OR kind = ? AND (id > ? OR id = ? AND `+revision+` > ?)) ORDER BY kind, id, `+order+` LIMIT ? FOR UPDATE`,
		plan.Version, last.kind, last.kind, last.id, last.id, last.revision, upgradeAtOnce)
}

func upgradeRow(ctx context.Context, tx *sql.Tx, table, revision string, r storedRow, write bool) error {
	is, err := document.Upgrade(document.Row{Version: r.version, Kind: r.kind, Body: r.body})
	if err != nil || !write {
		return err
	}
	_, err = tx.ExecContext(ctx, `UPDATE `+table+` SET kind = ?, body = ?, version = ? WHERE kind = ? AND id = ? AND `+revision+` = ?`,
		is.Kind, is.Body, is.Version, r.kind, r.id, r.revision)
	return err
}

// upgradeEdits does the same to what undoing puts back.
func upgradeEdits(ctx context.Context, tx *sql.Tx, write bool) error {
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
		if !write {
			continue
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
