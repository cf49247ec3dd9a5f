package live

import (
	"net/netip"

	"switchback.example/switchback/internal/core/judge"
)

// maxShown bounds the servers whose certificates are remembered.
const maxShown = 1000

// Showed remembers the certificate of a server.
func (t *Trunks) Showed(server netip.AddrPort, s judge.Shown) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.shown) >= maxShown {
		clear(t.shown)
	}
	t.shown[server] = s
}

// ShownBy is the certificate that a server showed last; ok is false if none did.
func (t *Trunks) ShownBy(server netip.AddrPort) (s judge.Shown, ok bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	s, ok = t.shown[server]
	return s, ok
}
