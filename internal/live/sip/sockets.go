package sip

import (
	"cmp"
	"context"
	"net"
	"net/netip"
	"slices"
	"time"
)

// Datagrams come in by two sockets of one address where the system can tell known sources
// from strange ones: then strangers wait in a queue of their own, and however many they are,
// what is known is read before them. Who is whose is still decided by admit: the list that the
// system has gives priority, and never trust.

// sockets are those of one address.
type sockets struct {
	strange *net.UDPConn // or the only one
	known   *net.UDPConn // nil where the system cannot tell them apart

	list     []addressRange // that the system has
	complete bool           // all that is known is in it
}

// strangeBuffer is what the socket of strangers is asked to hold, in bytes.
const strangeBuffer = 512 << 10

// bind takes an address.
func bind(address netip.AddrPort) (*sockets, error) {
	if s, err := bindTwo(address); err == nil {
		return s, nil
	}
	conn, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(address))
	if err != nil {
		return nil, err
	}
	_ = conn.SetReadBuffer(ReceiveBuffer) // the system may allow less
	return &sockets{strange: conn}, nil
}

func (s *sockets) close() {
	s.strange.Close()
	if s.known != nil {
		s.known.Close()
	}
}

// addressRange are the IPv4 addresses from first to last.
type addressRange struct{ first, last uint32 }

// rangesOf are the addresses of networks, in order, none twice.
func rangesOf(networks []netip.Prefix) (out []addressRange) {
	for _, p := range networks {
		if a := p.Addr().Unmap(); a.Is4() && p.IsValid() {
			b := a.As4()
			first := uint32(b[0])<<24 | uint32(b[1])<<16 | uint32(b[2])<<8 | uint32(b[3])
			host := uint32(1)<<(32-min(p.Bits(), 32)) - 1
			out = append(out, addressRange{first &^ host, first | host})
		}
	}
	slices.SortFunc(out, func(a, b addressRange) int { return cmp.Compare(a.first, b.first) })
	kept := out[:0]
	for _, r := range out {
		if n := len(kept); n > 0 && r.first <= kept[n-1].last+1 && kept[n-1].last != ^uint32(0) {
			kept[n-1].last = max(kept[n-1].last, r.last)
			continue
		} else if n > 0 && kept[n-1].last == ^uint32(0) {
			break
		}
		kept = append(kept, r)
	}
	return kept
}

// prefer tells the system which sources are known, the most important first: those that do not
// fit stay with the strangers.
func (s *sockets) prefer(networks []netip.Prefix) error {
	if s.known == nil {
		return nil
	}
	all := rangesOf(networks)
	fit := all
	for most := len(networks); len(fit) > maxRanges; {
		most /= 2
		fit = rangesOf(networks[:most])
	}
	if slices.Equal(fit, s.list) && s.complete == (len(fit) == len(all)) {
		return nil
	}
	if err := s.attach(fit); err != nil {
		return err
	}
	s.list, s.complete = fit, len(fit) == len(all)
	return nil
}

// knownNetworks are where the far ends of a switch are, the most important first: what the plan
// says, then names, then who registered.
func (a *Agent) knownNetworks() []netip.Prefix {
	run := a.Plan.Current()
	if run == nil {
		return nil
	}
	list := run.Snapshot.Places(a.Switch)
	list = append(list, a.Trunks.NamedPlaces()...)
	return append(list, a.Registrations.Places()...)
}

// preferDue keeps the system's list at what is known; the watching goroutine calls it.
func (a *Agent) preferDue() {
	if err := a.sockets.prefer(a.knownNetworks()); err != nil && !a.preferFailed {
		a.preferFailed = true
		a.Log.Warn("trusted sources share one socket with unknown sources", "switch", a.Switch, "error", err)
	}
	a.waits.Store(a.sockets.known != nil && a.sockets.complete)
}

// rest lets the reader of strangers wait while their budget is used up: what comes then is
// dropped by the system, unread.
func (a *Agent) rest(ctx context.Context) {
	if !a.waits.Load() {
		return
	}
	if wait := a.door.closedFor(time.Now()); wait > 0 {
		select {
		case <-time.After(wait):
		case <-ctx.Done():
		}
	}
}
