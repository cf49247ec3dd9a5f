package live

import (
	"net/netip"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/guard"
)

// Gate keeps a guard for all who ask at once, and tells of what changes. It is safe for
// concurrent use.
type Gate struct {
	feed *Feed
	// Changed is told of blocks that came or went, so that they outlast the
	// process; nil for nobody. It must not wait.
	Changed func(b guard.Block, gone bool)

	mu    sync.Mutex
	guard *guard.Guard
}

// NewGate returns an open gate.
func NewGate(feed *Feed) *Gate {
	g := &Gate{feed: feed}
	g.guard = guard.New(func(b guard.Block, gone bool) {
		g.feed.Tell(TopicGate, "")
		if g.Changed != nil {
			g.Changed(b, gone)
		}
	})
	return g
}

// Failed counts a failure; stands tells who is slowed and never blocked.
func (g *Gate) Failed(f guard.Failure, at time.Time, l guard.Limits, stands func(netip.Prefix) bool) guard.Outcome {
	g.mu.Lock()
	defer g.mu.Unlock()
	out := g.guard.Failed(f, at, l, stands)
	if out.Count > 0 {
		g.feed.Tell(TopicGate, "")
	}
	return out
}

// Count is how many failures of an address are within the window.
func (g *Gate) Count(from netip.Addr, at time.Time, l guard.Limits) int {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.guard.Count(from, at, l)
}

// Guessed tells whether an account has failed too often.
func (g *Gate) Guessed(account string, at time.Time, l guard.Limits) bool {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.guard.Guessed(account, at, l)
}

// Succeeded forgets the failures of a source, its flow and the account that it has proved.
func (g *Gate) Succeeded(from netip.Addr, flow, account string) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.guard.Succeeded(from, flow, account)
}

// Of is the block that a source is under at a time. It counts nothing.
func (g *Gate) Of(from netip.Addr, at time.Time) (by guard.Block, ok bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.guard.Blocks().Of(from, at)
}

// Holds tells whether a source is blocked at a time. It counts nothing.
func (g *Gate) Holds(from netip.Addr, at time.Time) bool {
	_, held := g.Of(from, at)
	return held
}

// Meet is the block that holds a message of a source back, and counts it. Sources that are
// known otherwise are held back by people alone.
func (g *Gate) Meet(from netip.Addr, at time.Time, known bool) (by guard.Block, held bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.guard.Blocks().Meet(from, at, known)
}

// Block blocks an address or a network for a person; ok is false where as many stand as may.
func (g *Gate) Block(p netip.Prefix, b guard.Block) (ok bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.guard.Blocks().Put(p, b)
}

// LetIn unblocks a source; ok is false if it is not blocked.
func (g *Gate) LetIn(p netip.Prefix) (ok bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.guard.Blocks().Remove(p)
}

// Restore takes blocks that a process before this one kept.
func (g *Gate) Restore(list []guard.Block) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.guard.Blocks().Restore(list)
}

// Blocks are those that stand at a time, the newest first.
func (g *Gate) Blocks(at time.Time) []guard.Block {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.guard.Blocks().Expire(at)
	return g.guard.Blocks().List(at)
}

// Suspects failed within a window and are not blocked, the latest first.
func (g *Gate) Suspects(at time.Time, window time.Duration) []guard.Suspect {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.guard.Suspects(at, window)
}
