package sip

import (
	"time"

	"switchback.example/switchback/internal/core/compiled"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// What came from nobody is kept as a list, so that a far end whose address was forgotten
// is found.

// noteStranger keeps a request that belonged to no trunk, and what it got.
func (a *Agent) noteStranger(from hop, m *wire.Message, answer string) {
	if m == nil || m.Method == "" {
		return // an answer that nobody asked for, or what cannot be read
	}
	a.Strangers.Note(from.Addr(), live.Stranger{
		Switch: a.Switch, Port: from.Port(), By: from.by.String(), Last: time.Now(),
		Method: m.Method, Called: m.URI, From: uriIn(m.Get("From")), Agent: m.Get("User-Agent"), Answer: answer,
	})
}

// noteDropped keeps one that was dropped unread. Blocked sources are on a list
// of their own.
func (a *Agent) noteDropped(from hop, m *wire.Message, how admission) {
	a.noteNearly(from, m)
	switch how {
	case blocked, flooding: // which are counted elsewhere
	default:
		a.noteStranger(from, m, "nothing")
	}
}

// noteNearly keeps at its trunk what was dropped unread and would have been its far end's, but
// for its address or transport.
func (a *Agent) noteNearly(from hop, m *wire.Message) {
	if d := a.findDialog(m); d != nil && m.Request() {
		a.noteStray(d.trunk.ID, from, m, strayWithin)
		return
	}
	if run := a.Plan.Current(); run != nil {
		for _, o := range run.Snapshot.Identify(a.Switch, compiled.Origin{From: from.sender()}).Others {
			a.noteStray(o.Trunk.ID, from, m, o.Why)
		}
	}
}

// uriIn is the URI of an address field; empty if it cannot be read.
func uriIn(field string) string {
	address, err := wire.ReadAddress(field)
	if err != nil {
		return ""
	}
	return address.URI.String()
}
