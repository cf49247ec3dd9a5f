package sip_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live/call"
)

// A test call that begins in the switch goes by the plan, as if it came from the phones,
// over the real trunk: it is sent a tone and listened to, and ends by itself.
func TestAPlacedCallIsHeardBothWays(t *testing.T) {
	f := through(t, nil)
	far := speak(t, "127.1.30.1:41000")
	leg, err := f.Control.PlaceCall(decide.Call{Trunk: "quay-phones", Called: digits.MustNumber("901914980850"), Caller: callerid.Of(digits.MustNumber("2001"))}, 2*time.Second)
	require.NoError(t, err)
	invite := f.ostrel.Expect("INVITE")
	assert.Contains(t, invite.StartLine, "sip:+441914980850@", "by the plan and the contract")
	f.ostrel.Send(invite.Reply("200 OK", "callee", sdpType+answer))
	f.ostrel.Expect("ACK")
	assert.True(t, far.hears(), "the tone")
	for range 5 {
		far.say(toldIn(t, invite.Body()))
	}
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("200 OK", "callee", ""))
	c := f.WaitEnd(t, leg)
	assert.Regexp(t, "^the test was over; 5 packets of audio came; [1-9][0-9]* packets of tone were sent$", c.Release)
	assert.EqualValues(t, 5, c.Legs[1].Media.Heard.Packets)
	assert.Contains(t, c.Trail[0].Received.By, decide.PlacedCall)
	assert.False(t, f.Control.EndPlaced(leg), "it is over")
}

// Nobody answers, the first trunk refuses, somebody gives up: the call goes by the plan.
func TestAPlacedCallHuntsAndCanBeEnded(t *testing.T) {
	f := start(t, nil)
	leg, err := f.Control.PlaceCall(decide.Call{Trunk: "quay-phones", Called: digits.MustNumber("901914980850"), Caller: callerid.Of(digits.MustNumber("2001"))}, time.Second)
	require.NoError(t, err)
	f.ostrel.Send(f.ostrel.Expect("INVITE").Reply("503 Service Unavailable", "a", ""))
	f.ostrel.Expect("ACK")
	f.penhallow.Send(f.penhallow.Expect("INVITE").Reply("180 Ringing", "b", ""))
	f.Wait(t, leg, func(c record.Call) bool { return len(c.Legs) == 3 })
	require.Eventually(t, func() bool { return f.Control.EndPlaced(leg) }, time.Second, 10*time.Millisecond)
	f.penhallow.Send(f.penhallow.Expect("CANCEL").Reply("200 OK", "b", ""))
	c := f.WaitEnd(t, leg)
	assert.Contains(t, trail.Text(c.Trail), "abandoned")
}

func TestPlacedCallsAreBounded(t *testing.T) {
	f := start(t, nil)
	place := func() error {
		_, err := f.Control.PlaceCall(decide.Call{Trunk: "quay-phones", Called: digits.MustNumber("901914980850")}, time.Minute)
		return err
	}
	for range call.MaxTests {
		require.NoError(t, place())
	}
	assert.ErrorIs(t, place(), call.ErrTooManyTests)
	_, err := f.Control.PlaceCall(decide.Call{Trunk: "nobody", Called: digits.MustNumber("1")}, time.Second)
	assert.ErrorIs(t, err, call.ErrNoTrunk)
}

// A carrier that knows us by a name, and by another user than the one that signs.
func TestNamesThatCarriersKnowUsBy(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		s := trunkIn(p, "ostrel").Link.SIP
		s.PublicName = "switch.skerry.example"
		s.OutboundAccounts = []plan.Account{{ID: "main", User: "skerry", AuthUser: "a-100217"}}
	})
	f.Secrets.Set("ostrel", plan.SideOutbound, "main", secret)
	f.phones.Send(request("INVITE", "901914980850", "n1", "", "n1", offer))
	invite := f.ostrel.Expect("INVITE")
	assert.Equal(t, "<sip:switch.skerry.example:5060>", invite.Header("Contact"))
	assert.Contains(t, invite.Header("From"), "@switch.skerry.example")
	assert.Contains(t, invite.Header("Via"), "switch.skerry.example:5060;")
	f.ostrel.Send(invite.Reply("407 Proxy Authentication Required", "a", `Proxy-Authenticate: Digest realm="ostrel", nonce="n1", algorithm=SHA-256, qop="auth"`))
	f.ostrel.Expect("ACK")
	signed := f.ostrel.Expect("INVITE").Header("Proxy-Authorization")
	assert.Contains(t, signed, `username="a-100217"`)
}

// A test call is not sent elsewhere, and nobody takes its place: the switch itself is in it.
func TestATestCallIsNotTransferred(t *testing.T) {
	f := startServices(t, nil)
	for id, answered := range map[string]bool{"ringing": false, "connected": true} {
		_, err := f.Control.TestCall("quay-phones", digits.MustNumber("2001"), digits.MustNumber("2002"), time.Second)
		require.NoError(t, err)
		invite := f.phones.Expect("INVITE sip:2001@")
		f.phones.Send(invite.Reply("180 Ringing", "desk", "Contact: <sip:2001@127.1.20.1:5060>"))
		if answered {
			f.phones.Send(invite.Reply("200 OK", "desk", phonesType+offer))
			f.phones.Expect("ACK")
			f.phones.Send(within("REFER", invite, "127.1.20.1", "desk", 1, "", "Refer-To: <sip:2002@127.1.10.1>"))
			f.phones.Expect("SIP/2.0 500")
		}
		replaces := fmt.Sprintf("Replaces: %s;to-tag=%s;from-tag=desk", invite.CallID, tagOf(invite.Header("From")))
		require.Eventually(t, func() bool { // until the switch has heard that it rings
			f.phones.Send(request("INVITE", "2001", "take-"+id+fmt.Sprint(time.Now().UnixNano()), "", "take"+id+fmt.Sprint(time.Now().UnixNano()), offer, replaces))
			return strings.HasPrefix(f.phones.Expect("SIP/2.0 4").StartLine, "SIP/2.0 488")
		}, 10*time.Second, 10*time.Millisecond)
		if !answered {
			f.phones.Send(invite.Reply("486 Busy Here", "desk", ""))
			f.phones.Expect("ACK")
			continue
		}
		f.phones.Send(f.phones.Expect("BYE").Reply("200 OK", "desk", ""))
	}
}
