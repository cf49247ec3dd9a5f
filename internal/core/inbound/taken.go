package inbound

import (
	"cmp"
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

// landing is a range of extensions that a row of the inventory lands on.
type landing struct {
	first, last uint64
	name        string
}

// findTaken finds where the other rows of the inventory land at the destination. Of rows
// that land on the same extensions one is remembered.
func (w *workings) findTaken(own func(e inventory.Entry) bool) {
	found := map[[2]uint64]inventory.Entry{}
	for _, p := range w.plan.Numbers.Pages() {
		for i := range p.Len() {
			e := p.At(i)
			first := e.ExtensionKey()
			if first == 0 || e.Destination() != w.destination.ID || !e.Answered() {
				continue
			}
			last := first
			if e.IsBlock() {
				target, _ := plan.Mapped(e.Block(), e.Extension())
				last, _ = digits.Pack(target.Last)
			}
			if _, known := found[[2]uint64{first, last}]; known || own(e) {
				continue
			}
			found[[2]uint64{first, last}] = e
		}
	}
	for k, e := range found {
		for _, k := range w.without(e, k) {
			w.taken = append(w.taken, landing{k[0], k[1], e.Name()})
		}
	}
	slices.SortFunc(w.taken, func(a, b landing) int { return cmp.Or(cmp.Compare(a.first, b.first), cmp.Compare(a.last, b.last)) })
}

// without is where a row lands but for the number of it that has a row of its own, which
// is the one that is mapped.
func (w *workings) without(e inventory.Entry, lands [2]uint64) [][2]uint64 {
	if !e.IsBlock() || w.size > 1 || !e.Block().Contains(w.block.First) {
		return [][2]uint64{lands}
	}
	hole, _ := digits.Pack(digits.Shift(w.block.First, e.First(), e.Extension()).After())
	var out [][2]uint64
	if lands[0] < hole {
		out = append(out, [2]uint64{lands[0], hole - 1})
	}
	if hole < lands[1] {
		out = append(out, [2]uint64{hole + 1, lands[1]})
	}
	return out
}

func (w *workings) clash(n digits.Number) string {
	k, ok := digits.Pack(n)
	if !ok {
		return ""
	}
	for _, l := range w.taken {
		if l.first > k {
			break
		}
		if k <= l.last {
			return l.name
		}
	}
	return ""
}
