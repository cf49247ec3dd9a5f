package guard

import (
	"cmp"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/hashicorp/golang-lru/v2/simplelru"
)

// Block is a source that is kept out.
type Block struct {
	Source string // an address or a network
	Since  time.Time
	Until  time.Time
	Why    string
	By     string // the person who did it; empty: the guard
	Met    int64  // messages that were dropped since
}

// Blocks are who is blocked. An address is looked up once for each length of network that
// some block has, however many blocks there are.
type Blocks struct {
	own      *simplelru.LRU[netip.Prefix, *Block] // the guard's, the one met last in front
	byPeople map[netip.Prefix]*Block
	lengths  map[length]int // blocks of each
	// neighbours counts single addresses that are blocked, by their network.
	neighbours map[netip.Prefix]int
	changed    func(b Block, gone bool)
}

// length is how long a network's prefix is, and of which family.
type length struct {
	is4  bool
	bits int
}

func newBlocks(changed func(b Block, gone bool)) *Blocks {
	if changed == nil {
		changed = func(Block, bool) {}
	}
	return &Blocks{
		own: bounded[netip.Prefix, *Block](MaxBlocks), byPeople: map[netip.Prefix]*Block{},
		lengths: map[length]int{}, neighbours: map[netip.Prefix]int{}, changed: changed,
	}
}

// Single is the network of one address.
func Single(a netip.Addr) netip.Prefix {
	a = a.Unmap()
	return netip.PrefixFrom(a, a.BitLen())
}

// Around is the network of an address that usually has one owner: 24 bits of IPv4, 64 of
// IPv6, where one host has as many addresses as it likes.
func Around(a netip.Addr) netip.Prefix {
	bits := 24
	if a.Is6() {
		bits = 64
	}
	p, _ := a.Prefix(bits) // both lengths are right
	return p
}

func lengthOf(p netip.Prefix) length { return length{p.Addr().Is4(), p.Bits()} }

// name is a network as text, an address alone for one of a single address.
func name(p netip.Prefix) string {
	if p.IsSingleIP() {
		return p.Addr().String()
	}
	return p.String()
}

// at is the block of a network itself.
func (b *Blocks) at(p netip.Prefix) *Block {
	if block := b.byPeople[p]; block != nil {
		return block
	}
	block, _ := b.own.Peek(p)
	return block
}

// widened is what is blocked with an address: itself, or its network where as many
// neighbours are blocked and nobody works from there.
func (b *Blocks) widened(from netip.Addr, now time.Time, stands func(netip.Prefix) bool) netip.Prefix {
	network := Around(from)
	if from.Is4() && b.neighbours[network]+1 < NeighboursBlocked || stands(network) {
		return Single(from)
	}
	for _, p := range b.own.Keys() { // seldom: once for each network
		if p != network && network.Contains(p.Addr()) {
			b.drop(p)
		}
	}
	return network
}

// put adds a block, in the place of one that stands for the same network.
func (b *Blocks) put(p netip.Prefix, block Block) *Block {
	if b.at(p) != nil {
		b.forget(p)
	}
	block.Source = name(p)
	block.Why = Short(block.Why)
	if block.By != "" {
		b.byPeople[p] = &block
	} else {
		if b.own.Len() >= MaxBlocks {
			oldest, _, _ := b.own.GetOldest()
			b.drop(oldest)
		}
		b.own.Add(p, &block)
		if p.IsSingleIP() {
			b.neighbours[Around(p.Addr())]++
		}
	}
	b.lengths[lengthOf(p)]++
	b.changed(block, false)
	return &block
}

// forget takes a block away and tells nobody.
func (b *Blocks) forget(p netip.Prefix) (was Block, ok bool) {
	block := b.at(p)
	if block == nil {
		return was, false
	}
	if n := lengthOf(p); b.lengths[n] > 1 {
		b.lengths[n]--
	} else {
		delete(b.lengths, n)
	}
	if block.By != "" {
		delete(b.byPeople, p)
		return *block, true
	}
	b.own.Remove(p)
	if network := Around(p.Addr()); p.IsSingleIP() {
		if b.neighbours[network]--; b.neighbours[network] <= 0 {
			delete(b.neighbours, network)
		}
	}
	return *block, true
}

func (b *Blocks) drop(p netip.Prefix) bool {
	was, ok := b.forget(p)
	if ok {
		b.changed(was, true)
	}
	return ok
}

// find is the narrowest block that an address is under at a time. What is over is dropped.
func (b *Blocks) find(from netip.Addr, at time.Time, wanted func(*Block) bool) (p netip.Prefix, found *Block) {
	from = from.Unmap()
	for l := range b.lengths {
		if l.is4 != from.Is4() {
			continue
		}
		network, _ := from.Prefix(l.bits) // lengths are of networks that stand
		block := b.at(network)
		switch {
		case block == nil || !wanted(block):
		case !at.Before(block.Until):
			b.drop(network)
		case found == nil || l.bits > p.Bits():
			p, found = network, block
		}
	}
	return p, found
}

// Of is the block that an address is under. It counts nothing.
func (b *Blocks) Of(from netip.Addr, at time.Time) (by Block, ok bool) {
	if _, found := b.find(from, at, func(*Block) bool { return true }); found != nil {
		return *found, true
	}
	return by, false
}

// Meet is Of, and counts that the block held a message back. known sources are held back by
// people alone.
func (b *Blocks) Meet(from netip.Addr, at time.Time, known bool) (by Block, ok bool) {
	p, found := b.find(from, at, func(x *Block) bool { return !known || x.By != "" })
	if found == nil {
		return by, false
	}
	found.Met++
	b.own.Get(p) // it is of use: others go before it
	return *found, true
}

// Put blocks an address or a network for a person; ok is false where there are as many
// such blocks as may be.
func (b *Blocks) Put(p netip.Prefix, block Block) (ok bool) {
	if b.byPeople[p] == nil && len(b.byPeople) >= MaxBlocks {
		return false
	}
	b.put(p, block)
	return true
}

// Remove lets a source in again; ok is false if it is not blocked.
func (b *Blocks) Remove(p netip.Prefix) (ok bool) { return b.drop(p) }

// Restore takes the blocks of a process before this one, the latest of them where they are
// too many.
func (b *Blocks) Restore(list []Block) {
	changed := b.changed
	b.changed = func(Block, bool) {}
	defer func() { b.changed = changed }()
	list = slices.SortedFunc(slices.Values(list), func(x, y Block) int { return x.Since.Compare(y.Since) })
	for _, one := range list {
		if p, err := ParseSource(one.Source); err == nil {
			b.put(p, one)
		}
	}
}

// List are the blocks that stand at a time, the newest first.
func (b *Blocks) List(at time.Time) []Block {
	out := []Block{}
	add := func(x *Block) {
		if at.Before(x.Until) {
			out = append(out, *x)
		}
	}
	for _, x := range b.byPeople {
		add(x)
	}
	for _, x := range b.own.Values() {
		add(x)
	}
	slices.SortFunc(out, func(x, y Block) int {
		return cmp.Or(y.Since.Compare(x.Since), strings.Compare(x.Source, y.Source))
	})
	return out
}

// Expire drops what is over, and returns how many blocks stand.
func (b *Blocks) Expire(at time.Time) int {
	for _, p := range b.own.Keys() {
		if x, _ := b.own.Peek(p); !at.Before(x.Until) {
			b.drop(p)
		}
	}
	for p, x := range b.byPeople {
		if !at.Before(x.Until) {
			b.drop(p)
		}
	}
	return b.own.Len() + len(b.byPeople)
}

// ParseSource reads an address or a network that can be blocked.
func ParseSource(text string) (netip.Prefix, error) {
	if p, err := netip.ParsePrefix(text); err == nil {
		return p.Masked(), nil
	}
	a, err := netip.ParseAddr(text)
	if err != nil {
		return netip.Prefix{}, err
	}
	return Single(a), nil
}
