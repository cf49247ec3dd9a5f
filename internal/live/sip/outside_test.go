package sip_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/livetest"
)

// RFC 3261 sections 8.1.2 and 16.12: with an outbound proxy the request goes there,
// asks for what it asked for before, and names the proxy as a loose router. Within the
// dialog the routes are those that were recorded.
func TestAnOutboundProxy(t *testing.T) {
	f := ostrelNumbers(t, func(s *plan.SIP) { s.OutboundProxy = "127.1.31.1:5060" })
	f.phones.Send(request("INVITE", "901914980850", "p1", "", "p1", offer))
	atProxy := f.penhallow.Expect("INVITE sip:+441914980850@127.1.30.1:5060 ")
	assert.Equal(t, "<sip:127.1.31.1:5060;lr>", atProxy.Header("Route"))
	f.penhallow.Send(atProxy.Reply("200 OK", "callee", "Record-Route: <sip:127.1.31.1:5060;lr>\nContact: <sip:127.1.30.1:5060>\nContent-Type: application/sdp\n\n"+answer))
	ack := f.penhallow.Expect("ACK sip:127.1.30.1:5060 ")
	assert.Equal(t, "<sip:127.1.31.1:5060;lr>", ack.Header("Route"))
	ok := f.phones.Expect("SIP/2.0 200")
	f.phones.Send(request("ACK", "901914980850", "p1", tagOf(ok.Header("To")), "p1ack", ""))
	f.phones.Send(strings.Replace(request("BYE", "901914980850", "p1", tagOf(ok.Header("To")), "p1bye", ""), "CSeq: 1", "CSeq: 2", 1))
	f.phones.Expect("SIP/2.0 200")
	bye := f.penhallow.Expect("BYE sip:127.1.30.1:5060 ")
	assert.Equal(t, "<sip:127.1.31.1:5060;lr>", bye.Header("Route"))
	f.penhallow.Send(bye.Reply("200 OK", "callee", ""))

	// One that nobody takes up gets its CANCEL by the same road (section 9.1).
	f.phones.Send(request("INVITE", "901914980850", "p2", "", "p2", offer))
	atProxy = f.penhallow.Expect("INVITE")
	f.penhallow.Send(atProxy.Reply("180 Ringing", "callee", ""))
	f.phones.Expect("SIP/2.0 180")
	f.phones.Send(request("CANCEL", "901914980850", "p2", "", "p2", ""))
	cancel := f.penhallow.Expect("CANCEL sip:+441914980850@127.1.30.1:5060 ")
	assert.Equal(t, "<sip:127.1.31.1:5060;lr>", cancel.Header("Route"))
}

// Before a translator of addresses the far end is told the public address, in the
// signalling and for the sound; the other side of the call is not.
func TestAPublicAddress(t *testing.T) {
	f := through(t, func(_ *plan.Switch, _, _ *plan.Media) {})
	live := f.Plan.Current().Snapshot.Plan()
	live.Trunks = append([]plan.Trunk{}, live.Trunks...)
	trunkOf(&live, "ostrel").Link.SIP.PublicAddress = "127.1.99.9:5070"
	f.GoLive(t, live)
	f.phones.Send(request("INVITE", "901914980850", "p3", "", "p3", offer))
	atCarrier := f.ostrel.Expect("INVITE")
	assert.Equal(t, "<sip:127.1.99.9:5070>", atCarrier.Header("Contact"))
	assert.Contains(t, atCarrier.Header("From"), "@127.1.99.9:5070>")
	assert.Contains(t, atCarrier.Body(), "c=IN IP4 127.1.99.9\r\n")
	f.ostrel.Send(atCarrier.Reply("200 OK", "callee", sdpType+answer))
	ok := f.phones.Expect("SIP/2.0 200")
	assert.NotContains(t, ok.Text, "127.1.99.9")
	assert.Contains(t, ok.Body(), "c=IN IP4 127.1.10.1\r\n")
	require.Contains(t, livetest.SwitchAt(), "127.1.10.1")
}
