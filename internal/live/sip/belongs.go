package sip

import (
	"time"

	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// Requests within a dialog are taken from where the dialog lives: Call-ID and tags are no
// secret, since every proxy on the way has seen them.

// strayWithin is why a request within a dialog was not taken.
const strayWithin = "within a call of this trunk, from an address that is not the trunk's"

// belongs tells whether a request within a dialog comes from its far end; one that does not
// was answered, as from a stranger, or asked for a credential where the trunk has one.
func (a *Agent) belongs(t *inbound, run *live.Running, d *dialog) bool {
	if a.livesAt(run, d, t.source) {
		return true
	}
	sw, _ := run.Snapshot.Switch(a.Switch)
	// A CANCEL is never challenged (RFC 3261 section 22.1).
	if t.req.Method != "CANCEL" && d.trunk.Link.SIP.Claims().AcceptsDigest() && run.Snapshot.Barred(d.trunk.ID, t.source.sender()) == "" {
		s := a.shown(t, run, sw)
		switch {
		case s.right && s.trunk.ID == d.trunk.ID:
			return true
		case s.wrong == "" && !s.right:
			a.noteStray(d.trunk.ID, t.source, t.req, strayWithin)
			a.challenge(t, run, sw, s.stale)
			return false
		}
	}
	a.noteStray(d.trunk.ID, t.source, t.req, strayWithin)
	a.stranger(t, run, sw)
	return false
}

// livesAt tells whether a source is where a dialog lives: the flow that it goes by, where its
// far end has said that it is, or any address of its trunk, by the plan that it began with
// or by the present one.
func (a *Agent) livesAt(run *live.Running, d *dialog, from hop) bool {
	if d.goesTo(from) {
		return true // its place is where it began, whatever the plan says meanwhile
	}
	if !d.trunk.Link.SIP.Claims().Accepts(from.sender().Transport) {
		return false
	}
	return d.trunk.Link.SIP.Claims().Trusts(from.AddrPort) || d.trunk.Link.SIP.Calls(from.Addr()) || a.isPlaceOf(run, d.trunk.ID, from)
}

// isPlaceOf tells whether a source is an address of a trunk. Where somebody else has registered
// from is none: who forges that sees no answer, and needs none.
func (a *Agent) isPlaceOf(run *live.Running, trunk string, from hop) bool {
	t, ok := run.Snapshot.Trunk(trunk)
	if !ok || run.Snapshot.Barred(trunk, from.sender()) != "" {
		return false
	}
	named, _ := a.Trunks.Named(from.Addr())
	return named == trunk || t.Link.SIP.Calls(from.Addr()) || run.Snapshot.TrustedBy(trunk, from.sender())
}

// goesTo tells whether a source is one that the dialog's requests go to.
func (d *dialog) goesTo(from hop) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.known.same(from) {
		return true
	}
	next := d.target
	if len(d.routes) > 0 {
		next = uriOf(d.routes[0], next)
	}
	to := destination(next, d.known)
	return to.by == from.by && to.Addr() == from.Addr()
}

// sameSide tells whether two sources are one, or of one trunk.
func (a *Agent) sameSide(one, other hop) bool {
	if one.same(other) {
		return true
	}
	run := a.Plan.Current()
	if run == nil {
		return false
	}
	trunk, ok := a.knownSource(run, one)
	return ok && a.isPlaceOf(run, trunk, one) && a.isPlaceOf(run, trunk, other)
}

// noteStray keeps at a trunk what would have been its far end's, had it come from elsewhere
// or otherwise.
func (a *Agent) noteStray(trunk string, from hop, m *wire.Message, why string) {
	a.Trunks.Strayed(trunk, live.Stray{
		Source: from.Addr().String(), Port: from.Port(), By: from.by.String(), Method: m.Method, Why: why, Last: time.Now(),
	})
}
