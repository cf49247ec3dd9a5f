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

// oneNumber is the INVITE of a number that counts: the last one, in the caller's count.
type oneNumber struct {
	seq       uint32
	overtaken chan struct{} // closed when the next one came
	left      chan struct{} // closed when it is over and has given its channel back
	before    chan struct{} // that of the one before
	went      bool          // its digits are complete: none that come later count
}

// none is before the first INVITE of a number.
var none = func() chan struct{} {
	c := make(chan struct{})
	close(c)
	return c
}()

// patience is how long an INVITE waits for the one before it to give its channel back.
const patience = 200 * time.Millisecond

func (c *call) overlapKey() overlapKey {
	tag, _ := c.from.Params.Get("tag")
	return overlapKey{c.tx.req.Get("Call-ID"), tag}
}

// overtake makes c the INVITE of its number that counts, and tells the one before it. It
// does not if another counts already: one that was sent later, or one that went ahead.
// It runs on the reading goroutine, so that the next INVITE finds it.
func (c *call) overtake() {
	seq, _ := wire.ReadCSeq(c.tx.req.Get("CSeq")) // verified
	me := &oneNumber{seq: seq.Number, overtaken: make(chan struct{}), left: make(chan struct{}), before: none}
	a, key := c.a, c.overlapKey()
	a.mu.Lock()
	defer a.mu.Unlock()
	before := a.collecting[key]
	if before != nil && (before.went || before.seq > me.seq) {
		return
	}
	a.collecting[key] = me
	if c.number = me; before != nil {
		close(before.overtaken)
		me.before = before.left
	}
}

// counts tells whether the INVITE is the one of its number that counts, once the one
// before it is over.
func (c *call) counts() bool {
	if c.number == nil {
		return false
	}
	select {
	case <-c.number.before:
	case <-time.After(patience):
	}
	return true
}

// leave says that the INVITE is over.
func (c *call) leave() {
	a, key, me := c.a, c.overlapKey(), c.number
	a.mu.Lock()
	defer a.mu.Unlock()
	if a.collecting[key] == me {
		delete(a.collecting, key)
	}
	close(me.left)
}

// continues tells whether an INVITE brings more digits of a number that waits for them.
func (a *Agent) continues(t *inbound) bool {
	from, err := wire.ReadAddress(t.req.Get("From"))
	if err != nil {
		return false
	}
	tag, _ := from.Params.Get("tag")
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.collecting[overlapKey{t.req.Get("Call-ID"), tag}] != nil
}

// goAhead says that the digits of an INVITE are complete. It is false if the next one was
// faster.
func (c *call) goAhead() bool {
	me := c.number
	c.a.mu.Lock()
	defer c.a.mu.Unlock()
	select {
	case <-me.overtaken:
		return false
	default:
	}
	if c.a.collecting[c.overlapKey()] != me {
		return false
	}
	me.went = true
	return true
}

// collect waits until the digits of a call are those that it is decided by. It is false
// if another INVITE brought more of them, or the switch stops: then this one is over.
func (c *call) collect(in *decide.Call) bool {
	me := c.number
	if me == nil || in.Refusal != nil || len(in.Diversions) > 0 {
		return true
	}
	if text := in.Called.String(); c.trunk.Digits.EndMark && strings.HasSuffix(text, "#") {
		in.Called = in.Called.First(len(text) - 1)
		in.Collected = "one by one, ended by #"
		return c.complete()
	}
	so, ok := c.run.Snapshot.Collect(*in)
	if !ok || so.Timer == "" {
		in.Collected = "one by one: " + so.Why
		return c.complete()
	}
	timer := time.NewTimer(time.Duration(so.Millis) * time.Millisecond)
	defer timer.Stop()
	select {
	case <-timer.C:
		in.Collected = fmt.Sprintf("one by one, waited %d ms: %s", so.Millis, so.Why)
	case <-c.tx.gone:
	case <-me.overtaken:
	case <-c.a.ctx.Done():
		c.tx.reply(503, c.tag)
		return false
	}
	return c.complete()
}

// complete goes ahead, or answers 484 where the next INVITE was faster.
func (c *call) complete() bool {
	if c.goAhead() {
		return true
	}
	c.tx.reply(484, c.tag)
	return false
}
