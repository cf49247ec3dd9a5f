package sip

import (
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live/call"
)

// Digits that come one by one (RFC 3578): each further digit brings another INVITE of the same
// Call-ID and From tag with the whole number so far. The one before it is answered 484 then. They
// are one leg.

// overlapKey is what the INVITEs of one number have in common.
type overlapKey struct{ callID, fromTag string }

func overlapOf(t *inbound) overlapKey {
	from, _ := wire.ReadAddress(t.req.Get("From")) // verified
	return overlapKey{t.req.Get("Call-ID"), from.Tag()}
}

// collect has the leg take further INVITEs of its number. It runs on the reading goroutine, so
// that the next one finds it.
func (a *Agent) collect(l *leg) {
	a.mu.Lock()
	defer a.mu.Unlock()
	l.caller.overlap = overlapOf(l.caller.tx)
	a.collecting[l.caller.overlap] = l
}

// collected takes no more.
func (a *Agent) collected(l *leg) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.collecting[l.caller.overlap] == l {
		delete(a.collecting, l.caller.overlap)
	}
}

// collects is the leg whose number an INVITE continues; nil if there is none.
func (a *Agent) collects(t *inbound) *leg {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.collecting[overlapOf(t)]
}

// further takes an INVITE that brings more digits. The one that was sent last counts, in the
// caller's count; one that comes when the number is complete is a digit too many.
func (l *leg) further(t *inbound, in call.Incoming) {
	c := l.caller
	before, _ := wire.ReadCSeq(c.tx.req.Get("CSeq")) // verified
	now, _ := wire.ReadCSeq(t.req.Get("CSeq"))       // verified
	if l.over || c.complete || now.Number < before.Number {
		t.reply(484, c.tag)
		return
	}
	c.tx.reply(484, c.tag)
	c.tx = t
	l.d = l.callerDialog(t, c.tag)
	l.watch()
	l.h.Digits(in.Call, in.Dialled, in.Media)
}
