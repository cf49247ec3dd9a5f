package live_test

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/live"
)

func TestSecretsAndRestoredRegistrations(t *testing.T) {
	s := live.NewSecrets(map[string]string{plan.SecretName("a", plan.SideOutbound, "b"): "x"})
	got, ok := s.Of("a", plan.SideOutbound, "b")
	assert.True(t, ok)
	assert.Equal(t, "x", got)
	s.Set("a", plan.SideOutbound, "b", "")
	_, ok = s.Of("a", plan.SideOutbound, "b")
	assert.False(t, ok)

	now := time.Now()
	b := standing.Binding{Trunk: "quay-phones", Account: "quay", Contact: "sip:1@127.0.20.1", Source: "127.0.20.1:5060", Transport: "UDP", Refreshed: now, Until: now.Add(time.Minute)}
	r := live.NewRegistrations(live.NewFeed(0))
	require.NoError(t, r.Bind("quay-phones", "quay", nil, []standing.Binding{b}, 1, now))
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
	assert.True(t, after.Stands(netip.MustParsePrefix("127.0.20.0/24")))
	assert.True(t, after.Stands(netip.MustParsePrefix("127.0.20.1/32")))
	assert.False(t, after.Stands(netip.MustParsePrefix("127.0.21.0/24")))
	assert.Empty(t, after.Changed(now.Add(time.Hour))[0].Bindings, "what expires is to be kept as gone")
	assert.False(t, after.Stands(netip.MustParsePrefix("127.0.20.1/32")))
	other := b
	other.Contact = "sip:2@127.0.20.1"
	assert.ErrorIs(t, r.Bind("quay-phones", "quay", nil, []standing.Binding{other}, 1, now), live.ErrTooManyContacts)
	assert.Equal(t, b.Contact, r.Bindings("quay-phones", "quay", now)[0].Contact, "all of it or nothing")
	require.NoError(t, r.Bind("quay-phones", "quay", []string{b.Contact}, []standing.Binding{other}, 1, now), "one in place of another")
	assert.Equal(t, other.Contact, r.Bindings("quay-phones", "quay", now)[0].Contact)
}
