package store

import (
	"bytes"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/plan"
)

// edit runs a change of the draft and raises the draft's version. Its cost is
// that of the rows that change, not that of the plan.
func (s *Store) edit(ctx context.Context, change func(d *draftEdit) error) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "FOR UPDATE")
		if err != nil {
			return err
		}
		d := &draftEdit{ctx: ctx, tx: tx, version: st.version + 1, touched: map[plan.Key]bool{}}
		if err := change(d); err != nil {
			return err
		}
		if err := settle(ctx, tx); err != nil {
			return err
		}
		if err := d.keepUndo(st.version + 1); err != nil {
			return err
		}
		_, err = tx.ExecContext(ctx, `UPDATE plan_state SET draft_version = draft_version + 1 WHERE id = 1`)
		return err
	})
}

// settle drops draft rows that say what is live anyway. As everywhere, the few
// rows of the draft are read first, and live ones found by their key: what the
// optimizer believes of a table that just grew is not relied on.
func settle(ctx context.Context, tx *sql.Tx) error {
	for _, q := range []string{
		`DELETE d FROM draft_rows d STRAIGHT_JOIN plan_rows p FORCE INDEX (PRIMARY) ON p.kind = d.kind AND p.id = d.id AND p.end_revision IS NULL
		 WHERE NOT d.gone AND p.name = d.name AND p.in_table = d.in_table AND p.place = d.place AND p.body = d.body`,
		`DELETE d FROM draft_rows d LEFT JOIN plan_rows p FORCE INDEX (PRIMARY) ON p.kind = d.kind AND p.id = d.id AND p.end_revision IS NULL
		 WHERE d.gone AND p.id IS NULL`,
	} {
		if _, err := tx.ExecContext(ctx, q); err != nil {
			return err
		}
	}
	return nil
}

type draftEdit struct {
	ctx     context.Context
	tx      *sql.Tx
	version int64 // that the edit makes
	touched map[plan.Key]bool
	undo    undoEdit
}

// draftOf is the draft's rows that meet a condition on p or d, twice the same
// arguments: live rows that the draft does not replace, and its own.
func draftOf(columns, condition string) string {
	return `SELECT ` + columns + ` FROM plan_rows r LEFT JOIN draft_rows d ON d.kind = r.kind AND d.id = r.id
		WHERE r.end_revision IS NULL AND d.id IS NULL AND ` + condition + `
		UNION ALL SELECT ` + columns + ` FROM draft_rows r WHERE NOT r.gone AND ` + condition
}

const objectColumns = `r.kind, r.id, r.name, r.in_table, r.place, r.body`

// find returns an object of the draft.
func find(ctx context.Context, q querier, kind plan.Kind, id string) (o plan.Object, ok bool, err error) {
	list, err := readObjects(ctx, q, draftOf(objectColumns, `r.kind = ? AND r.id = ?`), kind, id, kind, id)
	if err != nil || len(list) == 0 {
		return o, false, err
	}
	return list[0], true, nil
}

// must is find; ErrNotFound if there is none.
func (d *draftEdit) must(kind plan.Kind, id string) (plan.Object, error) {
	o, ok, err := find(d.ctx, d.tx, kind, id)
	if err == nil && !ok {
		err = fmt.Errorf("%s %q: %w", kind, id, ErrNotFound)
	}
	return o, err
}

func (d *draftEdit) put(o plan.Object) error {
	if err := d.remember(o.Kind, o.ID); err != nil {
		return err
	}
	return writeDraft(d.ctx, d.tx, d.version, []draftRow{rowOf(o)})
}

func (d *draftEdit) remove(o plan.Object) error {
	if err := d.remember(o.Kind, o.ID); err != nil {
		return err
	}
	o.Body = nil
	row := rowOf(o)
	row.Gone = true
	return writeDraft(d.ctx, d.tx, d.version, []draftRow{row})
}

// neighbour returns the place of the last object of a list, or of the last
// before a place; ok is false if there is none.
func (d *draftEdit) neighbour(list plan.List, before *int, moving string) (place int, ok bool, err error) {
	condition, args := `r.kind = ? AND r.in_table = ? AND r.id <> ?`, []any{list.Kind, list.Table, moving}
	if before != nil {
		condition, args = condition+` AND r.place < ?`, append(args, *before)
	}
	var last sql.NullInt64
	err = d.tx.QueryRowContext(d.ctx, `SELECT MAX(place) FROM (`+draftOf(`r.place`, condition)+`) places`, append(args, args...)...).Scan(&last)
	return int(last.Int64), last.Valid, err
}

// placeBefore finds a place in front of the object before, or at the end if
// before is empty. Where there is no room left, the list is spread out again.
func (d *draftEdit) placeBefore(list plan.List, before, moving string) (int, error) {
	if before == "" {
		last, ok, err := d.neighbour(list, nil, moving)
		if err != nil || !ok {
			return 0, err
		}
		return last + gap, nil
	}
	next, err := d.must(list.Kind, before)
	if err == nil && next.Table != list.Table {
		err = fmt.Errorf("no %s %q in this list: %w", list.Kind, before, ErrNotFound)
	}
	if err != nil {
		return 0, err
	}
	low, ok, err := d.neighbour(list, &next.Place, moving)
	if err != nil {
		return 0, err
	}
	if !ok {
		return next.Place - gap, nil
	}
	if next.Place-low > 1 {
		return low + (next.Place-low)/2, nil
	}
	return d.spread(list, before, moving)
}

// spread puts the objects of a list a gap apart and returns a place in front of
// one of them.
func (d *draftEdit) spread(list plan.List, before, moving string) (place int, err error) {
	objects, err := readObjects(d.ctx, d.tx, `SELECT * FROM (`+draftOf(objectColumns, `r.kind = ? AND r.in_table = ?`)+`) rows_of_list ORDER BY place, id`,
		list.Kind, list.Table, list.Kind, list.Table)
	if err != nil {
		return 0, err
	}
	objects = slices.DeleteFunc(objects, func(o plan.Object) bool { return o.ID == moving })
	for i, o := range objects {
		o.Place = i * gap
		if o.ID == before {
			place = o.Place - gap/2
		}
		if err := d.put(o); err != nil {
			return 0, err
		}
	}
	return place, nil
}

// StaleError says that an object was changed by somebody else since it was
// read. Current is what stands there now; nil if it was taken out.
type StaleError struct{ Current *plan.Object }

func (e *StaleError) Error() string {
	if e.Current == nil {
		return "it was deleted from the draft meanwhile"
	}
	return "it was changed in the draft meanwhile"
}

// PutObject writes an object into the draft. A new one stands before the
// object named by before, or at the end; one that is there keeps its place.
// Where was is given, the object must still be what was says, else the error
// is a *StaleError and nothing is written.
func (s *Store) PutObject(ctx context.Context, o plan.Object, before string, was json.RawMessage) error {
	return s.edit(ctx, func(d *draftEdit) error {
		current, there, err := find(ctx, d.tx, o.Kind, o.ID)
		switch {
		case err != nil:
			return err
		case len(was) > 0 && !there:
			return &StaleError{}
		case len(was) > 0 && !bytes.Equal(current.Body, was):
			return &StaleError{&current}
		}
		if o.Kind == plan.KindRule {
			if _, err := d.must(plan.KindTable, o.Table); err != nil {
				return err
			}
		}
		if there && current.Table == o.Table {
			o.Place = current.Place
			return d.put(o)
		}
		if o.Place, err = d.placeBefore(o.List(), before, ""); err != nil {
			return err
		}
		return d.put(o)
	})
}

// PutObjects writes objects into the draft, all or none: new ones at the end of their
// lists in the order given, those that are there in their places.
func (s *Store) PutObjects(ctx context.Context, list []plan.Object) error {
	return s.edit(ctx, func(d *draftEdit) error {
		for _, o := range list {
			current, there, err := find(ctx, d.tx, o.Kind, o.ID)
			if err != nil {
				return err
			}
			if there && current.Table == o.Table {
				o.Place = current.Place
			} else if o.Place, err = d.placeBefore(o.List(), "", ""); err != nil {
				return err
			}
			if err := d.put(o); err != nil {
				return err
			}
		}
		return nil
	})
}

// MoveObject puts an object before another of its list, or at the end.
func (s *Store) MoveObject(ctx context.Context, kind plan.Kind, id, before string) error {
	return s.edit(ctx, func(d *draftEdit) error {
		o, err := d.must(kind, id)
		if err != nil || before == id {
			return err
		}
		if o.Place, err = d.placeBefore(o.List(), before, id); err != nil {
			return err
		}
		return d.put(o)
	})
}

// DeleteObject takes an object out of the draft.
func (s *Store) DeleteObject(ctx context.Context, kind plan.Kind, id string) error {
	return s.edit(ctx, func(d *draftEdit) error {
		o, err := d.must(kind, id)
		if err != nil {
			return err
		}
		return d.remove(o)
	})
}

// Object returns one object of the draft.
func (s *Store) Object(ctx context.Context, kind plan.Kind, id string) (plan.Object, error) {
	o, ok, err := find(ctx, s.db, kind, id)
	if err == nil && !ok {
		err = fmt.Errorf("%s %q: %w", kind, id, ErrNotFound)
	}
	return o, err
}

// DiscardDraft makes the draft the live plan again.
func (s *Store) DiscardDraft(ctx context.Context) error {
	return s.edit(ctx, func(d *draftEdit) error { return d.replaceAll(nil) })
}

// ReplaceDraft makes the draft the given plan. Objects that are the same, in the
// same order, are not touched.
func (s *Store) ReplaceDraft(ctx context.Context, p plan.Plan) error {
	before, _, err := s.Live(ctx)
	if err != nil {
		return err
	}
	p.Numbers = before.Numbers.Becoming(p.Numbers)
	objects, err := plan.Objects(p)
	if err != nil {
		return err
	}
	return s.edit(ctx, func(d *draftEdit) error {
		if _, err := d.tx.ExecContext(ctx, `UPDATE plan_state SET name = ? WHERE id = 1`, p.Name); err != nil {
			return err
		}
		live, err := readObjects(ctx, d.tx, `SELECT kind, id, name, in_table, place, body FROM plan_rows WHERE end_revision IS NULL ORDER BY kind, place, id`)
		if err != nil {
			return err
		}
		return d.replaceAll(differences(live, objects))
	})
}

// replaceAll makes the draft the given rows.
func (d *draftEdit) replaceAll(rows []draftRow) error {
	if err := d.rememberAll(); err != nil {
		return err
	}
	if _, err := d.tx.ExecContext(d.ctx, `DELETE FROM draft_rows`); err != nil {
		return err
	}
	return writeDraft(d.ctx, d.tx, d.version, rows)
}

// differences are the draft rows that make a live plan another one.
func differences(live, wanted []plan.Object) []draftRow {
	left := make(map[plan.Key]plan.Object, len(live))
	for _, o := range live {
		left[o.Key()] = o
	}
	placed := placesLike(live, wanted)
	var rows []draftRow
	for i, o := range wanted {
		o.Place = placed[i]
		was, there := left[o.Key()]
		delete(left, o.Key())
		if !there || was.Place != o.Place || was.Table != o.Table || was.Name != o.Name || !bytes.Equal(was.Body, o.Body) {
			rows = append(rows, rowOf(o))
		}
	}
	for _, o := range live {
		if _, gone := left[o.Key()]; gone {
			o.Body = nil
			row := rowOf(o)
			row.Gone = true
			rows = append(rows, row)
		}
	}
	return rows
}

// placesLike finds places for the wanted objects: where a list holds the same
// objects in the same order as before, those that it has; else fresh ones.
func placesLike(before, wanted []plan.Object) []int {
	old, ids := map[plan.List][]plan.Object{}, map[plan.List][]string{}
	for _, o := range before {
		old[o.List()] = append(old[o.List()], o)
	}
	for _, o := range wanted {
		ids[o.List()] = append(ids[o.List()], o.ID)
	}
	same := map[plan.List]bool{}
	for list := range ids {
		same[list] = slices.EqualFunc(old[list], ids[list], func(a plan.Object, id string) bool { return a.ID == id })
	}
	out := make([]int, len(wanted))
	for i, o := range wanted {
		out[i] = o.Place * gap
		switch {
		case o.Kind == plan.KindNumbers:
			out[i] = o.Place // by their numbers
		case same[o.List()]:
			out[i] = old[o.List()][o.Place].Place
		}
	}
	return out
}
