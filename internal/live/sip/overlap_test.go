package sip_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
	"switchback.example/switchback/internal/standin"
)

// oneByOne lets the quay phones send their digits as they are pressed.
func oneByOne(p *plan.Plan) {
	for i := range p.Trunks {
		if p.Trunks[i].ID == "quay-phones" {
			p.Trunks[i].Overlap = plan.Overlap{Enabled: true, FirstDigitMs: 1500, PartialMs: 1500, CriticalMs: 1000, EndMark: true}
		}
	}
}

// Source: RFC 3578 section 3: INVITEs of one Call-ID and From tag, the earlier ones
// answered 484. The caller is a stand-in on a SIP library of other hands.
func TestDigitsPressedOneByOne(t *testing.T) {
	b := livetest.Start(t, livetest.Setup{Change: oneByOne})
	for name, c := range map[string]struct {
		dial, called, collected string
		outcome                 trail.Outcome
	}{
		"an extension goes with its last digit":         {"2150", "2150", "no longer number does", trail.Answered},
		"so does a national number behind an open rule": {"901914980850", "+441914980850", "no longer number does", trail.Answered},
		"an emergency number waits for nothing":         {"999", "999", "connects at once", trail.Answered},
		"a number abroad waits for a longer one":        {"90016175550180", "0016175550180", "waited 1000 ms: rule Abroad matches, and longer numbers too, for example 900161755501800", trail.Answered},
		"a # ends it":                                   {"90016175550180#", "0016175550180", "ended by #", trail.Answered},
		"too few digits reach the operator":             {"90191", "2000", "waited 1500 ms: more digits needed", trail.Answered},
		"a wrong number reaches the operator at once":   {"5", "2000", "also for longer numbers", trail.Answered},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			id := b.Place(t, "quay-phones", standin.Dial{Called: c.dial, Caller: "2001", Talk: 50 * time.Millisecond, OneByOne: 40 * time.Millisecond})
			got := b.WaitEnd(t, id)
			res := decide.Summarize(got.Trail)
			assert.Equal(t, c.outcome, res.Outcome, trail.Text(got.Trail))
			assert.Equal(t, c.called, res.Called, trail.Text(got.Trail))
			require.NotNil(t, got.Trail[0].Received)
			assert.Contains(t, got.Trail[0].Received.Collected, c.collected)
			records := 0
			for _, other := range b.Calls() {
				if other.Legs[0].Key == got.Legs[0].Key {
					records++
				}
			}
			assert.Equal(t, 1, records, "one call, however many INVITEs")
		})
	}
}

// The messages themselves, by bare sockets.
func TestEarlierInvitesOfANumberAreAnswered484(t *testing.T) {
	f := start(t, oneByOne)
	f.phones.Send(request("INVITE", "90191498", "o1", "", "o1a", offer))
	assert.True(t, f.ostrel.Silent(100*time.Millisecond), "more digits needed")
	f.phones.Send(strings.Replace(request("INVITE", "901914980850", "o1", "", "o1b", offer), "1 INVITE", "2 INVITE", 1))
	assert.Equal(t, "1 INVITE", f.phones.Expect("SIP/2.0 484").Header("CSeq"))
	toCarrier := f.ostrel.Expect("INVITE")
	assert.Contains(t, toCarrier.Text, "INVITE sip:+441914980850@")

	// One that comes late, though it was sent before, is the one that is overtaken.
	f.phones.Send(strings.Replace(request("INVITE", "9019", "o2", "", "o2b", offer), "1 INVITE", "2 INVITE", 1))
	assert.True(t, f.ostrel.Silent(50*time.Millisecond))
	f.phones.Send(request("INVITE", "901", "o2", "", "o2a", offer))
	assert.Equal(t, "1 INVITE", f.phones.Expect("SIP/2.0 484").Header("CSeq"))

	// A digit too many is no second call.
	f.ostrel.Send(toCarrier.Reply("180 Ringing", "callee", ""))
	f.phones.Expect("SIP/2.0 180")
	f.phones.Send(strings.Replace(request("INVITE", "9019149808501", "o1", "", "o1c", offer), "1 INVITE", "3 INVITE", 1))
	assert.Equal(t, "3 INVITE", f.phones.Expect("SIP/2.0 484").Header("CSeq"))
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
}

// Each INVITE of a number gives its channel back before the next takes one, and none but
// the first counts as a call that begins.
func TestANumberTakesOneChannelAndOneCall(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		oneByOne(p)
		p.Trunks[0].Channels, p.Trunks[0].CallsPerSecond = 1, 1
	})
	const number = "901914980850"
	for i := 1; i <= len(number); i++ {
		seq := fmt.Sprintf("%d INVITE", i)
		f.phones.Send(strings.Replace(request("INVITE", number[:i], "o3", "", fmt.Sprint("o3-", i), offer), "1 INVITE", seq, 1))
		if i > 1 {
			assert.Equal(t, fmt.Sprintf("%d INVITE", i-1), f.phones.Expect("SIP/2.0 484").Header("CSeq"))
		}
	}
	assert.Contains(t, f.ostrel.Expect("INVITE").Text, "INVITE sip:+441914980850@")
}

// A caller who hangs up while digits are waited for.
func TestHangingUpBeforeTheNumberIsComplete(t *testing.T) {
	f := start(t, oneByOne)
	f.phones.Send(request("INVITE", "9019", "o4", "", "o4", offer))
	f.phones.Expect("SIP/2.0 100")
	f.phones.Send(request("CANCEL", "9019", "o4", "", "o4", ""))
	f.phones.Expect("SIP/2.0 200")
	f.phones.Expect("SIP/2.0 487")
	got := f.WaitEnd(t, "o4")
	assert.Equal(t, trail.Abandoned, decide.Summarize(got.Trail).Outcome)
}
