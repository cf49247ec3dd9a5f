package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"strings"

	"switchback.example/switchback/internal/core/plan"
)

// MaxUndo is how many edits of the draft can be undone.
const MaxUndo = 100

// maxUndoBytes bounds what one edit may replace and still be undone; past it,
// neither that edit nor those before it can be. MariaDB takes 16 MiB at once by
// default.
const maxUndoBytes = 12 << 20

// ErrNothingToUndo says that the draft has no edit since the last go-live, or
// none that is remembered.
var ErrNothingToUndo = errors.New("there is no edit of the draft to undo")

// OvertakenError says that somebody else edited since what an undo would take back.
type OvertakenError struct{ Who string }

func (e *OvertakenError) Error() string {
	who := e.Who
	if who == "" {
		who = "another user"
	}
	return "the edit cannot be undone: " + who + " edited the same objects after it"
}

// draftRow is a row of the draft as it was before an edit; Absent if there was
// none.
type draftRow struct {
	Kind   plan.Kind `json:"kind"`
	ID     string    `json:"id"`
	Absent bool      `json:"absent,omitempty"`
	Gone   bool      `json:"gone,omitempty"`
	Name   string    `json:"name,omitempty"`
	Table  string    `json:"table,omitempty"`
	Place  int       `json:"place,omitempty"`
	Body   string    `json:"body,omitempty"`
}

// undoEdit is what an edit replaced: some rows, or all there were.
type undoEdit struct {
	All  bool       `json:"all,omitempty"`
	Rows []draftRow `json:"rows"`
}

func rowOf(o plan.Object) draftRow {
	return draftRow{Kind: o.Kind, ID: o.ID, Name: o.Name, Table: o.Table, Place: o.Place, Body: string(o.Body)}
}

// remember keeps what a row was before the edit first touches it.
func (d *draftEdit) remember(kind plan.Kind, id string) error {
	k := plan.Key{Kind: kind, ID: id}
	if d.touched[k] {
		return nil
	}
	d.touched[k] = true
	row := draftRow{Kind: kind, ID: id}
	err := d.tx.QueryRowContext(d.ctx, `SELECT gone, name, in_table, place, body FROM draft_rows WHERE kind = ? AND id = ?`, kind, id).
		Scan(&row.Gone, &row.Name, &row.Table, &row.Place, &row.Body)
	if errors.Is(err, sql.ErrNoRows) {
		row.Absent, err = true, nil
	}
	d.undo.Rows = append(d.undo.Rows, row)
	return err
}

// rememberAll keeps every row of the draft.
func (d *draftEdit) rememberAll() error {
	rows, err := d.tx.QueryContext(d.ctx, `SELECT kind, id, gone, name, in_table, place, body FROM draft_rows`)
	if err != nil {
		return err
	}
	defer rows.Close()
	d.undo = undoEdit{All: true}
	for rows.Next() {
		var row draftRow
		if err := rows.Scan(&row.Kind, &row.ID, &row.Gone, &row.Name, &row.Table, &row.Place, &row.Body); err != nil {
			return err
		}
		d.undo.Rows = append(d.undo.Rows, row)
	}
	return rows.Err()
}

// keepUndo writes down what the edit that made a version replaced.
func (d *draftEdit) keepUndo(version int64) error {
	text, err := json.Marshal(d.undo)
	if err != nil {
		return err
	}
	if len(text) > maxUndoBytes {
		_, err := d.tx.ExecContext(d.ctx, `DELETE FROM draft_edits`)
		return err
	}
	if _, err := d.tx.ExecContext(d.ctx, `INSERT INTO draft_edits (version, replaced, who) VALUES (?, ?, ?)`, version, text, Author(d.ctx)); err != nil {
		return err
	}
	_, err = d.tx.ExecContext(d.ctx, `DELETE FROM draft_edits WHERE version NOT IN (SELECT version FROM (SELECT version FROM draft_edits ORDER BY version DESC LIMIT ?) newest)`, MaxUndo)
	return err
}

// Undoable counts the edits of the one in whose name it asks that can be undone.
func (s *Store) Undoable(ctx context.Context) (n int, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM draft_edits WHERE who = ?`, Author(ctx)).Scan(&n)
	return n, err
}

// Undo takes back the last edit of the draft that was made in the same name.
// ErrNothingToUndo if there is none, an *OvertakenError if somebody else edited the same
// objects since.
func (s *Store) Undo(ctx context.Context) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "FOR UPDATE")
		if err != nil {
			return err
		}
		version, undo, err := lastEdit(ctx, tx, Author(ctx))
		if err != nil {
			return err
		}
		if err := restore(ctx, tx, st.version+1, undo); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM draft_edits WHERE version = ?`, version); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE plan_state SET draft_version = draft_version + 1 WHERE id = 1`)
		return err
	})
}

// lastEdit is the last edit of an author, if nobody edited the same objects after it.
func lastEdit(ctx context.Context, tx *sql.Tx, who string) (version int64, undo undoEdit, err error) {
	rows, err := tx.QueryContext(ctx, `SELECT version, replaced, who FROM draft_edits ORDER BY version DESC`)
	if err != nil {
		return 0, undo, err
	}
	defer rows.Close()
	later := map[plan.Key]string{} // objects that others edited since
	everything := false
	var last string
	for rows.Next() {
		var text []byte
		var by string
		if err := rows.Scan(&version, &text, &by); err != nil {
			return 0, undo, err
		}
		undo = undoEdit{}
		if err := json.Unmarshal(text, &undo); err != nil {
			return 0, undo, err
		}
		if by != who {
			last, everything = by, everything || undo.All
			for _, r := range undo.Rows {
				later[plan.Key{Kind: r.Kind, ID: r.ID}] = by
			}
			continue
		}
		if everything || undo.All && last != "" {
			return 0, undo, &OvertakenError{last}
		}
		for _, r := range undo.Rows {
			if by, touched := later[plan.Key{Kind: r.Kind, ID: r.ID}]; touched {
				return 0, undo, &OvertakenError{by}
			}
		}
		return version, undo, rows.Err()
	}
	if err := rows.Err(); err != nil {
		return 0, undo, err
	}
	return 0, undo, ErrNothingToUndo
}

func restore(ctx context.Context, tx *sql.Tx, version int64, undo undoEdit) error {
	if undo.All {
		if _, err := tx.ExecContext(ctx, `DELETE FROM draft_rows`); err != nil {
			return err
		}
	}
	var back []draftRow
	for _, row := range undo.Rows {
		if !row.Absent {
			back = append(back, row)
			continue
		}
		if _, err := tx.ExecContext(ctx, `DELETE FROM draft_rows WHERE kind = ? AND id = ?`, row.Kind, row.ID); err != nil {
			return err
		}
	}
	return writeDraft(ctx, tx, version, back)
}

// rowsAtOnce and bytesAtOnce bound what one statement writes, so that it stays under the
// packet size that MariaDB takes by default (16 MiB).
const (
	rowsAtOnce  = 500
	bytesAtOnce = 6 << 20
)

// writeDraft writes rows, in place of those that are there, for a version of the draft.
func writeDraft(ctx context.Context, tx *sql.Tx, version int64, rows []draftRow) error {
	for len(rows) > 0 {
		n, bytes := 0, 0
		for ; n < len(rows) && n < rowsAtOnce && (n == 0 || bytes+len(rows[n].Body) <= bytesAtOnce); n++ {
			bytes += len(rows[n].Body)
		}
		args := make([]any, 0, 9*n)
		for _, r := range rows[:n] {
			args = append(args, r.Kind, r.ID, r.Gone, r.Name, r.Table, r.Place, r.Body, version, Author(ctx))
		}
		marks := strings.TrimSuffix(strings.Repeat("(?,?,?,?,?,?,?,?,?),", n), ",")
		if _, err := tx.ExecContext(ctx, `REPLACE INTO draft_rows (kind, id, gone, name, in_table, place, body, written, who) VALUES `+marks, args...); err != nil {
			return err
		}
		rows = rows[n:]
	}
	return nil
}
