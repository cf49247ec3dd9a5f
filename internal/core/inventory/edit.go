package inventory

import (
	"fmt"
	"slices"
)

// With returns the list with some rows put in, in place of those with the same numbers,
// and others taken out by their ids. A row that cannot be held is an error; an id that is
// not there is none.
func (l List) With(put []Number, gone []string) (List, error) {
	n, bad := l.with(put, gone)
	if len(bad) > 0 {
		f := bad[0].Check()[0]
		return l, fmt.Errorf("number %s: %s: %s", bad[0].Name(), f.Field, f.Reason)
	}
	return n, nil
}

func (l List) with(put []Number, gone []string) (List, []Number) {
	var bad []Number
	var blocks, singles edits
	side := func(k key) *edits {
		if k.first != k.last {
			return &blocks
		}
		return &singles
	}
	for _, id := range gone {
		if k, ok := parseID(id); ok {
			s := side(k)
			s.gone = append(s.gone, k)
		}
	}
	for _, n := range put {
		e, faults := pack(n)
		if len(faults) > 0 {
			bad = append(bad, n)
			continue
		}
		s := side(e.key())
		s.put = append(s.put, e)
	}
	return List{blocks: l.blocks.with(true, blocks), singles: l.singles.with(false, singles), bad: l.bad}, bad
}

type edits struct {
	put  []expanded
	gone []key
}

// with edits a run page by page. Two rows that are put with the same numbers both stay,
// for who checks the list to see; so they do where they stood before.
func (r run) with(blocks bool, e edits) run {
	if len(e.put)+len(e.gone) == 0 {
		return r
	}
	slices.SortStableFunc(e.put, func(a, b expanded) int { return compareKeys(a.key(), b.key()) })
	slices.SortFunc(e.gone, compareKeys)
	var pages []*Page
	if len(r.pages) == 0 || len(e.put) > 0 && e.put[0].first < r.froms[0] {
		r = run{pages: append([]*Page{makePage(blocks, 0, nil)}, r.pages...), froms: append([]uint64{0}, r.froms...)}
	}
	for i, p := range r.pages {
		end := ^uint64(0)
		if i+1 < len(r.pages) {
			end = r.froms[i+1]
		}
		put := e.put[:countBelow(e.put, end, func(x *expanded) uint64 { return x.first })]
		gone := e.gone[:countBelow(e.gone, end, func(x *key) uint64 { return x.first })]
		e.put, e.gone = e.put[len(put):], e.gone[len(gone):]
		if len(put)+len(gone) == 0 && len(p.rows) > 0 {
			pages = append(pages, p)
			continue
		}
		if rows := p.merged(put, gone); len(rows) > 0 {
			pages = append(pages, makePages(blocks, p.from, rows)...)
		}
	}
	return runOf(pages)
}

func countBelow[T any](list []T, end uint64, first func(*T) uint64) int {
	i := 0
	for i < len(list) && first(&list[i]) < end {
		i++
	}
	return i
}

// merged are the rows of the page with some put in and others out, in order.
func (p *Page) merged(put []expanded, gone []key) []expanded {
	out := make([]expanded, 0, len(p.rows)+len(put))
	for i := range p.rows {
		k := p.rows[i].key()
		for len(put) > 0 && compareKeys(put[0].key(), k) < 0 {
			out, put = append(out, put[0]), put[1:]
		}
		if len(put) > 0 && put[0].key() == k {
			continue // replaced
		}
		if _, goes := slices.BinarySearchFunc(gone, k, compareKeys); !goes {
			out = append(out, p.expand(i))
		}
	}
	return append(out, put...)
}

// Becoming returns a list with the rows of other, made of this one: pages in which
// nothing differs are shared.
func (l List) Becoming(other List) List {
	if l.Len() == 0 || len(other.bad) > 0 {
		return other
	}
	var put []Number
	var gone []string
	l.Diff(other, func(was, is Entry) bool {
		if is.page == nil {
			gone = append(gone, was.ID())
		} else {
			put = append(put, is.Number())
		}
		return true
	})
	n, _ := l.with(put, gone)
	return n
}

// Diff goes through the rows in which two lists differ: blocks, then single numbers, each
// by number. Where was or is has no row, it is the zero Entry. Pages that both share are
// not looked at.
func (l List) Diff(other List, yield func(was, is Entry) bool) {
	if diffRuns(l.blocks, other.blocks, yield) {
		diffRuns(l.singles, other.singles, yield)
	}
}

// Zero tells whether there is no row.
func (e Entry) Zero() bool { return e.page == nil }

// cursor walks the rows of a run.
type cursor struct {
	run     run
	page, i int
}

func (c *cursor) entry() (Entry, bool) {
	for c.page < len(c.run.pages) && c.i >= len(c.run.pages[c.page].rows) {
		c.page, c.i = c.page+1, 0
	}
	if c.page == len(c.run.pages) {
		return Entry{}, false
	}
	return Entry{c.run.pages[c.page], c.i}, true
}

func diffRuns(a, b run, yield func(was, is Entry) bool) (more bool) {
	x, y := cursor{run: a}, cursor{run: b}
	for {
		was, okWas := x.entry()
		is, okIs := y.entry()
		if !okWas && !okIs {
			return true
		}
		if okWas && okIs && was.page == is.page && x.i == 0 && y.i == 0 {
			x.i, y.i = len(was.page.rows), len(is.page.rows)
			continue
		}
		order := 0
		switch {
		case !okWas:
			order = 1
		case !okIs:
			order = -1
		default:
			order = compareKeys(was.row().key(), is.row().key())
		}
		switch {
		case order < 0:
			more, x.i = yield(was, Entry{}), x.i+1
		case order > 0:
			more, y.i = yield(Entry{}, is), y.i+1
		default:
			more = was.page.expand(was.at) == is.page.expand(is.at) || yield(was, is)
			x.i, y.i = x.i+1, y.i+1
		}
		if !more {
			return false
		}
	}
}
