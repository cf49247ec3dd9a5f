package sip_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/livetest"
	"switchback.example/switchback/internal/standin"
)

// byName is a bench whose first carrier is found by its name.
func byName(t *testing.T, records ...string) (flow, *standin.NameServer) {
	n, err := standin.NewNameServer(records)
	require.NoError(t, err)
	require.NoError(t, n.Start("127.1.53.4:0"))
	t.Cleanup(n.Stop)
	f := startWith(t, livetest.Setup{NameServer: n.Address(), Change: func(p *plan.Plan) {
		for i := range p.Trunks {
			if p.Trunks[i].ID == "ostrel" {
				p.Trunks[i].Link.SIP.RemoteAddress, p.Trunks[i].Link.SIP.DNSName = "", "ostrel.example"
			}
		}
	}})
	return f, n
}

func TestAFarEndIsFoundByItsName(t *testing.T) {
	f, n := byName(t, "_sip._udp.ostrel.example. 1 IN SRV 1 1 5060 a.ostrel.example.", "a.ostrel.example. 1 IN A 127.1.30.1")
	found := func() bool { return len(f.Trunks.State("ostrel").Lookup.Targets) == 1 }
	require.Eventually(t, found, 5*time.Second, 10*time.Millisecond)
	f.phones.Send(request("INVITE", "901914980850", "n1", "", "n1", offer))
	invite := f.ostrel.Expect("INVITE")
	assert.Contains(t, invite.Header("To"), "@ostrel.example>")
	f.ostrel.Send(invite.Reply("486 Busy Here", "a", ""))
	f.phones.Expect("SIP/2.0 486")
	f.ostrel.Expect("ACK")

	// The name server dies: what it said is used on, and that it is away is known.
	n.Stop()
	require.Eventually(t, func() bool { return f.Trunks.State("ostrel").Lookup.Err != "" }, 15*time.Second, 20*time.Millisecond)
	assert.True(t, found())
	f.phones.Send(request("INVITE", "901914980850", "n2", "", "n2", offer))
	f.ostrel.Send(f.ostrel.Expect("INVITE").Reply("486 Busy Here", "a", ""))
	f.phones.Expect("SIP/2.0 486")
}

// A name that leads nowhere costs the call no time: it goes on at once.
func TestANameThatLeadsNowhere(t *testing.T) {
	f, _ := byName(t, "penhallow.example. 60 IN A 127.1.31.1")
	require.Eventually(t, func() bool { return f.Trunks.State("ostrel").Lookup.Err != "" }, 5*time.Second, 10*time.Millisecond)
	f.phones.Send(request("INVITE", "901914980850", "n3", "", "n3", offer))
	f.penhallow.Send(f.penhallow.Expect("INVITE").Reply("486 Busy Here", "a", ""))
	f.phones.Expect("SIP/2.0 486")
}
