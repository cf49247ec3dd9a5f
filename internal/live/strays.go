package live

import (
	"cmp"
	"net/netip"
	"slices"
	"time"

	"switchback.example/switchback/internal/core/guard"
)

// Stray is what would have been the far end's of a trunk, had it come from an address or by a
// transport of the trunk. Carriers send from servers that nobody listed: they are found here.
type Stray struct {
	Source string // the address
	Port   uint16 // of the last message
	By     string // its transport
	Method string // of the last message
	Why    string // it was not taken
	Count  int64
	Last   time.Time
}

// maxStrays is how many sources are kept for a trunk; the one that was heard of longest ago
// goes first.
const maxStrays = 16

// Strayed counts one.
func (t *Trunks) Strayed(id string, now Stray) {
	now.Method, now.Why = guard.Short(now.Method), guard.Short(now.Why)
	now.Count = 1
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	i := slices.IndexFunc(s.strays, func(x Stray) bool { return x.Source == now.Source && x.By == now.By })
	switch {
	case i >= 0:
		now.Count = s.strays[i].Count + 1
		s.strays[i] = now
	case len(s.strays) < maxStrays:
		s.strays = append(s.strays, now)
	default:
		*oldest(s.strays) = now
	}
	t.feed.Tell(TopicTrunk, id)
}

func oldest(list []Stray) *Stray {
	least := &list[0]
	for i := range list {
		if list[i].Last.Before(least.Last) {
			least = &list[i]
		}
	}
	return least
}

// strayFor is for how long one is shown.
const strayFor = 24 * time.Hour

// Strays are those of the last day, the latest first.
func (t *Trunks) Strays(id string, now time.Time) []Stray {
	t.mu.Lock()
	defer t.mu.Unlock()
	out := []Stray{}
	for _, s := range t.of(id).strays {
		if now.Sub(s.Last) < strayFor {
			out = append(out, s)
		}
	}
	slices.SortFunc(out, func(a, b Stray) int { return cmp.Or(b.Last.Compare(a.Last), cmp.Compare(a.Source, b.Source)) })
	return out
}

// Stands tells whether a far end that is found by its name has an address in a network.
func (t *Trunks) Stands(in netip.Prefix) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if in.IsSingleIP() {
		_, ok := t.named[in.Addr()]
		return ok
	}
	for at := range t.named {
		if in.Contains(at.Unmap()) {
			return true
		}
	}
	return false
}

// NamedPlaces are the addresses of far ends that are found by their names.
func (t *Trunks) NamedPlaces() (list []netip.Prefix) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for at := range t.named {
		list = append(list, guard.Single(at))
	}
	return list
}
