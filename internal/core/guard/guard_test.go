package guard_test

import (
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/guard"
)

var (
	limits = guard.Limits{Failures: 5, Window: 10 * time.Minute, For: 24 * time.Hour}
	monday = time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	here   = netip.MustParseAddr("127.0.99.1")
)

func nobody(netip.Prefix) bool { return false }

func wrong(from netip.Addr) guard.Failure {
	return guard.Failure{From: from, Why: "wrong secret", Returned: true}
}

func TestTheFifthFailureInTheWindowBlocks(t *testing.T) {
	var told []guard.Block
	g := guard.New(func(b guard.Block, gone bool) { told = append(told, b) })
	for i := range 4 {
		assert.Nil(t, g.Failed(wrong(here), monday.Add(time.Duration(i)*time.Minute), limits, nobody).Blocked)
	}
	out := g.Failed(wrong(here), monday.Add(11*time.Minute), limits, nobody)
	assert.Equal(t, 4, out.Count, "the first is too long ago")
	assert.Nil(t, g.Failed(wrong(here), monday.Add(12*time.Minute), limits, nobody).Blocked, "and now the second, too")
	last := wrong(here)
	last.Why = "no such account"
	assert.NotNil(t, g.Failed(last, monday.Add(12*time.Minute), limits, nobody).Blocked)
	require.Len(t, told, 1)
	assert.Equal(t, "no such account", told[0].Why)

	b := g.Blocks()
	later := monday.Add(time.Hour)
	_, held := b.Meet(netip.MustParseAddr("::ffff:127.0.99.1"), later, false)
	assert.True(t, held)
	_, held = b.Meet(netip.MustParseAddr("127.0.99.2"), later, false)
	assert.False(t, held)
	_, held = b.Meet(here, later, true)
	assert.False(t, held, "it has shown who it is meanwhile")
	assert.EqualValues(t, 1, b.List(later)[0].Met)
	_, held = b.Meet(here, monday.Add(25*time.Hour), false)
	assert.False(t, held, "a day later it may try again")
	assert.Len(t, told, 2)
}

func TestSuccessForgets(t *testing.T) {
	g := guard.New(nil)
	f := wrong(here)
	f.Flow, f.Account = "UDP 127.0.99.1:5060", "quay-phones/quay"
	for range 4 {
		g.Failed(f, monday, limits, nobody)
	}
	assert.Len(t, g.Suspects(monday, limits.Window), 3, "address, flow and account apart")
	g.Succeeded(here, f.Flow, f.Account)
	assert.Empty(t, g.Suspects(monday, limits.Window))
	assert.Equal(t, 1, g.Failed(f, monday, limits, nobody).Count)
	assert.Empty(t, g.Suspects(monday.Add(time.Hour), limits.Window))
}

// Whatever is forged, in whatever order, nobody is blocked who was seen at work, nobody by
// what nothing came back from, and an account never blocks an address.
func TestAForgerCutsNobodyOff(t *testing.T) {
	for seed := range uint64(200) {
		r := rand.New(rand.NewPCG(seed, 16))
		g := guard.New(nil)
		working := map[netip.Addr]bool{}
		for range 6 {
			working[netip.AddrFrom4([4]byte{127, 0, byte(r.IntN(4)), byte(1 + r.IntN(30))})] = true
		}
		stands := func(p netip.Prefix) bool {
			for a := range working {
				if p.Contains(a) {
					return true
				}
			}
			return false
		}
		failed := map[netip.Addr]int{}
		at := monday
		for range 2000 {
			at = at.Add(time.Duration(r.IntN(500)) * time.Millisecond)
			from := netip.AddrFrom4([4]byte{127, 0, byte(r.IntN(4)), byte(1 + r.IntN(30))})
			f := guard.Failure{From: from, Why: "wrong secret", Returned: r.IntN(3) == 0, Account: fmt.Sprint("a", r.IntN(3))}
			if working[from] && r.IntN(2) == 0 {
				f.Flow = "UDP " + from.String() + ":5060"
			}
			if f.Returned {
				failed[from]++
			}
			out := g.Failed(f, at, limits, stands)
			assert.Equal(t, f.Returned, out.Count > 0)
			if out.Slowed {
				assert.True(t, working[from])
			}
		}
		for a := range working {
			_, held := g.Blocks().Meet(a, at, false)
			require.False(t, held, "seed %d: %s works and is blocked", seed, a)
		}
		blocked := 0
		for _, b := range g.Blocks().List(at) {
			p, err := guard.ParseSource(b.Source)
			require.NoError(t, err)
			require.False(t, stands(p), "seed %d: %s", seed, b.Source)
			blocked++
			if p.IsSingleIP() {
				require.GreaterOrEqual(t, failed[p.Addr()], limits.Failures, "seed %d: %s", seed, b.Source)
			}
		}
		require.Positive(t, blocked, "who really fails is blocked")
		assert.True(t, g.Guessed("a0", at, limits), "an account that is guessed at is known as that")
	}
}

func TestManyNeighboursAreBlockedAsOneNetwork(t *testing.T) {
	gone := 0
	g := guard.New(func(_ guard.Block, was bool) {
		if was {
			gone++
		}
	})
	block := func(a netip.Addr) {
		for range limits.Failures {
			g.Failed(wrong(a), monday, limits, nobody)
		}
	}
	for i := range guard.NeighboursBlocked - 1 {
		block(netip.AddrFrom4([4]byte{127, 0, 99, byte(i)}))
	}
	assert.Len(t, g.Blocks().List(monday), guard.NeighboursBlocked-1)
	block(netip.MustParseAddr("127.0.99.200"))
	list := g.Blocks().List(monday)
	require.Len(t, list, 1)
	assert.Equal(t, "127.0.99.0/24", list[0].Source)
	assert.Equal(t, guard.NeighboursBlocked-1, gone)
	block(netip.MustParseAddr("2001:db8::1"))
	assert.Equal(t, "2001:db8::/64", g.Blocks().List(monday)[1].Source, "one host has all of them (RFC 4291 section 2.5.1)")
	assert.True(t, g.Blocks().Remove(netip.MustParsePrefix("127.0.99.0/24")))
	assert.False(t, g.Blocks().Remove(netip.MustParsePrefix("127.0.99.0/24")))
	block(netip.MustParseAddr("127.0.99.9"))
	assert.Equal(t, "127.0.99.9", g.Blocks().List(monday)[0].Source, "counted anew")
}

// The table finds what a walk over all blocks finds, for any nested networks.
func TestBlocksAreFoundAsByAWalk(t *testing.T) {
	for seed := range uint64(100) {
		r := rand.New(rand.NewPCG(seed, 5))
		g := guard.New(nil)
		address := func() netip.Addr {
			if r.IntN(3) == 0 {
				return netip.AddrFrom16([16]byte{0x20, 1, 0xd, 0xb8, 0, byte(r.IntN(3)), 0, 0, 15: byte(r.IntN(9))})
			}
			return netip.AddrFrom4([4]byte{10, byte(r.IntN(3)), byte(r.IntN(3)), byte(r.IntN(9))})
		}
		all := map[netip.Prefix]guard.Block{}
		for range 60 {
			a := address()
			p := netip.PrefixFrom(a, r.IntN(a.BitLen()-7)+8).Masked()
			if r.IntN(4) == 0 {
				assert.Equal(t, has(all, p), g.Blocks().Remove(p))
				delete(all, p)
				continue
			}
			b := guard.Block{Since: monday, Until: monday.Add(time.Duration(1+r.IntN(5)) * time.Hour), Why: "x", By: "engineer"}
			require.True(t, g.Blocks().Put(p, b))
			all[p] = b
		}
		for range 200 {
			a, at := address(), monday.Add(time.Duration(r.IntN(6))*time.Hour)
			want := slices.ContainsFunc(keys(all), func(p netip.Prefix) bool { return p.Contains(a) && at.Before(all[p].Until) })
			got, held := g.Blocks().Of(a, at)
			require.Equal(t, want, held, "seed %d, %s", seed, a)
			if held {
				p, err := guard.ParseSource(got.Source)
				require.NoError(t, err)
				require.True(t, p.Contains(a))
			}
			for p, b := range all { // what is met after its end is dropped
				if p.Contains(a) && !at.Before(b.Until) {
					delete(all, p)
				}
			}
		}
		assert.Len(t, g.Blocks().List(monday), g.Blocks().Expire(monday))
	}
}

func has(m map[netip.Prefix]guard.Block, p netip.Prefix) bool { _, ok := m[p]; return ok }

func keys(m map[netip.Prefix]guard.Block) (out []netip.Prefix) {
	for p := range m {
		out = append(out, p)
	}
	return out
}

// Everything is bounded: what is kept longest without use goes, what a person did stays.
func TestWhatIsKeptHasABound(t *testing.T) {
	g := guard.New(nil)
	byHand := netip.MustParsePrefix("127.0.0.0/16")
	require.True(t, g.Blocks().Put(byHand, guard.Block{Since: monday, Until: monday.Add(time.Hour), Why: "scans", By: "engineer"}))
	once := guard.Limits{Failures: 1, Window: time.Minute, For: time.Hour}
	spread := func(i int) netip.Addr { return netip.AddrFrom4([4]byte{10, byte(i >> 8), byte(i), 1}) }
	for i := range guard.MaxBlocks {
		g.Failed(wrong(spread(i)), monday, once, nobody)
	}
	_, held := g.Blocks().Meet(spread(0), monday, false)
	require.True(t, held)
	for i := range 100 {
		g.Failed(wrong(spread(guard.MaxBlocks+i)), monday, once, nobody)
	}
	assert.Len(t, g.Blocks().List(monday), guard.MaxBlocks+1)
	_, held = g.Blocks().Of(spread(0), monday)
	assert.True(t, held, "it held somebody back just now")
	_, held = g.Blocks().Of(spread(1), monday)
	assert.False(t, held, "the oldest that did not")
	_, held = g.Blocks().Of(netip.MustParseAddr("127.0.3.4"), monday)
	assert.True(t, held)
	for i := range guard.MaxFailing + 50 {
		f := wrong(netip.AddrFrom4([4]byte{11, byte(i >> 16), byte(i >> 8), byte(i)}))
		f.Account = fmt.Sprint("account ", i)
		g.Failed(f, monday, limits, nobody)
	}
	assert.Len(t, g.Suspects(monday, time.Minute), 2*guard.MaxFailing)
	restored := guard.New(nil)
	restored.Blocks().Restore(g.Blocks().List(monday))
	assert.ElementsMatch(t, g.Blocks().List(monday), restored.Blocks().List(monday))
	assert.Len(t, guard.Short(string(make([]byte, 5000))), guard.MaxText+len("…"))
	_, err := guard.ParseSource("the pier")
	assert.Error(t, err)
}

// A source that floods uses up its own share; sources without number use up the budget, and
// in no slice of time more than it.
func TestTheDoorIsBounded(t *testing.T) {
	d := guard.NewDoor()
	at := monday
	count := map[guard.Passage]int{}
	for i := range 10_000 { // a second
		count[d.Take(here, at.Add(time.Duration(i)*100*time.Microsecond))]++
	}
	assert.Equal(t, guard.DefaultShare, count[guard.Passes])
	assert.Equal(t, 10_000-guard.DefaultShare, count[guard.Floods])
	at = at.Add(time.Minute)
	assert.Equal(t, guard.Passes, d.Take(netip.MustParseAddr("127.0.99.2"), at), "the others are not touched")

	count = map[guard.Passage]int{}
	r := rand.New(rand.NewPCG(1, 1))
	for i := range 100_000 { // five seconds of 20,000 ever new addresses
		a := netip.AddrFrom4([4]byte{byte(11 + r.IntN(100)), byte(r.IntN(256)), byte(r.IntN(256)), byte(r.IntN(256))})
		count[d.Take(a, at.Add(time.Duration(i)*50*time.Microsecond))]++
	}
	assert.InDelta(t, 5*guard.DefaultBudget, count[guard.Passes], guard.DefaultBudget/10)
	assert.InDelta(t, guard.Slice, d.ClosedFor(at.Add(99_999*50*time.Microsecond)), float64(guard.Slice))
	assert.Positive(t, d.ClosedFor(at.Add(99_999*50*time.Microsecond)))
	assert.Zero(t, d.ClosedFor(at.Add(6*time.Second)))
}

// In no second, wherever it begins, are there more than may be, and nothing is refused that
// could begin; also where the bound changes meanwhile.
func TestNoSecondHasMoreThanMayBe(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 3))
		var rate guard.Rate
		most := 1 + r.IntN(30)
		var taken []time.Time
		at := monday
		for range 600 {
			at = at.Add(time.Duration(r.IntN(80)) * time.Millisecond)
			if r.IntN(100) == 0 {
				most = 1 + r.IntN(30)
			}
			within := 0
			for _, x := range taken {
				if at.Sub(x) < time.Second {
					within++
				}
			}
			ok := rate.Take(at, most)
			require.Equal(t, within < most, ok, "seed %d: %d of %d", seed, within, most)
			if ok {
				taken = append(taken, at)
			}
		}
	}
	var none guard.Rate
	assert.False(t, none.Take(monday, 0))
}

// 20,000 datagrams a second from ever new addresses have 50 µs each for everything.
func BenchmarkStrangers(b *testing.B) {
	g, d := guard.New(nil), guard.NewDoor()
	for i := range guard.MaxBlocks {
		g.Blocks().Put(guard.Single(netip.AddrFrom4([4]byte{10, byte(i >> 16), byte(i >> 8), byte(i)})), guard.Block{Since: monday, Until: monday.Add(time.Hour)})
	}
	i := 0
	for b.Loop() {
		i++
		a := netip.AddrFrom4([4]byte{byte(11 + i>>24), byte(i >> 16), byte(i >> 8), byte(i)})
		g.Blocks().Meet(a, monday, false)
		d.Take(a, monday)
		g.Failed(wrong(a), monday, limits, nobody)
	}
}
