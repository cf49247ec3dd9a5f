package sip

import (
	"time"

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
	switch how {
	case blocked:
	case flooding:
		a.noteStranger(from, m, "nothing: it floods")
	default:
		a.noteStranger(from, m, "nothing")
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
