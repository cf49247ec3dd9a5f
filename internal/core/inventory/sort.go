package inventory

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"
)

// Sorts are the columns by which what was found can be sorted.
var Sorts = []string{"number", "state", "carrier", "site", "owner", "destination", "extension", "note"}

// Sorted are the same rows of a search by number, by another column: one of Sorts. Rows
// that are alike there go by number.
func (f *Found) Sorted(column string, down bool) (*Found, error) {
	switch {
	case column == "" || column == "number":
		return &Found{f.list, f.refs, down}, nil
	case !slices.Contains(Sorts, column):
		return nil, fmt.Errorf("%q is nothing to sort by; there are %s", column, strings.Join(Sorts, ", "))
	}
	return &Found{f.list, byRank(f.refs, ranks(f.refs, f.list.Pages(), column)), down}, nil
}

// ranks gives each row its place among the values of a column.
func ranks(refs []ref, pages []*Page, column string) []uint32 {
	out := make([]uint32, len(refs))
	switch column {
	case "state":
		for i, r := range refs {
			out[i] = uint32(pages[r.page].rows[r.row].flags & stateMask)
		}
		return out
	case "extension":
		return rankBy(refs, out, func(r ref) uint64 { return pages[r.page].rows[r.row].extension })
	}
	col := map[string]int{"carrier": colCarrier, "site": colSite, "owner": colOwner, "destination": colDestination, "note": colNote}[column]
	// Two at a time number the texts that they meet, each its own; then they are made one.
	half := len(refs) / 2
	var a, b numbered
	var both sync.WaitGroup
	both.Go(func() { a = number(refs[:half], pages, col, out[:half]) })
	both.Go(func() { b = number(refs[half:], pages, col, out[half:]) })
	both.Wait()
	for text := range b.ids {
		if _, known := a.ids[text]; !known {
			a.ids[text] = uint32(len(a.ids))
		}
	}
	rank := a.ranks()
	other := make([]uint32, len(b.ids))
	for text, id := range b.ids {
		other[id] = rank[a.ids[text]]
	}
	both.Go(func() { translate(out[:half], rank) })
	both.Go(func() { translate(out[half:], other) })
	both.Wait()
	return out
}

// numbered are texts with numbers of their own, from 0.
type numbered struct{ ids map[string]uint32 }

// number numbers the texts of a column. Each page has its texts once, so that few are
// looked at of many rows.
func number(refs []ref, pages []*Page, col int, out []uint32) numbered {
	n := numbered{map[string]uint32{}}
	var local []uint32 // of the page: its word to a number and one, 0 for not yet
	last := -1
	seen := map[int][]uint32{}
	for i, r := range refs {
		p := pages[r.page]
		if int(r.page) != last {
			if last = int(r.page); seen[last] == nil {
				seen[last] = make([]uint32, p.words.len())
			}
			local = seen[last]
		}
		place := p.rows[r.row].texts[col]
		if local[place] == 0 {
			text := p.words.at(place)
			id, known := n.ids[text]
			if !known {
				id = uint32(len(n.ids))
				n.ids[text] = id
			}
			local[place] = id + 1
		}
		out[i] = local[place] - 1
	}
	return n
}

// ranks are the places of the texts in order, whatever their case.
func (n numbered) ranks() []uint32 {
	type entry struct {
		lower, text string
		id          uint32
	}
	list := make([]entry, 0, len(n.ids))
	for text, id := range n.ids {
		list = append(list, entry{strings.ToLower(text), text, id})
	}
	slices.SortFunc(list, func(a, b entry) int {
		return cmp.Or(strings.Compare(a.lower, b.lower), strings.Compare(a.text, b.text))
	})
	out := make([]uint32, len(list))
	for i, e := range list {
		out[e.id] = uint32(i)
	}
	return out
}

func translate(list, to []uint32) {
	for i, v := range list {
		list[i] = to[v]
	}
}

// rankBy ranks rows by a packed number.
func rankBy(refs []ref, out []uint32, value func(ref) uint64) []uint32 {
	ids := map[uint64]uint32{}
	for i, r := range refs {
		v := value(r)
		id, known := ids[v]
		if !known {
			id = uint32(len(ids))
			ids[v] = id
		}
		out[i] = id
	}
	rank := make([]uint32, len(ids))
	for i, v := range slices.Sorted(maps.Keys(ids)) {
		rank[ids[v]] = uint32(i)
	}
	translate(out, rank)
	return out
}

// byRank orders rows by their ranks and keeps the order of those that are alike.
func byRank(refs []ref, rank []uint32) []ref {
	most := uint32(0)
	for _, r := range rank {
		most = max(most, r)
	}
	starts := make([]uint32, most+2)
	for _, r := range rank {
		starts[r+1]++
	}
	for i := 1; i < len(starts); i++ {
		starts[i] += starts[i-1]
	}
	out := make([]ref, len(refs))
	for i, r := range rank {
		out[starts[r]] = refs[i]
		starts[r]++
	}
	return out
}
