// Package live holds what the running switches share: the compiled plan that
// decides new calls, the channels and the state of the trunks, and the
// recorder. The protocols stand in folders of their own below it.
//
// It never decides a call (package decide does) and never waits for a
// database.
package live

import (
	"sync/atomic"

	"switchback.example/switchback/internal/core/decide"
)

// Running is a compiled plan and the revision that it is.
type Running struct {
	Snapshot *decide.Snapshot
	Revision int64
}

// Plan is the plan that decides new calls. Swap takes effect between two
// calls: a call keeps the snapshot that it began with.
type Plan struct{ current atomic.Pointer[Running] }

// Current returns the running plan, nil before the first Swap.
func (p *Plan) Current() *Running { return p.current.Load() }

// Swap puts a plan in force.
func (p *Plan) Swap(r Running) { p.current.Store(&r) }
