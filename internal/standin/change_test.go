package standin

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAStandInIsSetOtherwiseAsItRuns(t *testing.T) {
	s, err := NewSet([]Config{
		{ID: "one", Address: "127.1.41.1:5060", Switch: "127.1.41.9:5060", RefusesNoise: true, Registers: &Account{"one", "secret"}},
		{ID: "two", Address: "127.1.41.2:5060", Switch: "127.1.41.9:5060"},
	})
	require.NoError(t, err)
	require.NoError(t, s.Start())
	t.Cleanup(s.Stop)

	yes := true
	one, err := s.Change("one", Change{CallsTo: "127.1.41.8:5060", ListensOn: []string{"127.1.41.1:5060", "127.1.41.3:5060"}, User: "first", TakesNoise: &yes})
	require.NoError(t, err)
	assert.True(t, one.Running())
	assert.Same(t, one, s.Find("one"))
	assert.Same(t, one, s.All()[0])
	assert.Equal(t, Config{
		ID: "one", Address: "127.1.41.1:5060", Also: []string{"127.1.41.3:5060"}, Switch: "127.1.41.8:5060", Registers: &Account{"first", "secret"},
	}, one.Config)

	// An address that another has: it runs on as it was, and says why.
	_, err = s.Change("one", Change{ListensOn: []string{"127.1.41.2:5060"}})
	require.ErrorContains(t, err, "127.1.41.2:5060")
	assert.True(t, s.Find("one").Running())
	assert.Equal(t, "127.1.41.1:5060", s.Find("one").Address)

	for _, c := range []struct {
		change Change
		why    string
	}{
		{Change{User: "second"}, "no account with the switch"},
		{Change{OurUser: "switch"}, "no single account"},
		{Change{Encrypts: &yes}, "SRTP keys are readable"},
	} {
		_, err = s.Change("two", c.change)
		assert.ErrorContains(t, err, c.why)
	}
	_, err = s.Change("three", Change{})
	assert.ErrorContains(t, err, "there is no stand-in three")

	// What is stopped stays so.
	s.Find("two").Stop()
	two, err := s.Change("two", Change{CallsTo: "127.1.41.8:5060"})
	require.NoError(t, err)
	assert.False(t, two.Running())
}
