package sip

import (
	"net"
	"net/netip"
	"sync"
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/core/record"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// tap stands between the switch's socket and the SIP library. It records every
// message in the order of the socket, and it lets nothing in from an address
// that no trunk knows: such a source gets no answer at all.
type tap struct {
	net.PacketConn
	switchID string
	admit    func(from netip.Addr) (trunk string, ok bool)
	seen     func(trunk string, at time.Time, what string)
	keep     func(record.Message)

	mu      sync.Mutex // numbering and queueing are one step
	seq     int64
	unknown atomic.Int64

	second int64 // in which kept unknown messages were recorded
	kept   int
}

// ReadFrom returns the next datagram from a known address.
func (t *tap) ReadFrom(b []byte) (int, net.Addr, error) {
	for {
		n, from, err := t.PacketConn.ReadFrom(b)
		if err != nil {
			return n, from, err
		}
		at := time.Now()
		trunk, ok := t.admit(addrOf(from))
		if !ok {
			t.unknown.Add(1)
			if t.sampled(at) {
				t.record(at, false, from, b[:n])
			}
			continue
		}
		head := t.record(at, false, from, b[:n])
		t.seen(trunk, at, describe(head))
		return n, from, nil
	}
}

// UnknownKept is how many messages a second from unknown addresses are recorded;
// the others are only counted, so that a flood does not push calls out of the
// recordings.
const UnknownKept = 20

// sampled tells whether an unknown message is recorded. Only the reading
// goroutine asks.
func (t *tap) sampled(at time.Time) bool {
	if second := at.Unix(); second != t.second {
		t.second, t.kept = second, 0
	}
	t.kept++
	return t.kept <= UnknownKept
}

// WriteTo records the datagram before it is sent, so that no answer can be
// recorded ahead of it.
func (t *tap) WriteTo(b []byte, to net.Addr) (int, error) {
	t.record(time.Now(), true, to, b)
	return t.PacketConn.WriteTo(b, to)
}

func (t *tap) record(at time.Time, out bool, remote net.Addr, b []byte) wire.Head {
	head, _ := wire.ReadHead(b) // a broken message is recorded like any other
	t.mu.Lock()
	defer t.mu.Unlock()
	t.seq++
	t.keep(record.Message{
		Seq: t.seq, Switch: t.switchID, At: at, Out: out,
		Local: t.LocalAddr().String(), Remote: remote.String(),
		CallID: head.CallID, Bytes: append([]byte(nil), b...),
	})
	return head
}

func describe(h wire.Head) string {
	if h.Method == "" && h.Status == 0 {
		return "a message that cannot be read"
	}
	if h.Status != 0 {
		return h.StartLine[len("SIP/2.0 "):] + " to our " + h.Method
	}
	return h.Method
}

func addrOf(a net.Addr) netip.Addr {
	if u, ok := a.(*net.UDPAddr); ok {
		addr, _ := netip.AddrFromSlice(u.IP)
		return addr.Unmap()
	}
	return netip.Addr{}
}
