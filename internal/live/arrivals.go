package live

import (
	"slices"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/standing"
)

// Arrivals learns from calls which public numbers arrive. It is safe for concurrent use.
type Arrivals struct {
	mu      sync.Mutex
	by      map[uint64]*standing.Arrival
	sorted  []uint64        // nil when it must be made anew
	changed map[uint64]bool // not kept yet
}

// NewArrivals returns those that were kept.
func NewArrivals(kept []standing.Arrival) *Arrivals {
	a := &Arrivals{by: map[uint64]*standing.Arrival{}, changed: map[uint64]bool{}}
	for _, k := range kept {
		if key, ok := digits.Pack(k.Number); ok {
			a.by[key] = &k
		}
	}
	return a
}

// Note learns of one call.
func (a *Arrivals) Note(n digits.Number, trunk string, at time.Time) {
	key, ok := digits.Pack(n)
	if !ok || a == nil {
		return
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	v := a.by[key]
	if v == nil {
		if len(a.by) >= standing.MaxArrivals {
			return
		}
		v = &standing.Arrival{Number: n, First: at}
		a.by[key], a.sorted = v, nil
	}
	v.Trunk, v.Last = trunk, at
	v.Calls++
	a.changed[key] = true
}

// In sums up what arrived of a block; Calls is 0 if nothing did.
func (a *Arrivals) In(b digits.Block) (sum standing.Arrival) {
	first, okFirst := digits.Pack(b.First)
	last, okLast := digits.Pack(b.Last)
	if a == nil || !okFirst || !okLast {
		return sum
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if first == last {
		if v := a.by[first]; v != nil {
			return *v
		}
		return sum
	}
	keys := a.keys()
	at, _ := slices.BinarySearch(keys, first)
	for ; at < len(keys) && keys[at] <= last; at++ {
		v := a.by[keys[at]]
		sum.Calls += v.Calls
		if sum.First.IsZero() || v.First.Before(sum.First) {
			sum.First = v.First
		}
		if v.Last.After(sum.Last) {
			sum.Last, sum.Trunk, sum.Number = v.Last, v.Trunk, v.Number
		}
	}
	return sum
}

func (a *Arrivals) keys() []uint64 {
	if a.sorted == nil {
		a.sorted = make([]uint64, 0, len(a.by))
		for k := range a.by {
			a.sorted = append(a.sorted, k)
		}
		slices.Sort(a.sorted)
	}
	return a.sorted
}

// Where lists those of which wanted is true, by number, limit of them at most, and counts
// all of them.
func (a *Arrivals) Where(limit int, wanted func(digits.Number) bool) (list []standing.Arrival, count int) {
	a.mu.Lock()
	defer a.mu.Unlock()
	list = []standing.Arrival{}
	for _, k := range a.keys() {
		v := a.by[k]
		if !wanted(v.Number) {
			continue
		}
		if count++; len(list) < limit {
			list = append(list, *v)
		}
	}
	return list, count
}

// Changed hands over what is not kept yet, some of it at a time; Again takes it back.
func (a *Arrivals) Changed() []standing.Arrival {
	a.mu.Lock()
	defer a.mu.Unlock()
	var list []standing.Arrival
	for k := range a.changed {
		if len(list) == 500 {
			break
		}
		list = append(list, *a.by[k])
		delete(a.changed, k)
	}
	return list
}

// Again takes back what could not be kept.
func (a *Arrivals) Again(list []standing.Arrival) {
	a.mu.Lock()
	defer a.mu.Unlock()
	for _, v := range list {
		if key, ok := digits.Pack(v.Number); ok {
			a.changed[key] = true
		}
	}
}
