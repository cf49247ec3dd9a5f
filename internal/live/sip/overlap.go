package sip

import (
	"fmt"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/decide"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// Digits that come one by one (RFC 3578): each further digit brings another INVITE of
// the same Call-ID and From tag with the whole number so far. The one before it is
// answered 484 then. How long an INVITE waits for the next, the plan says.

// overlapKey is what the INVITEs of one number have in common.
type overlapKey struct{ callID, fromTag string }

// waitingInvite is an INVITE that waits for more digits.
type waitingInvite struct {
	seq       uint32
	overtaken chan struct{} // closed when the next one came
}

// overtake makes c the INVITE of its number that counts; the one before it, if it still
// waits, is told. done must be called when c waits no longer.
func (c *call) overtake() (overtaken <-chan struct{}, done func()) {
	tag, _ := c.from.Params.Get("tag")
	key, mine := overlapKey{c.tx.req.Get("Call-ID"), tag}, make(chan struct{})
	a := c.a
	a.mu.Lock()
	defer a.mu.Unlock()
	seq, _ := wire.ReadCSeq(c.tx.req.Get("CSeq")) // verified
	me := waitingInvite{seq.Number, mine}
	before, waits := a.collecting[key]
	if waits && before.seq > me.seq { // it came later, and was read first
		close(mine)
		return mine, func() {}
	}
	if waits {
		close(before.overtaken)
	}
	a.collecting[key] = me
	return mine, func() {
		a.mu.Lock()
		defer a.mu.Unlock()
		if a.collecting[key] == me {
			delete(a.collecting, key)
		}
	}
}

// collect waits until the digits of a call are those that it is decided by. It is false
// if another INVITE brought more of them, or the switch stops: then this one is over.
func (c *call) collect(in *decide.Call) bool {
	digits := c.trunk.Digits
	if !digits.OneByOne || in.Refusal != nil || len(in.Diversions) > 0 {
		return true
	}
	overtaken, done := c.overtake()
	defer done()
	if text := in.Called.String(); digits.EndMark && strings.HasSuffix(text, "#") {
		in.Called = in.Called.First(len(text) - 1)
		in.Collected = "one by one, ended by #"
		return true
	}
	so, ok := c.run.Snapshot.Collect(*in)
	if !ok || so.Timer == "" {
		in.Collected = "one by one: " + so.Why
		return true
	}
	timer := time.NewTimer(time.Duration(so.Millis) * time.Millisecond)
	defer timer.Stop()
	select {
	case <-timer.C:
		in.Collected = fmt.Sprintf("one by one, waited %d ms: %s", so.Millis, so.Why)
	case <-c.tx.gone:
	case <-overtaken:
		c.tx.reply(484, c.tag)
		return false
	case <-c.a.ctx.Done():
		c.tx.reply(503, c.tag)
		return false
	}
	return true
}
