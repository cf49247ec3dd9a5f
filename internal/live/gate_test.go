package live_test

import (
	"fmt"
	"net/netip"
	"switchback.example/switchback/internal/core/plan"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/live"
)

var limits = live.Limits{Failures: 5, Window: 10 * time.Minute, For: 24 * time.Hour}

func TestTheFifthFailureInTheWindowShutsOut(t *testing.T) {
	g := live.NewGate(live.NewFeed(0))
	var told []live.Block
	g.Changed = func(b live.Block, gone bool) { told = append(told, b) }
	from, at := netip.MustParseAddr("127.0.99.1"), time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	for i := range 4 {
		_, shut := g.Failed(from, "wrong secret", at.Add(time.Duration(i)*time.Minute), limits, false)
		assert.False(t, shut)
	}
	count, shut := g.Failed(from, "wrong secret", at.Add(11*time.Minute), limits, false)
	assert.Equal(t, 4, count, "the first is too long ago")
	assert.False(t, shut)
	_, shut = g.Failed(from, "no such account", at.Add(12*time.Minute), limits, false)
	assert.False(t, shut, "and now the second, too")
	_, shut = g.Failed(from, "no such account", at.Add(12*time.Minute), limits, false)
	assert.True(t, shut)
	require.Len(t, told, 1)
	assert.Equal(t, "no such account", told[0].Why)
	assert.True(t, g.Shut(netip.MustParseAddr("::ffff:127.0.99.1"), at.Add(time.Hour), false))
	assert.False(t, g.Shut(netip.MustParseAddr("127.0.99.2"), at.Add(time.Hour), false))
	assert.False(t, g.Shut(from, at.Add(time.Hour), true), "the plan trusts it meanwhile")
	assert.EqualValues(t, 1, g.Blocks(at.Add(time.Hour))[0].Met)
	assert.False(t, g.Shut(from, at.Add(25*time.Hour), false), "a day later it may try again")
	assert.Len(t, told, 2)
}

func TestSuccessForgetsAndTrustIsNeverShutOut(t *testing.T) {
	g := live.NewGate(live.NewFeed(0))
	from, at := netip.MustParseAddr("127.0.99.1"), time.Now()
	for range 4 {
		g.Failed(from, "x", at, limits, false)
	}
	g.Succeeded(from)
	count, _ := g.Failed(from, "x", at, limits, false)
	assert.Equal(t, 1, count)
	for range 20 {
		_, shut := g.Failed(from, "x", at, limits, true)
		assert.False(t, shut)
	}
	assert.Equal(t, 5, g.Suspects(at, limits.Window)[0].Failures)
	assert.Empty(t, g.Suspects(at.Add(time.Hour), limits.Window))
}

func TestBlocksByHandAndAfterARestart(t *testing.T) {
	g := live.NewGate(live.NewFeed(0))
	at := time.Now()
	network, err := live.ParseSource("127.0.99.7/24")
	require.NoError(t, err)
	g.Block(network, live.Block{Since: at, Until: at.Add(time.Hour), Why: "scans", By: "admin"})
	assert.True(t, g.Shut(netip.MustParseAddr("127.0.99.200"), at, false))
	assert.True(t, g.Shut(netip.MustParseAddr("127.0.99.200"), at, true), "by hand, also one that a trunk trusts")
	again := live.NewGate(live.NewFeed(0))
	again.Restore(g.Blocks(at))
	assert.True(t, again.Shut(netip.MustParseAddr("127.0.99.3"), at, false))
	assert.True(t, again.LetIn(network))
	assert.False(t, again.LetIn(network), "it is in already")
	assert.False(t, again.Shut(netip.MustParseAddr("127.0.99.3"), at, false))
	_, err = live.ParseSource("the pier")
	assert.Error(t, err)
}

func TestTheGateForgetsTheOldestOfTooMany(t *testing.T) {
	g := live.NewGate(live.NewFeed(0))
	at := time.Now()
	for i := range live.MaxSources + 10 {
		g.Failed(netip.AddrFrom4([4]byte{10, byte(i >> 16), byte(i >> 8), byte(i)}), "x", at.Add(time.Duration(i)*time.Millisecond), limits, false)
	}
	list := g.Suspects(at.Add(11*time.Second), limits.Window)
	require.Len(t, list, live.MaxSources)
	assert.Equal(t, "10.0.0.10", list[len(list)-1].Source)
}

func TestRate(t *testing.T) {
	var r live.Rate
	at := time.Unix(100, 0)
	var taken []string
	for i := range 5 {
		taken = append(taken, fmt.Sprint(r.Take(at, 3)))
		_ = i
	}
	assert.Equal(t, []string{"true", "true", "true", "false", "false"}, taken)
	assert.True(t, r.Take(at.Add(time.Second), 3))
}

func TestSecretsAndRestoredRegistrations(t *testing.T) {
	s := live.NewSecrets(map[string]string{plan.SecretName("a", plan.Ours, "b"): "x"})
	got, ok := s.Of("a", plan.Ours, "b")
	assert.True(t, ok)
	assert.Equal(t, "x", got)
	s.Set("a", plan.Ours, "b", "")
	_, ok = s.Of("a", plan.Ours, "b")
	assert.False(t, ok)

	now := time.Now()
	b := live.Binding{Trunk: "quay-phones", Account: "quay", Contact: "sip:1@127.0.20.1", Source: "127.0.20.1:5060", Transport: "UDP", Refreshed: now, Until: now.Add(time.Minute)}
	r := live.NewRegistrations(live.NewFeed(0))
	require.NoError(t, r.Bind("quay-phones", "quay", nil, []live.Binding{b}, 1, now))
	changed := r.Changed(now)
	require.Len(t, changed, 1)
	assert.Empty(t, r.Changed(now), "told once")
	r.Again(changed)
	assert.Len(t, r.Changed(now), 1, "unless it could not be kept")
	after := live.NewRegistrations(live.NewFeed(0))
	after.Restore(changed[0].Bindings)
	trunk, id, ok := after.Flow("UDP", "127.0.20.1:5060", now)
	assert.True(t, ok)
	assert.Equal(t, "quay-phones quay", trunk+" "+id)
	assert.Empty(t, after.Changed(now.Add(time.Hour))[0].Bindings, "what expires is to be kept as gone")
	other := b
	other.Contact = "sip:2@127.0.20.1"
	assert.ErrorIs(t, r.Bind("quay-phones", "quay", nil, []live.Binding{other}, 1, now), live.ErrTooManyContacts)
	assert.Equal(t, b.Contact, r.Bindings("quay-phones", "quay", now)[0].Contact, "all of it or nothing")
	require.NoError(t, r.Bind("quay-phones", "quay", []string{b.Contact}, []live.Binding{other}, 1, now), "one in place of another")
	assert.Equal(t, other.Contact, r.Bindings("quay-phones", "quay", now)[0].Contact)
}
