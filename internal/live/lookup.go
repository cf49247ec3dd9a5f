package live

import (
	"net/netip"

	"switchback.example/switchback/internal/core/judge"
)

// LookedUp notes what came of looking a trunk's name up. What was found before stays
// if nothing was found now.
func (t *Trunks) LookedUp(id string, l judge.Lookup) {
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
