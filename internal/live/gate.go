package live

import (
	"net/netip"
	"slices"
	"sync"
	"time"
)

// Limits say when a source is shut out.
type Limits struct {
	Failures int           // so many
	Window   time.Duration // within this
	For      time.Duration // for so long
}

// MaxSources bounds how many sources that failed are remembered; the one that
// failed longest ago goes first.
const MaxSources = 10_000

// Block is a source that is shut out.
type Block struct {
	Source string // an address or a network
	Since  time.Time
	Until  time.Time
	Why    string
	By     string // who did it by hand; empty: the gate
	Met    int64  // messages that were dropped since
}

// Gate keeps sources out that fail too often to say who they are. It is safe for
// concurrent use.
type Gate struct {
	feed *Feed
	// Changed is told of blocks that came or went, so that they outlast the
	// process; nil for nobody. It must not wait.
	Changed func(b Block, gone bool)

	mu       sync.Mutex
	failures map[netip.Addr]*failing
	blocks   map[netip.Prefix]*Block
}

type failing struct {
	at   []time.Time
	last string
}

// Suspect is a source that has failed and is not shut out yet.
type Suspect struct {
	Source   string
	Failures int // within the window
	Last     time.Time
	Why      string
}

// NewGate returns an open gate.
func NewGate(feed *Feed) *Gate {
	return &Gate{feed: feed, failures: map[netip.Addr]*failing{}, blocks: map[netip.Prefix]*Block{}}
}

func single(a netip.Addr) netip.Prefix { return netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen()) }

// Failed counts a failure of a source. trusted sources are counted and never shut
// out. It returns how many there are within the window, and whether this one shut
// the source out.
func (g *Gate) Failed(from netip.Addr, why string, at time.Time, l Limits, trusted bool) (count int, shut bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	from = from.Unmap()
	f := g.failures[from]
	if f == nil {
		g.makeRoom()
		f = &failing{}
		g.failures[from] = f
	}
	f.last = why
	f.at = append(slices.DeleteFunc(f.at, func(t time.Time) bool { return at.Sub(t) > l.Window }), at)
	if over := len(f.at) - l.Failures; over > 0 {
		f.at = f.at[over:]
	}
	g.feed.Tell(TopicGate, "")
	if trusted || len(f.at) < l.Failures {
		return len(f.at), false
	}
	delete(g.failures, from)
	g.put(single(from), Block{Source: from.String(), Since: at, Until: at.Add(l.For), Why: why})
	return l.Failures, true
}

// makeRoom forgets the source that failed longest ago where there are too many.
func (g *Gate) makeRoom() {
	if len(g.failures) < MaxSources {
		return
	}
	var oldest netip.Addr
	var at time.Time
	for a, f := range g.failures {
		if last := f.at[len(f.at)-1]; at.IsZero() || last.Before(at) {
			oldest, at = a, last
		}
	}
	delete(g.failures, oldest)
}

func (g *Gate) put(p netip.Prefix, b Block) {
	g.blocks[p] = &b
	g.feed.Tell(TopicGate, "")
	if g.Changed != nil {
		g.Changed(b, false)
	}
}

// Succeeded forgets the failures of a source.
func (g *Gate) Succeeded(from netip.Addr) {
	g.mu.Lock()
	defer g.mu.Unlock()
	delete(g.failures, from.Unmap())
}

// Shut tells whether a source is blocked at a time, and counts that it was met.
// One that is trusted is shut out by hand only.
func (g *Gate) Shut(from netip.Addr, at time.Time, trusted bool) bool {
	_, shut := g.Blocked(from, at, trusted)
	return shut
}

// Holds tells whether a source is blocked at a time. It counts nothing.
func (g *Gate) Holds(from netip.Addr, at time.Time) bool {
	_, held := g.Of(from, at)
	return held
}

// Of is the block that a source is under at a time. It counts nothing.
func (g *Gate) Of(from netip.Addr, at time.Time) (by Block, ok bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for p, b := range g.blocks {
		if at.Before(b.Until) && p.Contains(from.Unmap()) {
			return *b, true
		}
	}
	return by, false
}

// Blocked is Shut, and says by what.
func (g *Gate) Blocked(from netip.Addr, at time.Time, trusted bool) (by Block, shut bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if len(g.blocks) == 0 {
		return by, false
	}
	from = from.Unmap()
	for p, b := range g.blocks {
		if !at.Before(b.Until) {
			g.drop(p)
			continue
		}
		if p.Contains(from) && (!trusted || b.By != "") {
			b.Met++
			return *b, true
		}
	}
	return by, false
}

func (g *Gate) drop(p netip.Prefix) {
	b := *g.blocks[p]
	delete(g.blocks, p)
	g.feed.Tell(TopicGate, "")
	if g.Changed != nil {
		g.Changed(b, true)
	}
}

// Block shuts an address or a network out by hand.
func (g *Gate) Block(p netip.Prefix, b Block) {
	g.mu.Lock()
	defer g.mu.Unlock()
	b.Source = p.String()
	if p.IsSingleIP() {
		b.Source = p.Addr().String()
	}
	g.put(p, b)
}

// LetIn lets a source in again; ok is false if it is not shut out.
func (g *Gate) LetIn(p netip.Prefix) (ok bool) {
	g.mu.Lock()
	defer g.mu.Unlock()
	if g.blocks[p] == nil {
		return false
	}
	g.drop(p)
	return true
}

// Restore takes blocks that a process before this one kept.
func (g *Gate) Restore(list []Block) {
	g.mu.Lock()
	defer g.mu.Unlock()
	for _, b := range list {
		if p, err := ParseSource(b.Source); err == nil {
			g.blocks[p] = &b
		}
	}
}

// Blocks are the sources that are shut out at a time, the newest first.
func (g *Gate) Blocks(at time.Time) []Block {
	g.mu.Lock()
	defer g.mu.Unlock()
	out := []Block{}
	for _, b := range g.blocks {
		if at.Before(b.Until) {
			out = append(out, *b)
		}
	}
	slices.SortFunc(out, func(a, b Block) int { return b.Since.Compare(a.Since) })
	return out
}

// Suspects are the sources that failed within a window and are not shut out, the
// latest first.
func (g *Gate) Suspects(at time.Time, window time.Duration) []Suspect {
	g.mu.Lock()
	defer g.mu.Unlock()
	out := []Suspect{}
	for a, f := range g.failures {
		last := f.at[len(f.at)-1]
		if at.Sub(last) <= window {
			out = append(out, Suspect{a.String(), len(f.at), last, f.last})
		}
	}
	slices.SortFunc(out, func(a, b Suspect) int { return b.Last.Compare(a.Last) })
	return out
}

// ParseSource reads an address or a network that can be shut out.
func ParseSource(text string) (netip.Prefix, error) {
	if p, err := netip.ParsePrefix(text); err == nil {
		return p.Masked(), nil
	}
	a, err := netip.ParseAddr(text)
	if err != nil {
		return netip.Prefix{}, err
	}
	return single(a), nil
}

// Rate bounds how many things a second may begin. The zero Rate has seen nothing.
type Rate struct {
	second int64
	count  int
}

// Take counts one at a time; it is false if there were as many in this second.
func (r *Rate) Take(at time.Time, most int) bool {
	if second := at.Unix(); second != r.second {
		r.second, r.count = second, 0
	}
	r.count++
	return r.count <= most
}
