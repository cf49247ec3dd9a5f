// Package guard decides who is kept out: it counts failures, blocks sources that fail too
// often, and bounds how much strangers may cost. It is told the time and what happened, and
// never reads a message, opens a socket or looks at a clock. It is not safe for concurrent
// use.
//
// Everything that it keeps has a bound, and everything that a stranger can make it do takes
// constant time: sources come and go as fast as somebody writes addresses into datagrams.
package guard

import (
	"net/netip"
	"slices"
	"time"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// Limits say when a source is blocked.
type Limits struct {
	Failures int           // so many
	Window   time.Duration // within this
	For      time.Duration // for so long
}

// Bounds of what is kept.
const (
	// MaxFailing is how many addresses, flows and accounts that failed are remembered, of each
	// kind; the one that failed longest ago goes first.
	MaxFailing = 10_000
	// MaxBlocks is how many blocks of the guard's own stand; the one that held nobody back for
	// the longest time goes first. Blocks by a person do not go, and are as many at most.
	MaxBlocks = 10_000
	// NeighboursBlocked is how many addresses of one network must be blocked before the whole
	// network is.
	NeighboursBlocked = 8
)

// Kind is what failures are counted against.
type Kind string

// The kinds. They are counted apart: who writes another's address, or guesses at another's
// account, cuts neither off.
const (
	ByAddress Kind = "address"
	ByFlow    Kind = "flow"    // a registered one: transport, address and port
	ByAccount Kind = "account" // of a trunk
)

// Failure is one request that was refused since its sender could not show who it is.
type Failure struct {
	From    netip.Addr
	Flow    string // the registered flow that it came by; empty for none
	Account string // that it named; empty if there is no such one
	Why     string
	// Returned says that the source takes what is sent to it: it speaks over a connection, or
	// answers a nonce that it was given. Any address can be written into a datagram, so what
	// nothing came back from counts against nobody.
	Returned bool
}

// Outcome is what a failure came to.
type Outcome struct {
	Count   int    // failures of its address within the window; 0 if it does not count
	Blocked *Block // that it brought about
	// Slowed says that the source has failed too often and is not blocked, since others work
	// from there: it gets no answer.
	Slowed bool
}

// Guard keeps count and blocks. Make one with New.
type Guard struct {
	failing map[Kind]*simplelru.LRU[string, *failing]
	blocks  *Blocks
}

// failing is who has failed.
type failing struct {
	at   []time.Time // of the latest failures, no more than the limit
	last string
}

// Suspect has failed and is not blocked.
type Suspect struct {
	Kind     Kind
	Source   string // an address, a flow or an account
	Failures int    // within the window
	Last     time.Time
	Why      string
}

// New returns a guard that has seen nothing. changed is told of each block that comes and
// goes; nil for nobody.
func New(changed func(b Block, gone bool)) *Guard {
	g := &Guard{failing: map[Kind]*simplelru.LRU[string, *failing]{}, blocks: newBlocks(changed)}
	for _, k := range []Kind{ByAddress, ByFlow, ByAccount} {
		g.failing[k] = bounded[string, *failing](MaxFailing)
	}
	return g
}

// bounded is a table that forgets what was touched longest ago.
func bounded[K comparable, V any](most int) *simplelru.LRU[K, V] {
	l, err := simplelru.NewLRU[K, V](most, nil)
	if err != nil {
		panic(err) // a size of none
	}
	return l
}

// Failed counts a failure. stands tells whether somebody who may be here works from an
// address or a network: that is slowed and never blocked.
func (g *Guard) Failed(f Failure, at time.Time, l Limits, stands func(netip.Prefix) bool) (out Outcome) {
	if !f.Returned {
		return out
	}
	from := f.From.Unmap()
	out.Count = g.count(ByAddress, from.String(), f.Why, at, l)
	if f.Flow != "" {
		g.count(ByFlow, f.Flow, f.Why, at, l)
	}
	if f.Account != "" {
		g.count(ByAccount, f.Account, f.Why, at, l)
	}
	if out.Count < l.Failures {
		return out
	}
	if f.Flow != "" || stands(Single(from)) {
		out.Slowed = true
		return out
	}
	g.failing[ByAddress].Remove(from.String())
	b := Block{Since: at, Until: at.Add(l.For), Why: f.Why}
	out.Blocked = g.blocks.put(g.blocks.widened(from, at, stands), b)
	return out
}

// count adds a failure to those of one kind, and returns how many are within the window.
func (g *Guard) count(k Kind, who, why string, at time.Time, l Limits) int {
	f, ok := g.failing[k].Get(who)
	if !ok {
		f = &failing{}
		g.failing[k].Add(who, f)
	}
	f.last = Short(why)
	f.at = append(slices.DeleteFunc(f.at, func(t time.Time) bool { return at.Sub(t) > l.Window }), at)
	if over := len(f.at) - l.Failures; over > 0 {
		f.at = f.at[over:]
	}
	return len(f.at)
}

// Count is how many failures of an address are within the window.
func (g *Guard) Count(from netip.Addr, at time.Time, l Limits) (n int) {
	f, ok := g.failing[ByAddress].Peek(from.Unmap().String())
	if !ok {
		return 0
	}
	for _, t := range f.at {
		if at.Sub(t) <= l.Window {
			n++
		}
	}
	return n
}

// Guessed tells whether an account has failed as often as the limit within the window.
func (g *Guard) Guessed(account string, at time.Time, l Limits) bool {
	f, ok := g.failing[ByAccount].Peek(account)
	return ok && len(f.at) >= l.Failures && at.Sub(f.at[0]) <= l.Window
}

// Succeeded forgets the failures of a source and of the account that it has proved.
func (g *Guard) Succeeded(from netip.Addr, flow, account string) {
	g.failing[ByAddress].Remove(from.Unmap().String())
	g.failing[ByFlow].Remove(flow)
	g.failing[ByAccount].Remove(account)
}

// Suspects have failed within a window and are not blocked, the latest first.
func (g *Guard) Suspects(at time.Time, window time.Duration) []Suspect {
	out := []Suspect{}
	for kind, list := range g.failing {
		for _, who := range list.Keys() {
			f, _ := list.Peek(who)
			if last := f.at[len(f.at)-1]; at.Sub(last) <= window {
				out = append(out, Suspect{kind, who, len(f.at), last, f.last})
			}
		}
	}
	slices.SortFunc(out, func(a, b Suspect) int { return b.Last.Compare(a.Last) })
	return out
}

// Blocks are the guard's blocks.
func (g *Guard) Blocks() *Blocks { return g.blocks }

// MaxText is how much of a text of a stranger is kept, in bytes.
const MaxText = 120

// Short is a stranger's text as far as it is kept.
func Short(text string) string {
	if len(text) > MaxText {
		return text[:MaxText] + "…"
	}
	return text
}
