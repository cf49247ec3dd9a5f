package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"fmt"
	"hash"
	"sync"

	"switchback.example/switchback/internal/core/plan"
)

// arrangedPlans remembers the newest live plan and draft, so that reading one
// again costs what changed since: a go-live or an edit shares with the plan
// before it all that it did not touch.
type arrangedPlans struct {
	mu       sync.Mutex
	live     *plan.Arranged
	revision int64
	draft    *plan.Arranged
	version  int64
	// edited are what the draft's own rows say of each list, and of which live plan.
	edited     map[plan.List][sha256.Size]byte
	editedFrom *plan.Arranged
	// pages are those of the inventory that the draft has of its own, as they were read.
	pages map[string]readPage
}

// live returns the live plan as it stands in the transaction.
func (s *Store) live(ctx context.Context, tx *sql.Tx, st state) (*plan.Arranged, error) {
	s.plans.mu.Lock()
	defer s.plans.mu.Unlock()
	return s.liveLocked(ctx, tx, st)
}

func (s *Store) liveLocked(ctx context.Context, tx *sql.Tx, st state) (*plan.Arranged, error) {
	p := &s.plans
	if p.live != nil && p.revision == st.live && p.live.Plan.Name == st.name {
		return p.live, nil
	}
	before := p.revision
	if p.live == nil || before > st.live {
		empty, err := plan.Arrange(st.name, nil)
		if err != nil {
			return nil, err
		}
		p.live, before = empty, -1
	}
	gone, err := keys(ctx, tx, `SELECT DISTINCT kind, id FROM plan_rows WHERE end_revision > ?`, before)
	if err != nil {
		return nil, err
	}
	put, err := readObjects(ctx, tx, `
		SELECT kind, id, name, in_table, place, body FROM plan_rows
		WHERE first_revision > ? AND end_revision IS NULL ORDER BY kind, place, id`, before)
	if err != nil {
		return nil, err
	}
	live, err := p.live.With(st.name, put, gone)
	if err != nil {
		p.live = nil
		return nil, err
	}
	p.live, p.revision = live, st.live
	return live, nil
}

// draft returns the draft as it stands in the transaction.
func (s *Store) draft(ctx context.Context, tx *sql.Tx, st state) (*plan.Arranged, error) {
	s.plans.mu.Lock()
	defer s.plans.mu.Unlock()
	p := &s.plans
	if p.draft != nil && p.version == st.version && p.draft.Plan.Name == st.name {
		return p.draft, nil
	}
	live, err := s.liveLocked(ctx, tx, st)
	if err != nil {
		return nil, err
	}
	put, err := readObjects(ctx, tx, `SELECT kind, id, name, in_table, place, body FROM draft_rows WHERE NOT gone AND kind <> ? ORDER BY kind, place, id`, plan.KindNumbers)
	if err != nil {
		return nil, err
	}
	pages, read, err := draftPages(ctx, tx, p.pages)
	if err != nil {
		return nil, err
	}
	gone, err := keys(ctx, tx, `SELECT kind, id FROM draft_rows WHERE gone`)
	if err != nil {
		return nil, err
	}
	draft, err := live.With(st.name, append(put, pages...), gone)
	if err != nil {
		return nil, err
	}
	edited := editedLists(put, gone)
	if p.draft != nil && p.editedFrom == live {
		draft.ShareRules(p.draft, func(l plan.List) bool { return edited[l] == p.edited[l] })
	}
	p.draft, p.version, p.edited, p.editedFrom, p.pages = draft, st.version, edited, live, read
	return draft, nil
}

// editedLists sums up what the rows of a draft say of each list, so that a list of
// which they say the same as before is known to be the same. What is gone from some
// list counts for all: it may have stood in any.
func editedLists(put []plan.Object, gone []plan.Key) map[plan.List][sha256.Size]byte {
	sums := map[plan.List]hash.Hash{}
	for _, o := range put {
		if sums[o.List()] == nil {
			sums[o.List()] = sha256.New()
			for _, k := range gone {
				fmt.Fprintf(sums[o.List()], "%s %s\n", k.Kind, k.ID)
			}
		}
		fmt.Fprintf(sums[o.List()], "%s %d %d\n%s\n", o.ID, o.Place, len(o.Body), o.Body)
	}
	out := make(map[plan.List][sha256.Size]byte, len(sums))
	for list, sum := range sums {
		out[list] = [sha256.Size]byte(sum.Sum(nil))
	}
	return out
}

// wentLive remembers that the draft of a version became a revision.
func (s *Store) wentLive(version, revision int64) {
	s.plans.mu.Lock()
	defer s.plans.mu.Unlock()
	if p := &s.plans; p.draft != nil && p.version == version && revision > p.revision {
		p.live, p.revision = p.draft, revision
	}
}

func keys(ctx context.Context, q querier, query string, args ...any) ([]plan.Key, error) {
	rows, err := q.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var out []plan.Key
	for rows.Next() {
		var k plan.Key
		if err := rows.Scan(&k.Kind, &k.ID); err != nil {
			return nil, err
		}
		out = append(out, k)
	}
	return out, rows.Err()
}

// Changes returns in which objects the draft differs from the live plan. It
// looks only at the lists that the draft touches. Of numbers it lists some, and counts all.
func (s *Store) Changes(ctx context.Context) (changes []plan.Change, count int, version int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		st, err := readState(ctx, tx, "")
		if err != nil {
			return err
		}
		version = st.version
		changes, count, err = s.changes(ctx, tx, st)
		return err
	})
	return changes, count, version, err
}

func (s *Store) changes(ctx context.Context, tx *sql.Tx, st state) (changes []plan.Change, count int, err error) {
	live, err := s.live(ctx, tx, st)
	if err != nil {
		return nil, 0, err
	}
	draft, err := s.draft(ctx, tx, st)
	if err != nil {
		return nil, 0, err
	}
	was, err := readObjects(ctx, tx, `
		SELECT p.kind, p.id, p.name, p.in_table, p.place, p.body FROM draft_rows d
		STRAIGHT_JOIN plan_rows p FORCE INDEX (PRIMARY) ON p.kind = d.kind AND p.id = d.id WHERE p.end_revision IS NULL AND p.kind <> ?`, plan.KindNumbers)
	if err != nil {
		return nil, 0, err
	}
	is, err := readObjects(ctx, tx, `SELECT kind, id, name, in_table, place, body FROM draft_rows WHERE NOT gone AND kind <> ?`, plan.KindNumbers)
	if err != nil {
		return nil, 0, err
	}
	touched := map[plan.List]bool{}
	for _, o := range append(was[:len(was):len(was)], is...) {
		touched[o.List()] = true
	}
	if changes, err = plan.DiffObjects(listed(live, touched, was), listed(draft, touched, is)); err != nil {
		return nil, 0, err
	}
	for i, c := range changes { // moved by its neighbours: it has no row of its own in the draft
		if c.Name == "" {
			o, _, err := find(ctx, tx, c.Kind, c.ID)
			if err != nil {
				return nil, 0, err
			}
			changes[i].Name = o.Name
		}
	}
	numbers, n, err := plan.DiffNumbers(live.Plan.Numbers, draft.Plan.Numbers)
	return append(changes, numbers...), len(changes) + n, err
}

// listed returns the objects of some lists with their places as people count
// them; only those that are given have a name and a body, which is enough to
// compare two plans that have the others in common.
func listed(a *plan.Arranged, touched map[plan.List]bool, given []plan.Object) []plan.Object {
	full := map[plan.Key]plan.Object{}
	for _, o := range given {
		full[o.Key()] = o
	}
	out := []plan.Object{}
	for list := range touched {
		for i, id := range a.Order(list) {
			o, ok := full[plan.Key{Kind: list.Kind, ID: id}]
			if !ok {
				o = plan.Object{Kind: list.Kind, ID: id, Table: list.Table}
			}
			o.Place = i
			out = append(out, o)
		}
	}
	return out
}
