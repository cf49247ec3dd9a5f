package call

import (
	"context"
	"errors"
	"fmt"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// MaxTestTalk bounds how long a test call is held after its answer.
const MaxTestTalk = 30 * time.Second

// MaxTests bounds the test calls of a switch that run at one time.
const MaxTests = 4

// Errors of test calls.
var (
	ErrNoTrunk      = errors.New("the live plan has no such trunk on this switch")
	ErrTooManyTests = fmt.Errorf("%d test calls run already on this switch; wait until one is over", MaxTests)
)

// PlacedPrefix begins the name of the leg on which a test call by the plan begins: there
// are no messages on it.
const PlacedPrefix = "test-"

// test is a call that begins in the switch.
type test struct {
	call *Call
	near *listener
}

// TestCall sends a call on one trunk with the digits as typed, past the plan, and
// hangs up a while after the answer. It returns the id of its record at once; the
// call then runs by itself.
func (ctl *Control) TestCall(trunk string, called, caller digits.Number, talk time.Duration) (id string, err error) {
	run := ctl.Plan.Current()
	if run == nil {
		return "", ErrNoTrunk
	}
	t, ok := run.Snapshot.Trunk(trunk)
	if !ok || t.Switch != ctl.Switch {
		return "", ErrNoTrunk
	}
	c, err := ctl.newTest(run, record.Leg{}.Named("", "straight-"+newID()), talk)
	if err != nil {
		return "", err
	}
	c.call.eval, _ = run.Snapshot.BeginStraight(trunk, called, caller) // it was just found there
	return c.call.rec.ID, c.begin(func() {})
}

// PlaceCall begins a call in the switch as if it came from the trunk of in, which decides
// nothing but how it is decided: it goes by the live plan, over the real trunks. The switch
// plays a tone and listens, and hangs up a while after the answer. It returns the name of
// the leg on which it begins; the call then runs by itself.
func (ctl *Control) PlaceCall(in decide.Call, talk time.Duration) (leg string, err error) {
	run := ctl.Plan.Current()
	if run == nil {
		return "", ErrNoTrunk
	}
	t, ok := run.Snapshot.Trunk(in.Trunk)
	if !ok || t.Switch != ctl.Switch {
		return "", ErrNoTrunk
	}
	leg = PlacedPrefix + newID()
	c, err := ctl.newTest(run, record.Leg{Trunk: t.ID, FarEnd: t.FarEnd}.Named("", leg), talk)
	if err != nil {
		return "", err
	}
	in.By, in.Numbers, in.At = decide.PlacedCall, ctl.turns, time.Now()
	in.Overrides = ctl.overridesAt(in.At)
	c.call.placed = true
	c.call.eval, _ = run.Snapshot.Begin(in) // the trunk was just found there
	ctl.mu.Lock()
	ctl.placed[leg] = c
	ctl.mu.Unlock()
	return leg, c.begin(func() {
		ctl.mu.Lock()
		delete(ctl.placed, leg)
		ctl.mu.Unlock()
	})
}

// EndPlaced ends a test call by the plan; ok is false if it does not run.
func (ctl *Control) EndPlaced(leg string) (ok bool) {
	ctl.mu.Lock()
	c := ctl.placed[leg]
	ctl.mu.Unlock()
	if c != nil {
		c.near.h.Post(func() { c.near.hangUp("the test was ended") })
	}
	return c != nil
}

// newTest is a test call with the leg on which it begins.
func (ctl *Control) newTest(run *live.Running, leg record.Leg, talk time.Duration) (*test, error) {
	if ctl.tests.Add(1) > MaxTests {
		ctl.tests.Add(-1)
		return nil, ErrTooManyTests
	}
	ear, err := listen(ctl.hostOf(run))
	if err != nil {
		ctl.tests.Add(-1)
		return nil, fmt.Errorf("no port for the audio of the test call: %w", err)
	}
	c := ctl.newCall(run)
	c.straight = true
	c.rec.Session, c.rec.Legs = newName(), []record.Leg{leg}
	near := &listener{ear: ear, talk: min(talk, MaxTestTalk)}
	near.ctx, near.quiet = context.WithCancel(context.Background())
	near.h = &Handle{id: c.machine.NewLeg()}
	near.h.call.Store(c)
	c.in = Incoming{Media: media.ReadSession(ear.description()), Leg: near, Hops: defaultHops}
	c.enter(&party{id: near.h.id, leg: near, handle: near.h, side: relay.Caller})
	return &test{call: c, near: near}, nil
}

// defaultHops is how many switches a call may pass that begins here (RFC 3261 section 8.1.1.6).
const defaultHops = 70

// begin runs the call by itself; over is called behind its end.
func (t *test) begin(over func()) error {
	c := t.call
	c.over = func() {
		over()
		c.ctl.tests.Add(-1)
		t.near.ear.close()
	}
	if !c.ctl.open(c) {
		c.over()
		return ErrNoTrunk
	}
	c.happened(core.Event{Kind: core.Offered, New: t.near.h.id, Media: c.in.Media})
	return nil
}
