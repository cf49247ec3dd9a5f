package sip_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
	"switchback.example/switchback/internal/standin"
)

// lit tells whether the lamp of an extension burns.
func lit(b *livetest.Bench, extension string) bool {
	for _, l := range b.StandIns.Find("quay-phones").Lamps() {
		if l.Extension == extension {
			return l.On
		}
	}
	return false
}

// With the demo's stand-ins, sound through the switch: 2182 does not answer and its
// calls go to voicemail; its lamp lights, and goes out when it has listened.
func TestAForwardedCallLightsTheRightLamp(t *testing.T) {
	b := livetest.Start(t, livetest.Setup{})
	id := b.Place(t, "ostrel", standin.Dial{Called: "+441914980282", Caller: "+441914980999", Talk: 1500 * time.Millisecond})
	c := b.WaitEnd(t, id)
	assert.Equal(t, "harbourbox", trail.Attempts(c.Trail)[1].Trunk)
	require.Eventually(t, func() bool { return lit(b, "2182") }, 10*time.Second, 10*time.Millisecond)
	assert.False(t, lit(b, "2000"))
	heard, ok := b.StandIns.Heard(id)
	require.True(t, ok)
	assert.Greater(t, heard.Tone, 0.9, "the caller heard the mailbox")

	b.WaitEnd(t, b.Place(t, "quay-phones", standin.Dial{Called: "2999", Caller: "2182", Talk: 300 * time.Millisecond}))
	require.Eventually(t, func() bool { return !lit(b, "2182") }, 10*time.Second, 10*time.Millisecond)
	lamps := b.Agent.Lamps.Of("harbourbox")
	require.Len(t, lamps, 1)
	assert.Equal(t, []int{0, 1}, []int{lamps[0].New, lamps[0].Old})
}

// 2183 transfers its callers to the operator: both go on hearing each other, through
// other ports. 2184 transfers to the outside: refused to those who call from there.
func TestTransfersOfTheStandIns(t *testing.T) {
	b := livetest.Start(t, livetest.Setup{})
	id := b.Place(t, "ostrel", standin.Dial{Called: "+441914980283", Caller: "+441914980999", Talk: 20 * time.Second})
	c := b.Wait(t, id, func(c record.Call) bool {
		return len(c.Legs) == 3 && trail.Attempts(c.Trail)[1].Reason == "" && c.Legs[2].Media != nil
	})
	operator := c.Legs[2].Key
	require.Eventually(t, func() bool {
		h, ok := b.StandIns.Heard(operator)
		return ok && h.Packets > 20 && h.Tone > 0.9
	}, 10*time.Second, 20*time.Millisecond, "the operator hears the caller")
	before, _ := b.StandIns.Heard(id)
	require.Eventually(t, func() bool {
		h, _ := b.StandIns.Heard(id)
		return h.Packets > before.Packets+20
	}, 10*time.Second, 20*time.Millisecond, "and the caller the operator")
	b.StandIns.Find("ostrel").HangUp(id)
	assert.Equal(t, "the caller hung up", b.WaitEnd(t, id).Release)

	id = b.Place(t, "ostrel", standin.Dial{Called: "+441914980284", Caller: "+441914980999", Talk: 20 * time.Second})
	c = b.Wait(t, id, func(c record.Call) bool {
		last := c.Trail[len(c.Trail)-1]
		return len(trail.Attempts(c.Trail)) == 3 && last.Ended != nil
	})
	assert.True(t, c.Running(), "the call goes on")
	assert.Equal(t, 403, c.Trail[len(c.Trail)-1].Ended.Cause.SIP)
}
