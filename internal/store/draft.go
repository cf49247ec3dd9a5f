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

// edit runs a change of the draft: it reads the draft, lets change say which
// rows are to be written, and raises the draft's version.
func (s *Store) edit(ctx context.Context, change func(d *draftEdit) error) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "FOR UPDATE")
		if err != nil {
			return err
		}
		objects, err := draftObjects(ctx, tx)
		if err != nil {
			return err
		}
		d := &draftEdit{ctx: ctx, tx: tx, objects: objects, touched: map[objectKey]bool{}}
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

// settle drops draft rows that say what is live anyway.
func settle(ctx context.Context, tx *sql.Tx) error {
	for _, q := range []string{
		`DELETE d FROM draft_rows d JOIN plan_rows p ON p.kind = d.kind AND p.id = d.id AND p.end_revision IS NULL
		 WHERE NOT d.gone AND p.name = d.name AND p.in_table = d.in_table AND p.place = d.place AND p.body = d.body`,
		`DELETE d FROM draft_rows d LEFT JOIN plan_rows p ON p.kind = d.kind AND p.id = d.id AND p.end_revision IS NULL
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
	objects []plan.Object // of the draft, ordered by place within each kind
	touched map[objectKey]bool
	undo    []draftRow
}

type objectKey struct {
	kind plan.Kind
	id   string
}

func (d *draftEdit) find(kind plan.Kind, id string) (plan.Object, bool) {
	i := slices.IndexFunc(d.objects, func(o plan.Object) bool { return o.Kind == kind && o.ID == id })
	if i < 0 {
		return plan.Object{}, false
	}
	return d.objects[i], true
}

func (d *draftEdit) put(o plan.Object) error {
	if err := d.remember(o.Kind, o.ID); err != nil {
		return err
	}
	_, err := d.tx.ExecContext(d.ctx,
		`REPLACE INTO draft_rows (kind, id, gone, name, in_table, place, body) VALUES (?, ?, FALSE, ?, ?, ?, ?)`,
		o.Kind, o.ID, o.Name, o.Table, o.Place, string(o.Body))
	return err
}

func (d *draftEdit) remove(o plan.Object) error {
	if err := d.remember(o.Kind, o.ID); err != nil {
		return err
	}
	_, err := d.tx.ExecContext(d.ctx,
		`REPLACE INTO draft_rows (kind, id, gone, name, in_table, place, body) VALUES (?, ?, TRUE, ?, ?, ?, '')`,
		o.Kind, o.ID, o.Name, o.Table, o.Place)
	return err
}

// list returns the objects of one kind (rules: of one table) in order.
func (d *draftEdit) list(kind plan.Kind, table string) []plan.Object {
	var out []plan.Object
	for _, o := range d.objects {
		if o.Kind == kind && o.Table == table {
			out = append(out, o)
		}
	}
	return out
}

// placeBefore finds a place in front of the object before, or at the end if
// before is empty. Where there is no room left, the list is spread out again.
func (d *draftEdit) placeBefore(kind plan.Kind, table, before, moving string) (int, error) {
	list := slices.DeleteFunc(d.list(kind, table), func(o plan.Object) bool { return o.ID == moving })
	at := len(list)
	if before != "" {
		if at = slices.IndexFunc(list, func(o plan.Object) bool { return o.ID == before }); at < 0 {
			return 0, fmt.Errorf("no %s %q to stand before: %w", kind, before, ErrNotFound)
		}
	}
	low := -gap
	if at > 0 {
		low = list[at-1].Place
	}
	if at == len(list) {
		return low + gap, nil
	}
	if high := list[at].Place; high-low > 1 {
		return low + (high-low)/2, nil
	}
	for i, o := range list {
		o.Place = i * gap
		if err := d.put(o); err != nil {
			return 0, err
		}
	}
	return at*gap - gap/2, nil
}

// StaleError says that an object was changed by somebody else since it was
// read. Current is what stands there now; nil if it was taken out.
type StaleError struct{ Current *plan.Object }

func (e *StaleError) Error() string {
	if e.Current == nil {
		return "it was taken out of the draft in the meantime"
	}
	return "it was changed in the draft in the meantime"
}

// PutObject writes an object into the draft. A new one stands before the
// object named by before, or at the end; one that is there keeps its place.
// Where was is given, the object must still be what was says, else the error
// is a *StaleError and nothing is written.
func (s *Store) PutObject(ctx context.Context, o plan.Object, before string, was json.RawMessage) error {
	return s.edit(ctx, func(d *draftEdit) error {
		if err := d.stillIs(o, was); err != nil {
			return err
		}
		if o.Kind == plan.KindRule {
			if _, ok := d.find(plan.KindTable, o.Table); !ok {
				return fmt.Errorf("table %q: %w", o.Table, ErrNotFound)
			}
		}
		if was, ok := d.find(o.Kind, o.ID); ok && was.Table == o.Table {
			o.Place = was.Place
			return d.put(o)
		}
		place, err := d.placeBefore(o.Kind, o.Table, before, "")
		if err != nil {
			return err
		}
		o.Place = place
		return d.put(o)
	})
}

func (d *draftEdit) stillIs(o plan.Object, was json.RawMessage) error {
	if len(was) == 0 {
		return nil
	}
	current, there := d.find(o.Kind, o.ID)
	switch {
	case !there:
		return &StaleError{}
	case !bytes.Equal(current.Body, was):
		return &StaleError{&current}
	}
	return nil
}

// MoveObject puts an object before another of its list, or at the end.
func (s *Store) MoveObject(ctx context.Context, kind plan.Kind, id, before string) error {
	return s.edit(ctx, func(d *draftEdit) error {
		o, ok := d.find(kind, id)
		if !ok {
			return fmt.Errorf("%s %q: %w", kind, id, ErrNotFound)
		}
		if before == id {
			return nil
		}
		place, err := d.placeBefore(kind, o.Table, before, id)
		if err != nil {
			return err
		}
		o.Place = place
		return d.put(o)
	})
}

// DeleteObject takes an object out of the draft.
func (s *Store) DeleteObject(ctx context.Context, kind plan.Kind, id string) error {
	return s.edit(ctx, func(d *draftEdit) error {
		o, ok := d.find(kind, id)
		if !ok {
			return fmt.Errorf("%s %q: %w", kind, id, ErrNotFound)
		}
		return d.remove(o)
	})
}

// Object returns one object of the draft.
func (s *Store) Object(ctx context.Context, kind plan.Kind, id string) (plan.Object, error) {
	objects, err := draftObjects(ctx, s.db)
	if err != nil {
		return plan.Object{}, err
	}
	o, ok := (&draftEdit{objects: objects}).find(kind, id)
	if !ok {
		return o, fmt.Errorf("%s %q: %w", kind, id, ErrNotFound)
	}
	return o, nil
}

// DiscardDraft makes the draft the live plan again.
func (s *Store) DiscardDraft(ctx context.Context) error {
	return s.edit(ctx, func(d *draftEdit) error {
		if err := d.rememberAll(); err != nil {
			return err
		}
		_, err := d.tx.ExecContext(ctx, `DELETE FROM draft_rows`)
		return err
	})
}

// ReplaceDraft makes the draft the given plan. Objects that are the same, in the
// same order, are not touched.
func (s *Store) ReplaceDraft(ctx context.Context, p plan.Plan) error {
	objects, err := plan.Objects(p)
	if err != nil {
		return err
	}
	return s.edit(ctx, func(d *draftEdit) error {
		if _, err := d.tx.ExecContext(ctx, `UPDATE plan_state SET name = ? WHERE id = 1`, p.Name); err != nil {
			return err
		}
		keep := map[objectKey]bool{}
		placed := placesLike(d.objects, objects)
		for i, o := range objects {
			o.Place = placed[i]
			keep[objectKey{o.Kind, o.ID}] = true
			if err := d.put(o); err != nil {
				return err
			}
		}
		for _, o := range d.objects {
			if !keep[objectKey{o.Kind, o.ID}] {
				if err := d.remove(o); err != nil {
					return err
				}
			}
		}
		return nil
	})
}

// placesLike finds places for the wanted objects: where a list holds the same
// objects in the same order as before, those that it has; else fresh ones.
func placesLike(before, wanted []plan.Object) []int {
	type list struct {
		kind  plan.Kind
		table string
	}
	old, ids := map[list][]plan.Object{}, map[list][]string{}
	for _, o := range before {
		k := list{o.Kind, o.Table}
		old[k] = append(old[k], o)
	}
	for _, o := range wanted {
		k := list{o.Kind, o.Table}
		ids[k] = append(ids[k], o.ID)
	}
	out := make([]int, len(wanted))
	for i, o := range wanted {
		k := list{o.Kind, o.Table}
		same := slices.EqualFunc(old[k], ids[k], func(a plan.Object, id string) bool { return a.ID == id })
		out[i] = o.Place * gap
		if same {
			out[i] = old[k][o.Place].Place
		}
	}
	return out
}
