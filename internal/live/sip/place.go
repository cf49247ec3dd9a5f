package sip

import (
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live"
)

// PlacedPrefix begins the name of the leg on which a test call by the plan begins: there
// are no messages on it.
const PlacedPrefix = "test-"

// PlaceCall begins a call in the switch as if it came from the trunk of in, which decides
// nothing but how it is decided: it goes by the live plan, over the real trunks. The switch
// plays a tone and listens, and hangs up a while after the answer. It returns the name of
// the leg on which it begins; the call then runs by itself.
func (a *Agent) PlaceCall(in decide.Call, talk time.Duration) (leg string, err error) {
	run := a.Plan.Current()
	if run == nil {
		return "", ErrNoTrunk
	}
	t, ok := run.Snapshot.Trunk(in.Trunk)
	if !ok || t.Switch != a.Switch {
		return "", ErrNoTrunk
	}
	leg = PlacedPrefix + newID()
	c, err := a.newTest(run, record.Leg{Trunk: t.ID, FarEnd: t.FarEnd, CallID: leg}, talk)
	if err != nil {
		return "", err
	}
	in.By, in.Numbers, in.At = decide.PlacedCall, a.turns, time.Now()
	in.Overrides = a.Overrides.At(in.At)
	c.eval, _ = run.Snapshot.Begin(in) // the trunk was just found there
	a.mu.Lock()
	a.placed[leg] = c
	a.mu.Unlock()
	c.begin(func() {
		defer func() {
			a.mu.Lock()
			delete(a.placed, leg)
			a.mu.Unlock()
		}()
		c.place()
	})
	return leg, nil
}

// EndPlaced ends a test call by the plan; ok is false if it does not run.
func (a *Agent) EndPlaced(leg string) (ok bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	c := a.placed[leg]
	if c != nil {
		c.give()
	}
	return c != nil
}

// place tries what the plan offers until somebody answers.
func (c *test) place() {
	for o, more := c.eval.Next(); more; o, more = c.eval.Next() {
		if c.offer(o) {
			return
		}
	}
	c.save()
}

// offer tries one trunk; it is true when the whole call is over.
func (c *test) offer(o decide.Offer) (over bool) {
	ways, channel, not := c.a.reach(o)
	if not != nil {
		c.report(*not)
		return false
	}
	defer func(channel live.Channel) { channel.Release() }(channel)
	var t *attempt
	r := c.a.inTurn(ways, func(to way) (r decide.Report) {
		t, r = c.send(o, to)
		return r
	}, func(r decide.Report) bool {
		c.eval.NextServer(r)
		return true
	})
	c.report(r)
	if r.Kind != trail.ReportAnswered {
		return false
	}
	c.hold(t)
	return true
}
