package app_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/store/storetest"
)

func heard(t *testing.T, c *apptest.Client, from, dial string) *api.MediaVerdict {
	t.Helper()
	var placed api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: from, Called: dial, TalkSeconds: 1}, &placed)
	v := settled(t, c, placed.ID)
	require.NotNil(t, v.Media, "%+v", v)
	return v.Media
}

// What is said of the sound rests on what arrived: muting one side changes it.
func TestSoundIsJudgedByWhatArrived(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	both := heard(t, c, "2001", "9 0191 498 0850")
	assert.Equal(t, "both-ways", both.Verdict)
	assert.Equal(t, "audio both ways", both.Why)
	assert.True(t, both.Through)
	assert.Greater(t, both.AtCalled.Packets, int64(20))
	assert.Zero(t, both.AtCalled.Lost)
	assert.InDelta(t, 1, both.AtCalled.Tone, 0.1)
	mute := heard(t, c, "2001", "9 0191 498 0820")
	assert.Equal(t, "one-way", mute.Verdict)
	assert.Contains(t, mute.Why, "the called side hears the caller, the caller hears nothing")
	assert.Zero(t, mute.AtCalled.Sent)
}

func TestSoundThatGoesDirectIsHeardToo(t *testing.T) {
	c := apptest.SignedIn(t, func(p *plan.Plan) {
		for i := range p.Trunks {
			p.Trunks[i].Media.Path, p.Trunks[i].Media.Encryption = plan.MediaDirect, ""
		}
	})
	v := heard(t, c, "2001", "9 0191 498 0850")
	assert.Equal(t, "both-ways", v.Verdict)
	assert.False(t, v.Through)
}

// Over two switches the sound goes through both.
func TestSoundGoesOverTwoSwitches(t *testing.T) {
	c := apptest.WholeDemo(t, storetest.DSN(t))
	word(t, c, "quay-phones", "registered")
	word(t, c, "quay-cape", "answers")
	assert.Equal(t, "both-ways", heard(t, c, "2001", "84 4105").Verdict)
}

// Deskline takes its calls over TLS and encrypted, with + and without comfort noise;
// the phones offer noise, and nothing encrypted (RFC 3711, RFC 4568, RFC 3389).
func TestACloudPlatformTakesCallsBothWays(t *testing.T) {
	c := apptest.WholeDemo(t, storetest.DSN(t))
	word(t, c, "quay-phones", "registered")
	word(t, c, "deskline", "answers")
	for from, dial := range map[string]string{"2345": "2385", "deskline": "+441914980101"} {
		var placed api.Test
		ask := api.TestAsk{Mode: "live", Plan: "live", From: from, Called: dial, TalkSeconds: 1}
		if from == "deskline" {
			ask.Caller = "+442079460485"
		}
		c.Ask("POST", "/api/test-calls", ask, &placed)
		v := settled(t, c, placed.ID)
		require.NotNil(t, v.Media, "%s: %+v", from, v)
		assert.Equal(t, "both-ways", v.Media.Verdict, "%s: %s", from, v.Media.Why)
		cloud, phones := 1, 0
		if from == "deskline" {
			cloud, phones = 0, 1
		}
		assert.True(t, v.Call.Legs[cloud].Media.Encrypted)
		assert.False(t, v.Call.Legs[phones].Media.Encrypted)
		assert.Zero(t, v.Call.Legs[cloud].Media.Heard.Spoiled)
		keys := 0
		for _, m := range v.Call.Ladder.Arrows {
			assert.NotRegexp(t, `inline:[^*]`, m.Text, "keys are kept nowhere")
			if strings.Contains(m.Text, "a=crypto") {
				keys++
				assert.NotContains(t, m.Text, "CN/8000")
			}
		}
		assert.Equal(t, 2, keys, "an offer and an answer")
	}
}
