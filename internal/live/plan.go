// Package live holds what the running switches share: the compiled plan that
// decides new calls, the channels and the state of the trunks, and the
// recorder. The protocols stand in folders of their own below it.
//
// It never decides a call (package decide does) and never waits for a
// database.
package live

import (
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/standing"
)

// Running is a compiled plan and the revision that it is.
type Running struct {
	Snapshot *decide.Snapshot
	Revision int64
	// Trial is true of a plan that is tried on some calls and is no revision yet; its
	// Revision is that of the plan beside it.
	Trial bool
}

// Trial is a plan that decides some calls while the live one decides the rest.
type Trial struct {
	Running
	Scopes []standing.Scope
	// Version is that of the draft that it was, and Base the revision that it was made on.
	Version int64
	Base    int64
	Since   time.Time
	By      string
	// Calls counts those that it decided, in this process.
	Calls atomic.Int64
}

// Plan is the plan that decides new calls, and one that is tried on some of them. Swap
// takes effect between two calls: a call keeps the snapshot that it began with.
type Plan struct {
	current atomic.Pointer[Running]
	trial   atomic.Pointer[Trial]
}

// Current returns the running plan, nil before the first Swap.
func (p *Plan) Current() *Running { return p.current.Load() }

// Swap puts a plan in force.
func (p *Plan) Swap(r Running) { p.current.Store(&r) }

// Try puts a trial in force, in place of one before; nil ends it.
func (p *Plan) Try(t *Trial) { p.trial.Store(t) }

// Trial returns the trial that runs, nil if none does.
func (p *Plan) Trial() *Trial { return p.trial.Load() }

// For returns the plan that decides a call that came by a trunk of a running plan: the
// one that is tried, if the call is of its scope and its trunk is in it.
func (p *Plan) For(run *Running, trunk string, caller digits.Number) *Running {
	t := p.trial.Load()
	if t == nil || t.Base != run.Revision {
		return run
	}
	if _, ok := t.Snapshot.Trunk(trunk); !ok {
		return run
	}
	for _, s := range t.Scopes {
		if inScope(s, t.Snapshot, trunk, caller) {
			t.Calls.Add(1)
			return &t.Running
		}
	}
	return run
}

// inScope tells whether a call is one of a scope.
func inScope(s standing.Scope, snapshot *decide.Snapshot, trunk string, caller digits.Number) bool {
	switch {
	case s.Trunk != "":
		return s.Trunk == trunk
	case s.Group != "":
		g, ok := snapshot.GroupOf(trunk, caller)
		return ok && g.ID == s.Group
	}
	return s.Extension != "" && s.Extension == caller.String() && !snapshot.LeadsOutside(trunk)
}
