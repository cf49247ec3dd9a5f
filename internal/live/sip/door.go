package sip

import (
	"maps"
	"net/netip"
	"sync"
	"time"

	"github.com/hashicorp/golang-lru/v2/simplelru"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// Who is let in, before anything is read: whose a source is, whether it is blocked, and how
// much strangers may cost. What is decided here is decided by package guard and by the plan.

// bounded is a table of sources, which forgets the one that was met longest ago.
func bounded[K comparable, V any]() *simplelru.LRU[K, V] {
	l, _ := simplelru.NewLRU[K, V](guard.MaxFailing, nil) // fails for a size of none
	return l
}

// Met is what became of a message of a stranger.
type Met string

// What becomes of strangers' messages.
const (
	MetBlocked    Met = "blocked"    // its source is blocked
	MetFlood      Met = "flood"      // its source sends more than its share
	MetCrowded    Met = "crowded"    // strangers together send more than their budget
	MetDropped    Met = "dropped"    // the switch has nothing to say to strangers
	MetUnreadable Met = "unreadable" // it is no message
	MetRefused    Met = "refused"    // it was refused, or met by silence, once it was read
)

// door counts what became of strangers' messages, and bounds them. It is safe for concurrent
// use.
type door struct {
	fixed  bool // the bounds are a test's, and no plan changes them
	mu     sync.Mutex
	bounds *guard.Door
	counts map[Met]int64
	all    int64
}

func newDoor(budget int) *door {
	d := &door{bounds: guard.NewDoor(), counts: map[Met]int64{}}
	if budget > 0 {
		d.bounds.Share, d.bounds.Budget, d.fixed = budget, budget, true
	}
	return d
}

// take counts a stranger's message against its share and the budget that the plan gives.
func (d *door) take(from netip.Addr, at time.Time, gate plan.UnknownSources) guard.Passage {
	d.mu.Lock()
	defer d.mu.Unlock()
	if !d.fixed {
		d.bounds.Share, d.bounds.Budget = gate.PerSourcePerSecond, gate.UnknownPerSecond
	}
	return d.bounds.Take(from, at)
}

// closedFor is how long no more strangers are read.
func (d *door) closedFor(at time.Time) time.Duration {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.bounds.ClosedFor(at)
}

// met counts what became of a message.
func (d *door) met(what Met) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.counts[what]++
	d.all++
}

// Unknown returns how many messages came from addresses that no trunk knows.
func (a *Agent) Unknown() int64 {
	a.door.mu.Lock()
	defer a.door.mu.Unlock()
	return a.door.all
}

// UnknownBy is Unknown by what became of them.
func (a *Agent) UnknownBy() map[Met]int64 {
	a.door.mu.Lock()
	defer a.door.mu.Unlock()
	return maps.Clone(a.door.counts)
}

// admit says whose a message from a source is, and whether it is taken at all:
// one that nobody knows only where the switch has something to say to strangers.
func (a *Agent) admit(from hop) (trunk string, how admission) {
	run := a.Plan.Current()
	if run == nil {
		return "", dropped
	}
	now := time.Now()
	trunk, isKnown := a.knownSource(run, from)
	if _, held := a.Gate.Meet(from.Addr(), now, isKnown); held {
		if isKnown {
			return trunk, restrained
		}
		return "", blocked
	}
	if isKnown {
		return trunk, known
	}
	sw, _ := run.Snapshot.Switch(a.Switch)
	gate := sw.UnknownSources.OrDefault()
	switch a.door.take(from.Addr(), now, gate) {
	case guard.Floods:
		a.Strangers.Flooded(a.Switch, from.Addr(), from.by.String(), from.Port(), now)
		return "", flooding
	case guard.Crowded:
		return "", crowded
	}
	if run.Snapshot.TakesCredentials(a.Switch) || gate.Policy != plan.UnknownDrop {
		return "", unknown
	}
	return "", dropped
}

// knownSource is the trunk that a source belongs to, by its address, its certificate or the
// flow that it registered from.
func (a *Agent) knownSource(run *live.Running, from hop) (trunk string, ok bool) {
	sender := from.sender()
	if trunk, ok := run.Snapshot.Knows(a.Switch, sender); ok {
		return trunk, true
	}
	if trunk, ok := a.Trunks.Named(from.Addr()); ok {
		if t, ok := run.Snapshot.Trunk(trunk); ok && t.Switch == a.Switch && run.Snapshot.Barred(trunk, sender) == "" {
			return trunk, true
		}
	}
	trunk, _, ok = a.Registrations.Flow(from.by.String(), from.String(), time.Now())
	if ok && run.Snapshot.Barred(trunk, sender) != "" {
		return "", false
	}
	return trunk, ok
}

// workedFrom tells whether some far end has its place in a network: by the plan, by its name, or
// since it registered from there. Whoever fails there is slowed and not blocked.
func (a *Agent) workedFrom(run *live.Running) func(netip.Prefix) bool {
	return func(in netip.Prefix) bool {
		return run.Snapshot.Stands(a.Switch, in) || a.Trunks.Stands(in) || a.Registrations.Stands(in)
	}
}

// goesOn tells whether a message of a known source that a person has blocked is taken all
// the same: what belongs to a call that runs, and calls for help.
func (a *Agent) goesOn(m *wire.Message, trunk string) bool {
	switch {
	case !m.Request(), m.Method == "ACK", m.Method == "CANCEL": // of what is there, or of nothing
		return true
	case a.findDialog(m) != nil:
		return true
	case m.Method != "INVITE":
		return false
	}
	run := a.Plan.Current()
	if run == nil {
		return false
	}
	t, ok := run.Snapshot.Trunk(trunk)
	if !ok {
		return false
	}
	in, err := a.asked(m, t)
	return err == nil && run.Snapshot.IsEmergencyCall(in)
}
