package sip_test

import (
	"fmt"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/livetest"
)

// Garbage and whole INVITEs from an address that no trunk knows, and garbage
// from one that is trusted, while calls are made: the calls go through, the
// flood is counted, and it neither fills the recordings nor leaves anything
// behind.
func TestAFloodHoldsUpNoCallAndFillsNoRecording(t *testing.T) {
	const bursts, burst = 60, 100
	f := start(t, nil)
	f.answered(t, "before")
	before := runtime.NumGoroutine()
	stranger := livetest.NewPeer(t, "127.0.99.1:5060")
	began := time.Now()
	sent := int64(0)
	flood := func() {
		for i := range burst {
			sent++
			if i%2 == 0 {
				stranger.Send(request("INVITE", "999", fmt.Sprintf("flood%d", sent), "", fmt.Sprintf("f%d", sent), offer))
			} else {
				stranger.Send(strings.Repeat("\x00\xff garbage ", 1+i%100))
			}
			if i%10 == 0 {
				f.penhallow.Send(strings.Repeat("\xfe", i))
			}
		}
		// The socket's buffer is finite: what is not read yet must not push out
		// the calls of this test, whose sockets repeat nothing.
		require.Eventually(t, func() bool { return f.Agent.Unknown() == sent }, 10*time.Second, time.Millisecond)
	}
	for i := range bursts {
		flood()
		if i%10 == 0 {
			id := fmt.Sprintf("call%d", i)
			_, ok := f.answered(t, id)
			flood()
			f.phones.Send(request("BYE", "901914980850", id, tagOf(ok.Header("To")), id+"bye", ""))
			f.phones.Expect("SIP/2.0 200")
			bye := f.ostrel.Expect("BYE")
			f.ostrel.Send(bye.Reply("200 OK", "", ""))
			assert.Equal(t, "the caller hung up", f.WaitEnd(t, id).Release)
		}
	}
	assert.EqualValues(t, (bursts+bursts/10)*burst, f.Agent.Unknown())
	assert.True(t, stranger.Silent(200*time.Millisecond), "nobody unknown gets an answer")
	recorded := 0
	for _, m := range f.Messages() {
		if strings.HasPrefix(m.Remote, "127.1.99.1") {
			recorded++
		}
	}
	seconds := int(time.Since(began).Seconds()) + 2
	assert.LessOrEqual(t, recorded, seconds*sip.UnknownKept)
	assert.Positive(t, recorded, "a sample is kept, to see what they wanted")
	assert.Len(t, f.Calls(), 1+bursts/10, "no call came of it")
	require.Eventually(t, func() bool { return runtime.NumGoroutine() < before+50 }, 60*time.Second, 50*time.Millisecond)
	f.Wait(t, "before", func(c record.Call) bool { return c.Running() })
}
