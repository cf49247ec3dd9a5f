package store

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

// The inventory is kept in pages of some hundred numbers: a row of the tables each, so
// that a million numbers are put down and go live in a second or two, and an edit writes
// the page that it touches.

// EditNumbers changes the inventory of the draft: change is given it as it stands, and
// returns what it is to be. Nothing is written if it fails.
func (s *Store) EditNumbers(ctx context.Context, change func(plan.Plan) (inventory.List, error)) error {
	var written int64
	var put []*inventory.Page
	err := s.edit(ctx, func(d *draftEdit) error {
		st, err := readState(ctx, d.tx, "")
		if err != nil {
			return err
		}
		a, err := s.draft(ctx, d.tx, st)
		if err != nil {
			return err
		}
		numbers, err := change(a.Plan)
		if err != nil {
			return err
		}
		written = d.version
		put, err = d.putPages(a.Plan.Numbers, numbers)
		return err
	})
	if err == nil {
		s.plans.wrote(put, written)
	}
	return err
}

// wrote remembers pages that were just written, so that nobody reads them again.
func (p *arrangedPlans) wrote(pages []*inventory.Page, version int64) {
	p.mu.Lock()
	defer p.mu.Unlock()
	known := make(map[string]readPage, len(p.pages)+len(pages))
	maps.Copy(known, p.pages)
	for _, page := range pages {
		known[page.ID()] = readPage{version, page.Place(), page}
	}
	p.pages = known
}

// putPages writes the pages in which two inventories differ, and returns those that are new.
func (d *draftEdit) putPages(before, after inventory.List) (put []*inventory.Page, err error) {
	left := map[string]*inventory.Page{}
	for _, p := range before.Pages() {
		left[p.ID()] = p
	}
	var rows []draftRow
	for _, p := range after.Pages() {
		was := left[p.ID()]
		delete(left, p.ID())
		if was == p {
			continue
		}
		body, err := json.Marshal(p)
		if err != nil {
			return nil, err
		}
		put = append(put, p)
		rows = append(rows, rowOf(plan.Object{Kind: plan.KindNumbers, ID: p.ID(), Place: p.Place(), Body: body}))
	}
	for _, p := range left {
		row := rowOf(plan.Object{Kind: plan.KindNumbers, ID: p.ID(), Place: p.Place()})
		row.Gone = true
		rows = append(rows, row)
	}
	for _, r := range rows {
		if err := d.remember(r.Kind, r.ID); err != nil {
			return nil, err
		}
	}
	return put, writeDraft(d.ctx, d.tx, d.version, rows)
}

// readPage is a page of the draft as it was read, of the version that wrote it.
type readPage struct {
	written int64
	place   int
	page    *inventory.Page
}

// draftPages reads the pages that the draft has of its own; those that known has of the
// same version are not read again.
func draftPages(ctx context.Context, q querier, known map[string]readPage) ([]plan.Object, map[string]readPage, error) {
	rows, err := q.QueryContext(ctx, `SELECT id, place, written FROM draft_rows WHERE kind = ? AND NOT gone`, plan.KindNumbers)
	if err != nil {
		return nil, nil, err
	}
	defer rows.Close()
	read, missing := map[string]readPage{}, []string{}
	for rows.Next() {
		var id string
		var p readPage
		if err := rows.Scan(&id, &p.place, &p.written); err != nil {
			return nil, nil, err
		}
		if k := known[id]; k.page != nil && k.written == p.written {
			p = k
		} else {
			missing = append(missing, id)
		}
		read[id] = p
	}
	if err := rows.Err(); err != nil {
		return nil, nil, err
	}
	for part := range slices.Chunk(missing, 50) {
		if err := readPages(ctx, q, part, read); err != nil {
			return nil, nil, err
		}
	}
	objects := make([]plan.Object, 0, len(read))
	for id, p := range read {
		objects = append(objects, plan.Object{Kind: plan.KindNumbers, ID: id, Place: p.place, Read: p.page})
	}
	return objects, read, nil
}

func readPages(ctx context.Context, q querier, ids []string, into map[string]readPage) error {
	args := []any{plan.KindNumbers}
	for _, id := range ids {
		args = append(args, id)
	}
	rows, err := q.QueryContext(ctx, `SELECT id, body FROM draft_rows WHERE kind = ? AND id IN (?`+strings.Repeat(",?", len(ids)-1)+`)`, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		var id string
		var body []byte
		if err := rows.Scan(&id, &body); err != nil {
			return err
		}
		p := into[id]
		p.page = new(inventory.Page)
		if err := json.Unmarshal(body, p.page); err != nil {
			return fmt.Errorf("numbers %s: %w", id, err)
		}
		into[id] = p
	}
	return rows.Err()
}
