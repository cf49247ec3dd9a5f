package sip_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
)

const secondAt = "127.1.30.5:5060"

// twoServers is a bench whose first carrier has a second server.
func twoServers(t *testing.T, watch int) (f flow, second *livetest.Peer) {
	f = start(t, func(p *plan.Plan) {
		for i := range p.Trunks {
			if p.Trunks[i].ID == "ostrel" {
				p.Trunks[i].Link.SIP.Targets = []plan.Target{{Address: secondAt, Priority: 10}}
				p.Trunks[i].Link.SIP.OptionsIntervalSeconds = watch
			}
		}
		for i := range p.Paths {
			p.Paths[i].Timers.NoResponseMs = 300
		}
	})
	return f, livetest.NewPeer(t, secondAt)
}

// RFC 3263 section 4.3: a server without service is a reason to try the next, on
// the same trunk and in the same try of the path.
func TestTheNextServerIsTried(t *testing.T) {
	f, second := twoServers(t, 0)
	f.phones.Send(request("INVITE", "901914980850", "v1", "", "v1", offer))
	f.ostrel.Send(f.ostrel.Expect("INVITE").Reply("503 Service Unavailable", "a", ""))
	f.ostrel.Expect("ACK")
	again := second.Expect("INVITE")
	assert.Contains(t, again.StartLine, "@127.1.30.5:5060")
	second.Send(again.Reply("486 Busy Here", "b", ""))
	second.Expect("ACK")
	f.phones.Expect("SIP/2.0 486")
	require.Eventually(t, func() bool { return !f.call("v1").Ended.IsZero() }, 5*time.Second, 10*time.Millisecond)
	c := f.call("v1")
	require.Len(t, c.Legs, 3)
	var next []string
	for _, s := range c.Trail {
		if s.Heard != nil {
			next = append(next, s.Heard.Next)
		}
	}
	assert.Equal(t, []string{"next-server", "ends"}, next)

	// It is remembered for a while: the next call goes to the other server at once.
	f.phones.Send(request("INVITE", "901914980850", "v2", "", "v2", offer))
	second.Send(second.Expect("INVITE").Reply("486 Busy Here", "b", ""))
	f.phones.Expect("SIP/2.0 486")
	require.Eventually(t, func() bool { return !f.call("v2").Ended.IsZero() }, 5*time.Second, 10*time.Millisecond)
	assert.Len(t, f.call("v2").Legs, 2)
}

func TestASilentServerCostsItsTimeOnce(t *testing.T) {
	f, second := twoServers(t, 0)
	f.phones.Send(request("INVITE", "901914980850", "v3", "", "v3", offer))
	f.ostrel.Expect("INVITE") // and nothing
	second.Send(second.Expect("INVITE").Reply("404 Not Found", "b", ""))
	f.phones.Expect("SIP/2.0 404")
	require.Eventually(t, func() bool { return !f.call("v3").Ended.IsZero() }, 5*time.Second, 10*time.Millisecond)
	assert.Equal(t, trail.ReportNoResponse, f.call("v3").Trail[len(f.call("v3").Trail)-4].Heard.What)
}

// OPTIONS says which server answers, and which does not.
func TestWhichServerAnswersIsKnown(t *testing.T) {
	f, second := twoServers(t, 1)
	f.ostrel.Expect("OPTIONS") // and nothing
	second.Send(second.Expect("OPTIONS").Reply("200 OK", "b", ""))
	require.Eventually(t, func() bool {
		w := f.Trunks.State("ostrel").Watch
		return w.Answers && strings.Contains(w.Evidence, "200 OK from 127.1.30.5:5060; no answer from 127.1.30.1:5060")
	}, 10*time.Second, 10*time.Millisecond, f.Trunks.State("ostrel").Watch.Evidence)
}

// We register at the first server that serves, stay there, and call there first, since
// a far end may know an account at that one alone.
func TestARegistrationIsAtOneOfSeveralServers(t *testing.T) {
	const spare = "127.1.31.5:5060"
	setup := registering(func(phones, ostrel, penhallow *plan.SIP) {
		weRegister(phones, ostrel, penhallow)
		penhallow.Targets = []plan.Target{{Address: spare, Priority: 10}}
	})
	setup.Second = 20 * time.Millisecond
	f := startWith(t, setup)
	second := livetest.NewPeer(t, spare)
	f.Secrets.Set("penhallow", plan.SideOutbound, "main", secret)
	f.penhallow.Send(f.penhallow.Expect("REGISTER").Reply("503 Service Unavailable", "a", ""))
	second.Send(second.Expect("REGISTER").Reply("200 OK", "b", "Expires: 100"))
	require.Eventually(t, func() bool { return f.Registrations.OurServer("penhallow") == spare }, 5*time.Second, 5*time.Millisecond)
	second.Send(second.Expect("REGISTER").Reply("200 OK", "b", "Expires: 2000000")) // refreshed where it is
	_, err := f.Control.TestCall("penhallow", digits.MustNumber("01914980850"), digits.Number{}, time.Second)
	require.NoError(t, err)

	assert.Contains(t, second.Expect("INVITE").StartLine, "@"+spare)
}
