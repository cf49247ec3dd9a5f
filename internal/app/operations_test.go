package app_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/livetest"
	"switchback.example/switchback/internal/store/storetest"
)

func trunk(c *apptest.Client, id string) (d api.TrunkDetail) {
	c.Ask("GET", "/api/trunks/"+id, nil, &d)
	return d
}

// word waits until a trunk has a word.
func word(t *testing.T, c *apptest.Client, id, want string) (d api.TrunkDetail) {
	t.Helper()
	require.Eventually(t, func() bool { d = trunk(c, id); return d.State.Word == want }, 60*time.Second, 50*time.Millisecond,
		"%s never became %s: %+v", id, want, d.State)
	return d
}

func settled(t *testing.T, c *apptest.Client, id string) (v api.Test) {
	t.Helper()
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+id, nil, &v)
		return v.State == "over" && v.Call != nil && !v.Call.Running
	}, 60*time.Second, 50*time.Millisecond)
	return v
}

// The demo as it is: the phones register, one carrier asks for our credential and
// calls from four addresses, with one we register, one is known by its address; what
// was proved turns false when a far end loses its power, calls go over, and all of
// it comes back.
func TestTheWholeDemoFailsAndComesBack(t *testing.T) {
	c := apptest.WholeDemo(t, storetest.DSN(t))
	phones := word(t, c, "quay-phones", "registered")
	assert.Equal(t, "digest", phones.Link.SIP.InboundAuth)
	require.Len(t, phones.Accounts, 1)
	assert.True(t, phones.Accounts[0].Secret)
	assert.Equal(t, "127.1.20.1:5060", phones.Accounts[0].Contacts[0].Source)
	penhallow := word(t, c, "penhallow", "registered")
	assert.Equal(t, "outbound", penhallow.Accounts[0].Side)
	assert.Equal(t, "registered", penhallow.Accounts[0].State)
	_, figures := scrape(t, "/metrics")
	assert.Contains(t, figures, `switchback_registrations{direction="in",state="registered",trunk="quay-phones"} 1`)
	assert.Contains(t, figures, `switchback_registrations{direction="out",state="registered",trunk="penhallow"} 1`)
	word(t, c, "ostrel", "answers")
	word(t, c, "tamarack", "answers")
	word(t, c, "quay-cape", "answers")
	assert.Len(t, phones.Exposure, 2)

	var placed api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "9 0191 498 0850"}, &placed)
	got := settled(t, c, placed.ID)
	require.NotNil(t, got.Call)
	assert.Equal(t, "ostrel", got.Call.Result.Attempts[0].Trunk, "by our credential")
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "84 4101"}, &placed)
	over := settled(t, c, placed.ID)
	assert.Equal(t, "answered", string(over.Call.Result.Outcome), "over two switches, by TCP")

	// One call over two switches is one call: its records find each other.
	var calls api.CallPage
	c.Ask("GET", "/api/calls", nil, &calls)
	var joined api.CallDetail
	for _, call := range calls.Calls {
		if call.Switch == "quay" && strings.HasPrefix(call.CalledIn, "84") {
			c.Ask("GET", "/api/calls/"+call.ID, nil, &joined)
		}
	}
	require.Len(t, joined.Joined, 1)
	assert.Equal(t, "cape", joined.Joined[0].Switch)

	// Four calls in, from the carrier's four addresses in turn.
	for range 4 {
		c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "ostrel", Called: "+442079460401", Caller: "+447700900999"}, &placed)
		settled(t, c, placed.ID)
	}
	for _, s := range trunk(c, "ostrel").Sources {
		assert.NotNil(t, s.Last, "%s: each address with its last traffic", s.Source)
	}

	c.Ask("POST", "/api/stand-ins/ostrel/stop", nil, nil)
	c.Ask("POST", "/api/stand-ins/penhallow/stop", nil, nil)
	c.Ask("POST", "/api/stand-ins/quay-phones/stop", nil, nil)
	assert.Contains(t, word(t, c, "ostrel", "failing").State.Cause, "OPTIONS")
	word(t, c, "penhallow", "failing")
	word(t, c, "quay-phones", "failing")
	c.Ask("POST", "/api/stand-ins/penhallow/start", nil, nil)
	c.Ask("POST", "/api/stand-ins/quay-phones/start", nil, nil)
	word(t, c, "penhallow", "registered")
	word(t, c, "quay-phones", "registered")
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "9 0191 498 0850"}, &placed)
	got = settled(t, c, placed.ID)
	assert.Equal(t, "penhallow", got.Call.Result.Attempts[1].Trunk, "the second way out")
	c.Ask("POST", "/api/stand-ins/ostrel/start", nil, nil)
	day := word(t, c, "ostrel", "answers")
	var words []string
	for _, s := range day.Day {
		words = append(words, s.Word)
	}
	assert.Subset(t, words, []string{"answers", "failing"})
	assert.Greater(t, day.Availability, 0.0)
	assert.Less(t, day.Availability, 1.0)
	assert.Greater(t, day.Traffic.AnswerSeconds, 0.0)
}

// Registrations, blocks, secrets and what is out of service outlast the process.
func TestOperationalStateOutlastsTheProcess(t *testing.T) {
	livetest.Lock(t) // over both processes: nobody else may take the addresses in between
	dsn := storetest.DSN(t)
	c := apptest.WholeDemo(t, dsn)
	before := word(t, c, "quay-phones", "registered")
	word(t, c, "ostrel", "answers")
	var placed api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "9 0191 498 0850"}, &placed)
	settled(t, c, placed.ID)
	c.Ask("PUT", "/api/trunks/tamarack/service", api.ServicePut{Word: "off", Why: "works on the line"}, nil)
	c.Ask("POST", "/api/blocked-sources", api.BlockPut{Source: "127.0.99.0/24", Hours: 2, Why: "scans"}, nil)
	var shown api.SecretShown
	c.Ask("PUT", "/api/trunks/quay-phones/secrets/inbound/quay", api.SecretPut{}, &shown)
	assert.Len(t, shown.Secret, 26, "made, and shown this once")
	require.Eventually(t, func() bool {
		var gate api.BlockedSources
		c.Ask("GET", "/api/blocked-sources", nil, &gate)
		return len(gate.Blocks) == 1
	}, 5*time.Second, 20*time.Millisecond)
	c.Stop()

	again := apptest.WholeDemo(t, dsn)
	got := trunk(again, "quay-phones")
	require.NotEmpty(t, got.Accounts[0].Contacts)
	assert.WithinDuration(t, before.Accounts[0].Contacts[0].Since, got.Accounts[0].Contacts[0].Since, time.Second, "registered all the while")
	state := trunk(again, "tamarack").State
	assert.Equal(t, "off", state.Word)
	assert.Equal(t, "works on the line", state.Cause)
	assert.Equal(t, 1, trunk(again, "ostrel").Traffic.Sent)
	assert.InDelta(t, 1.0, trunk(again, "ostrel").Traffic.ASR, 0)
	var gate api.BlockedSources
	again.Ask("GET", "/api/blocked-sources", nil, &gate)
	require.Len(t, gate.Blocks, 1)
	assert.Equal(t, "127.0.99.0/24", gate.Blocks[0].Source)
	assert.Equal(t, apptest.User, gate.Blocks[0].By)
	again.Ask("DELETE", "/api/blocked-sources?source=127.0.99.0/24", nil, &gate)
	assert.Empty(t, gate.Blocks)
	again.Problem(404, "DELETE", "/api/blocked-sources?source=127.0.99.0/24", nil)
}

func TestServiceGateAndSecretsByHand(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	// Off: skipped on the way out, and refused on the way in.
	c.Ask("PUT", "/api/trunks/ostrel/service", api.ServicePut{Word: "draining", Minutes: 5, Why: "before works"}, nil)
	assert.Equal(t, "draining", trunk(c, "ostrel").State.Word)
	var placed api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "9 0191 498 0850"}, &placed)
	got := settled(t, c, placed.ID)
	assert.Equal(t, "off", got.Call.Result.Attempts[0].Reason)
	assert.Equal(t, "penhallow", got.Call.Result.Attempts[1].Trunk)
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "ostrel", Called: "+442079460401", Caller: "+447700900999"}, &placed)
	assert.Contains(t, settled(t, c, placed.ID).Call.Result.Steps[1].Ended.Why, "takes no new call")
	c.Ask("PUT", "/api/trunks/ostrel/service", api.ServicePut{Word: "in"}, nil)
	assert.NotEqual(t, "draining", trunk(c, "ostrel").State.Word)

	// Who else sits there is said before somebody is blocked.
	var behind api.Behind
	c.Ask("GET", "/api/blocked-sources/behind?source=127.1.30.0/24", nil, &behind)
	assert.Equal(t, []string{"Ostrel"}, behind.Trunks)
	assert.True(t, behind.Trusted)
	assert.False(t, behind.You)
	assert.Contains(t, c.Problem(409, "POST", "/api/blocked-sources", api.BlockPut{Source: "127.0.0.0/8", Hours: 1, Why: "all"}).Detail, "your own browser")
	assert.Contains(t, c.Problem(422, "GET", "/api/blocked-sources/behind?source=the-pier", nil).Detail, "invalid address or network")

	// A secret is set before its trunk is live, and said to be set, never shown.
	var draft plan.Plan
	c.Ask("GET", "/api/draft/plan", nil, &draft)
	was := *plan.NewIndex(draft).Trunks["ostrel"]
	is := was
	is.Link = was.Link.Clone()
	is.Link.SIP.OutboundAccounts = []plan.Account{{ID: "second", User: "skerry"}}
	c.Ask("PUT", "/api/draft/trunks/ostrel", api.Put[plan.Trunk]{Is: is, Was: &was}, nil)
	secrets := func() (list []api.SecretState) {
		c.Ask("GET", "/api/draft/trunks/ostrel/secrets", nil, &list)
		return list
	}
	assert.Equal(t, []api.SecretState{{Side: "outbound", ID: "second", User: "skerry"}}, secrets())
	c.Ask("PUT", "/api/trunks/ostrel/secrets/outbound/second", api.SecretPut{Secret: "as they gave it"}, nil)
	assert.Equal(t, []api.SecretState{{Side: "outbound", ID: "second", User: "skerry", Set: true}}, secrets())
	c.Problem(404, "GET", "/api/draft/trunks/nobody/secrets", nil)

	c.Problem(404, "PUT", "/api/trunks/ostrel/secrets/outbound/nobody", api.SecretPut{Secret: "x"})
	c.Problem(404, "GET", "/api/trunks/nobody", nil)
	c.Problem(422, "PUT", "/api/trunks/ostrel/service", map[string]any{"word": "sideways"})
}

// A straight test call: the digits as typed, past the plan; its record says so.
func TestStraightTestCall(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	record := func(digits, caller string) (d api.CallDetail) {
		var placed api.TestCallPlaced
		c.Ask("POST", "/api/trunks/ostrel/test-call", api.TestCall{Digits: digits, Caller: caller, Seconds: 1}, &placed)
		require.Eventually(t, func() bool {
			c.Ask("GET", "/api/calls/"+placed.Call, nil, &d)
			return !d.Running
		}, 30*time.Second, 50*time.Millisecond)
		return d
	}
	d := record("+441914980850", "+441914980100")
	assert.Equal(t, "answered", d.Outcome)
	assert.Regexp(t, "^the test was over; [1-9][0-9]* packets of audio came; [1-9][0-9]* packets of tone were sent$", d.Release)
	assert.Equal(t, "straight test call", d.TrunkIn)
	assert.Contains(t, record("01914980850", "").Why, "Unallocated", "no contract helps: the carrier wants +44")
	c.Problem(422, "POST", "/api/trunks/ostrel/test-call", api.TestCall{Digits: "call me", Seconds: 1})
	c.Problem(404, "POST", "/api/trunks/nobody/test-call", api.TestCall{Digits: "1", Seconds: 1})
}
