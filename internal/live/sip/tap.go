package sip

import (
	"net/netip"
	"sync"
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/core/record"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// tap records every message in the order of the wire, and lets nothing in from an
// address that no trunk knows: such a source gets no answer at all.
type tap struct {
	switchID string
	local    string
	admit    func(from netip.Addr) (trunk string, ok bool)
	seen     func(trunk string, at time.Time, what string)
	keep     func(record.Message)

	mu      sync.Mutex // numbering and queueing are one step
	seq     int64
	flows   map[netip.AddrPort]*flow // of connections
	unknown atomic.Int64

	second int64 // in which kept unknown messages were recorded
	kept   int
}

// flow counts the bytes of a connection, each way.
type flow struct{ in, out uint32 }

// In records what came, and says whether its source may say anything.
func (t *tap) In(from hop, b []byte) bool {
	at := time.Now()
	trunk, ok := t.admit(from.Addr())
	if !ok {
		t.unknown.Add(1)
		if t.sampled(at) {
			t.record(at, false, from, b)
		}
		return false
	}
	t.seen(trunk, at, describe(t.record(at, false, from, b)))
	return true
}

// UnknownKept is how many messages a second from unknown addresses are recorded;
// the others are only counted, so that a flood does not push calls out of the
// recordings.
const UnknownKept = 20

// sampled tells whether an unknown message is recorded.
func (t *tap) sampled(at time.Time) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if second := at.Unix(); second != t.second {
		t.second, t.kept = second, 0
	}
	t.kept++
	return t.kept <= UnknownKept
}

// Out records what is about to be sent, so that no answer can be recorded ahead
// of it.
func (t *tap) Out(to hop, b []byte) { t.record(time.Now(), true, to, b) }

func (t *tap) record(at time.Time, out bool, remote hop, b []byte) wire.Head {
	head, _ := wire.ReadHead(b) // a broken message is recorded like any other
	m := record.Message{
		Switch: t.switchID, At: at, Out: out, Local: t.local, Remote: remote.String(),
		CallID: head.CallID, Bytes: append([]byte(nil), b...),
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.seq++
	m.Seq = t.seq
	if remote.by.reliable() {
		m.Stream = t.count(remote.AddrPort, out, len(b))
	}
	t.keep(m)
	return head
}

// count says where in its connection a message stands, and moves on behind it.
func (t *tap) count(remote netip.AddrPort, out bool, bytes int) *record.Stream {
	f := t.flows[remote]
	if f == nil {
		if len(t.flows) >= 2*MaxStreams { // what is counted is worth less than memory
			clear(t.flows)
		}
		f = &flow{1, 1}
		t.flows[remote] = f
	}
	if out {
		defer func() { f.out += uint32(bytes) }()
		return &record.Stream{At: f.out, Acknowledged: f.in}
	}
	defer func() { f.in += uint32(bytes) }()
	return &record.Stream{At: f.in, Acknowledged: f.out}
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
