package sip_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
)

// Calls for help, what is known of trunks, and calls that come back.

func trunkIn(p *plan.Plan, id string) *plan.Trunk {
	for i := range p.Trunks {
		if p.Trunks[i].ID == id {
			return &p.Trunks[i]
		}
	}
	return nil
}

// refusesUs is a bench whose Penhallow refuses our registration.
func refusesUs(t *testing.T) flow {
	f := start(t, func(p *plan.Plan) { weRegister(nil, nil, trunkIn(p, "penhallow").Link.SIP) })
	f.Secrets.Set("penhallow", plan.SideOutbound, "main", secret)
	f.penhallow.Send(f.penhallow.Expect("REGISTER").Reply("403 Forbidden", "reg", ""))
	require.Eventually(t, func() bool {
		o, _ := f.Registrations.Our("penhallow", "main")
		return o.State == standing.OurRefused
	}, 10*time.Second, 5*time.Millisecond)
	return f
}

// A trunk that refused our registration is passed over; an emergency call tries it when
// all others have failed.
func TestATrunkThatRefusedUsIsTriedForHelpOnly(t *testing.T) {
	f := refusesUs(t)
	f.phones.Send(request("INVITE", "901914980850", "r1", "", "r1", offer))
	to := f.ostrel.Expect("INVITE")
	f.ostrel.Send(to.Reply("503 Service Unavailable", "x", ""))
	f.ostrel.Expect("ACK")
	f.phones.Expect("SIP/2.0 503")
	c := f.WaitEnd(t, "r1")
	assert.Contains(t, trail.Text(c.Trail), "skip penhallow, down: outbound registration failed: 403 Forbidden")

	f.phones.Send(request("INVITE", "999", "r2", "", "r2", offer))
	to = f.ostrel.Expect("INVITE")
	f.ostrel.Send(to.Reply("486 Busy Here", "x", ""))
	f.ostrel.Expect("ACK")
	last := f.penhallow.Expect("INVITE")
	assert.Contains(t, last.StartLine, "sip:999@")
	f.penhallow.Send(last.Reply("200 OK", "callee", strings.ReplaceAll(sdpType+answer, "127.1.30.1", "127.1.31.1")))
	f.phones.Expect("SIP/2.0 200")
}

// No limit of ours ends an emergency call, not even one behind a prefix: every channel in
// use, too many calls in a second, a trunk that is out of service.
func TestLimitsDoNotHoldBackACallForHelp(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		phones := trunkIn(p, "quay-phones")
		phones.Channels, phones.CallsPerSecond = 1, 1
	})
	f.answered(t, "one")
	time.Sleep(time.Until(time.Now().Truncate(time.Second).Add(time.Second))) // all that follows in one second
	f.phones.Send(request("INVITE", "901914980850", "two", "", "two", offer))
	f.phones.Expect("SIP/2.0 503")
	for id, called := range map[string]string{"help": "999", "behind": "9999", "service": "112"} {
		f.phones.Send(request("INVITE", called, id, "", id, offer))
		to := f.ostrel.Expect("INVITE")
		assert.Contains(t, []string{"999", "112"}, strings.TrimPrefix(strings.Split(strings.Fields(to.StartLine)[1], "@")[0], "sip:"), id)
		f.ostrel.Send(to.Reply("200 OK", "callee"+id, sdpType+answer))
		f.ostrel.Expect("ACK")
		f.phones.Expect("SIP/2.0 200")
		f.Wait(t, id, func(c record.Call) bool { return !c.Answered.IsZero() })
	}
	f.Trunks.SetService(standing.Service{Trunk: "quay-phones", Word: standing.Off})
	f.phones.Send(request("INVITE", "999", "off", "", "off", offer))
	f.ostrel.Expect("INVITE")
}

// Source: RFC 5031: an emergency service is called by its URN.
func TestAnEmergencyServiceIsCalledByItsURN(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		p.Switches[0].Region.Emergency = []plan.EmergencyNumber{{Number: "112", Service: "fire"}}
	})
	for urn, want := range map[string]string{"urn:service:sos": "999", "urn:service:sos.fire": "112", "urn:service:sos.police": "999"} {
		id := strings.ReplaceAll(urn, ":", "-")
		text := strings.ReplaceAll(request("INVITE", "x", id, "", id, offer), "INVITE sip:x@127.1.10.1:5060", "INVITE "+urn)
		f.phones.Send(strings.ReplaceAll(text, "To: <sip:x@127.1.10.1>", "To: <"+urn+">"))
		to := f.ostrel.Expect("INVITE")
		assert.Contains(t, to.StartLine, "sip:"+want+"@", urn)
		f.ostrel.Send(to.Reply("200 OK", "callee", sdpType+answer))
		f.ostrel.Expect("ACK")
		f.phones.Expect("SIP/2.0 200")
	}
	text := strings.ReplaceAll(request("INVITE", "x", "other", "", "other", offer), "INVITE sip:x@127.1.10.1:5060", "INVITE urn:service:counseling")
	f.phones.Send(text)
	f.phones.Expect("SIP/2.0 416")
}

// A credential of ours that is not taken says nothing of the call, which goes on.
func TestARefusedCredentialGoesOn(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		trunkIn(p, "ostrel").Link.SIP.OutboundAccounts = []plan.Account{{ID: "main", User: "skerry"}}
		for i := range p.Paths {
			p.Paths[i].FailoverCauses = nil
		}
	})
	f.Secrets.Set("ostrel", plan.SideOutbound, "main", secret)
	const asks = `Proxy-Authenticate: Digest realm="ostrel", nonce="n1", algorithm=SHA-256, qop="auth"`
	for id, status := range map[string]string{"c1": "403 Forbidden", "c2": "407 Proxy Authentication Required"} {
		f.phones.Send(request("INVITE", "901914980850", id, "", id, offer))
		f.ostrel.Send(f.ostrel.Expect("INVITE").Reply("407 Proxy Authentication Required", "a"+id, asks))
		f.ostrel.Expect("ACK")
		f.ostrel.Send(f.ostrel.Expect("INVITE").Reply(status, "b"+id, asks))
		f.ostrel.Expect("ACK")
		next := f.penhallow.Expect("INVITE")
		f.penhallow.Send(next.Reply("486 Busy Here", "c", ""))
		f.penhallow.Expect("ACK")
		f.phones.Expect("SIP/2.0 486")
		assert.Contains(t, trail.Text(f.WaitEnd(t, id).Trail), "fails over, credentials of the switch rejected")
	}
	trunk, _ := f.Plan.Current().Snapshot.Trunk("ostrel")
	state := f.Trunks.Judge(*trunk, f.Registrations, f.Gate, time.Now())
	assert.Equal(t, "it rejects the switch's credentials", state.Cause)
	assert.Contains(t, state.Evidence, "2 calls since the last that was accepted")
}

// A refusal is told in the far end's own words (RFC 3261 section 20.43, RFC 3326), with the
// codecs if it took none of them.
func TestARefusalIsToldInItsOwnWords(t *testing.T) {
	f := start(t, nil)
	for id, c := range map[string]struct {
		status, want string
		fields       []string
	}{
		"w": {"404 Not Found", `Warning: "No such account there"`, []string{`Warning: 399 ostrel.example "No such account there"`}},
		"r": {"503 Service Unavailable", `Reason: "No channel free"`, []string{`Reason: Q.850;cause=34;text="No channel free"`}},
		"c": {"488 Not Acceptable Here", "it was offered PCMA/8000", nil},
		"n": {"404 Not Found", "", nil},
	} {
		f.phones.Send(request("INVITE", "901914980850", id, "", id, offer))
		f.ostrel.Send(f.ostrel.Expect("INVITE").Reply(c.status, id, strings.Join(c.fields, "\r\n")))
		f.ostrel.Expect("ACK")
		if c.status[0] == '5' {
			f.penhallow.Send(f.penhallow.Expect("INVITE").Reply("486 Busy Here", "b", ""))
			f.penhallow.Expect("ACK")
		}
		f.phones.Expect("SIP/2.0 4")
		var told string
		for _, s := range f.WaitEnd(t, id).Trail {
			if s.Heard != nil && s.Heard.Trunk.ID == "ostrel" {
				told = s.Heard.Detail
			}
		}
		assert.Equal(t, c.want, told, id)
	}
}

// A call that another switch sends back with the number that it had here is known by its
// name (RFC 7989) and refused, so that it does not multiply.
func TestACallThatComesBackEnds(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		s := trunkIn(p, "quay-cape").Link.SIP
		*s = plan.SIP{RemoteAddress: livetest.Address("127.0.12.1:5060"), TrustedAddresses: []string{livetest.Address("127.0.12.1")}}
	})
	cape := livetest.NewPeer(t, "127.0.12.1:5060")
	f.phones.Send(request("INVITE", "844101", "loop", "", "loop", offer))
	out := cape.Expect("INVITE")
	assert.Equal(t, "8", out.Header("Max-Forwards"), "a call passes so many of our switches at most")
	back := strings.NewReplacer("127.1.20.1", "127.1.12.1").Replace(request("INVITE", "844101", "back", "", "back", offer, "Session-ID: "+out.Header("Session-ID")))
	cape.Send(back)
	cape.Expect("SIP/2.0 482")
	assert.Contains(t, trail.Text(f.WaitEnd(t, "back").Trail), "loop: the call passed")
	other := strings.ReplaceAll(strings.ReplaceAll(back, "844101", "2010"), "back", "other")
	cape.Send(other)
	f.phones.Expect("INVITE") // with another number it is no circle
}
