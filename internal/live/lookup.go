package live

import (
	"net/netip"
	"time"

	"switchback.example/switchback/internal/core/targets"
)

// Lookup is what a far end's name stands for. The zero Lookup says that it was never
// looked up.
type Lookup struct {
	Targets []targets.Target // the last that were found, also when the last look-up failed
	At      time.Time        // of the last look-up
	Next    time.Time        // when it is looked up again
	Err     string           // why the last look-up failed; empty if it did not
}

// LookedUp notes what came of looking a trunk's name up. What was found before stays
// if nothing was found now.
func (t *Trunks) LookedUp(id string, l Lookup) {
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	if l.Err != "" {
		l.Targets = s.lookup.Targets
	}
	for addr, trunk := range t.named {
		if trunk == id {
			delete(t.named, addr)
		}
	}
	for _, target := range l.Targets {
		if at, err := netip.ParseAddrPort(target.Address); err == nil {
			t.named[at.Addr().Unmap()] = id
		}
	}
	s.lookup = l
	t.feed.Tell(TopicTrunk, id)
}

// Named returns the trunk whose name led to an address.
func (t *Trunks) Named(addr netip.Addr) (id string, ok bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	id, ok = t.named[addr.Unmap()]
	return id, ok
}
