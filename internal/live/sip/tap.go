package sip

import (
	"bytes"
	"net/netip"
	"strings"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// admission is whether a message is taken.
type admission uint8

const (
	dropped    admission = iota
	blocked              // as dropped, since its source is blocked
	flooding             // since its source sends too much
	crowded              // since strangers together do
	unknown              // taken, but of nobody: what is broken gets no answer
	restrained           // of a trunk that a person has blocked: calls for help and what runs
	known
)

// taken tells whether a message is read.
func (how admission) taken() bool { return how >= unknown }

// tap records every message in the order of the wire, and lets in from an address
// that no trunk knows only what the switch wants to hear from there.
type tap struct {
	switchID string
	local    string
	secure   func() netip.AddrPort // our address for TLS
	admit    func(from hop) (trunk string, how admission)
	seen     func(trunk string, from netip.AddrPort, at time.Time, what string)
	says     func(trunk string, theirs, at time.Time) // what time it is
	keep     func(record.Message)
	strange  func(from hop, m *wire.Message, how admission) // a message that is dropped
	met      func(Met)                                      // what became of a stranger's message

	mu    sync.Mutex // numbering and queueing are one step
	seq   int64
	flows map[netip.AddrPort]*flow // of connections
	names map[netip.AddrPort]string

	second int64 // in which kept unknown messages were recorded
	kept   int
}

// flow counts the bytes of a connection, each way.
type flow struct{ in, out uint32 }

// Admit says whose a message from a source is, and whether it is taken.
func (t *tap) Admit(from hop) (trunk string, how admission) { return t.admit(from) }

// Unreadable counts a stranger's message that is none.
func (t *tap) Unreadable() { t.met(MetUnreadable) }

// In records what came.
func (t *tap) In(from hop, trunk string, how admission, b []byte, m *wire.Message) {
	at := time.Now()
	switch {
	case how >= restrained:
		t.record(at, false, from, recorded(b), m.Get("Call-ID"))
		t.seen(trunk, from.AddrPort, at, describe(m))
		if date := m.Get("Date"); date != "" {
			if theirs, err := time.Parse(time.RFC1123, date); err == nil {
				t.says(trunk, theirs, at)
			}
		}
	case t.sampled(at):
		head, _ := wire.ReadHead(b)
		t.record(at, false, from, recorded(b), head.CallID)
		if !how.taken() { // it was not read: as many are as are recorded
			if read, err := wire.Read(b); err == nil {
				t.strange(from, read, how)
			}
		}
	}
	if what, ok := untaken[how]; ok {
		t.met(what)
	}
}

// untaken is what became of messages that are not taken.
var untaken = map[admission]Met{dropped: MetDropped, blocked: MetBlocked, flooding: MetFlood, crowded: MetCrowded}

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
func (t *tap) Out(to hop, b []byte, callID string) {
	t.record(time.Now(), true, to, wire.Masked(b), callID)
}

// record keeps a message that nobody changes any more.
func (t *tap) record(at time.Time, out bool, remote hop, b []byte, callID string) {
	m := record.Message{Switch: t.switchID, At: at, Out: out, Local: t.local, Leg: record.LegID(plan.ProtocolSIP, callID), Protocol: plan.ProtocolSIP, Carriage: strings.ToLower(remote.by.String()), Bytes: b}
	if remote.by == secured {
		m.Local = t.secure().String()
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	m.Remote = t.nameOf(remote.AddrPort)
	t.seq++
	m.Seq = t.seq
	if remote.by.reliable() {
		m.Stream = t.count(remote.AddrPort, out, len(b))
	}
	t.keep(m)
}

// nameOf is an address as text, made once for each that is heard of often.
func (t *tap) nameOf(addr netip.AddrPort) string {
	name, ok := t.names[addr]
	if !ok {
		if len(t.names) >= MaxStreams {
			clear(t.names)
		}
		name = addr.String()
		t.names[addr] = name
	}
	return name
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

func describe(m *wire.Message) string {
	switch {
	case m.Status != 0:
		cseq, _ := wire.ReadCSeq(m.Get("CSeq")) // empty if it cannot be read
		return itoa(m.Status) + " to " + cseq.Method
	case m.Method == "":
		return "a message that cannot be read"
	}
	return m.Method
}

// recorded is a copy of a message as it is kept: nobody changes it any more, and no secret is in
// it.
func recorded(b []byte) []byte { return wire.Masked(bytes.Clone(b)) }
