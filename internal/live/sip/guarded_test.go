package sip_test

import (
	"fmt"
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/livetest"
)

// What a forger writes into datagrams cuts nobody off: not the phones whose address it
// bears, not their registration, not their calls for help.
func TestForgedDatagramsCutNobodyOff(t *testing.T) {
	f := startRegistering(t, nil)
	f.enrol(t)
	answers := func() (n int) {
		for !f.phones.Silent(100 * time.Millisecond) {
			n++
		}
		return n
	}
	for i := range 40 { // as a forger would send it: from the phones' socket, whose answers it does not read
		id := fmt.Sprintf("forged%d", i)
		text := request("INVITE", "901914980850", id, "", id, offer, `Authorization: Digest username="quay-phones", realm="quay", nonce="none", uri="sip:a", response="x"`)
		if i%2 == 0 {
			text = register("1", id, `Authorization: Digest username="quay-phones", realm="quay", nonce="none", uri="sip:a", response="x"`)
		}
		f.phones.Send(text)
	}
	assert.Positive(t, answers(), "each is asked again, at a pace")
	assert.Empty(t, f.Gate.Blocks(time.Now()))
	assert.Empty(t, f.Gate.Suspects(time.Now(), time.Hour), "nothing came back, so nobody has failed")
	time.Sleep(time.Second) // the pace of challenges
	call := request("INVITE", "901914980850", "after", "", "after", offer)
	f.phones.Send(call)
	challenged := f.phones.Expect("SIP/2.0 401")
	f.phones.Send(strings.NewReplacer("CSeq: 1", "CSeq: 2", "z9hG4bKafter", "z9hG4bKafter2").Replace(
		with(call, proof(t, challenged, "SHA-256", "INVITE", "sip:901914980850@127.1.10.1:5060", "quay-phones", secret, 1))))
	f.ostrel.Expect("INVITE")
}

// Requests within a call are taken from where the call lives. What is refused stands at the
// trunk, so that a carrier's other servers are found.
func TestARequestWithinACallComesFromItsFarEnd(t *testing.T) {
	change := func(p *plan.Plan) {
		for i := range p.Trunks {
			p.Trunks[i].Media.Path, p.Trunks[i].Media.Encryption = plan.MediaDirect, ""
		}
		trunkOf(p, "ostrel").Services.Transfer = true
	}
	f := start(t, change)
	toCarrier, ok := f.answered(t, "w1")
	elsewhere := livetest.NewPeer(t, "127.0.99.7:5060")
	forge := func(method, cseq string, more ...string) string {
		return strings.Join(append([]string{
			method + " sip:127.1.10.1:5060 SIP/2.0", "Via: SIP/2.0/UDP 127.1.30.1:5060;branch=z9hG4bKx" + method + cseq + ";rport", "Max-Forwards: 70",
			"From: " + toCarrier.Header("To") + ";tag=callee", "To: " + toCarrier.Header("From"), "Call-ID: " + toCarrier.CallID, "CSeq: " + cseq + " " + method,
		}, append(more, "Content-Length: 0", "", "")...), "\n")
	}
	for i, method := range []string{"BYE", "INVITE", "UPDATE", "INFO", "PRACK", "ACK", "REFER", "CANCEL"} {
		elsewhere.Send(forge(method, fmt.Sprint(i+1), "Refer-To: <sip:+441914980777@127.1.10.1>", "Contact: <sip:127.1.99.7:5060>"))
	}
	assert.True(t, elsewhere.Silent(300*time.Millisecond), "as from anybody whom no trunk knows")
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
	f.Wait(t, "w1", func(c record.Call) bool { return c.Running() })
	strays := f.Trunks.Strays("ostrel", time.Now())
	require.Len(t, strays, 1)
	assert.Equal(t, []any{"127.1.99.7", "UDP", int64(8)}, []any{strays[0].Source, strays[0].By, strays[0].Count})
	assert.Contains(t, strays[0].Why, "within a call of this trunk")
	// And once it is trusted, it may.
	f.GoLive(t, livetest.Plan(t, func(p *plan.Plan) {
		change(p)
		trunkOf(p, "ostrel").Link.SIP.TrustedAddresses = append(trunkOf(p, "ostrel").Link.SIP.TrustedAddresses, "127.1.99.7")
	}))
	elsewhere.Send(forge("BYE", "20"))
	elsewhere.Expect("SIP/2.0 200")
	f.phones.Expect("BYE")
	assert.NotEmpty(t, ok.CallID)
	assert.Equal(t, "the called party hung up", f.WaitEnd(t, "w1").Release)
}

// A far end with a credential may move: it is asked for it, and goes on from elsewhere.
func TestAPhoneThatMovedProvesItself(t *testing.T) {
	f := startRegistering(t, nil)
	f.enrol(t)
	call := request("INVITE", "901914980850", "m1", "", "m1", offer)
	f.phones.Send(call)
	challenged := f.phones.Expect("SIP/2.0 401")
	f.phones.Send(strings.NewReplacer("CSeq: 1", "CSeq: 2", "z9hG4bKm1", "z9hG4bKm2").Replace(
		with(call, proof(t, challenged, "SHA-256", "INVITE", "sip:901914980850@127.1.10.1:5060", "quay-phones", secret, 1))))
	out := f.ostrel.Expect("INVITE")
	f.ostrel.Send(out.Reply("200 OK", "callee", sdpType+answer))
	ok := f.phones.Expect("SIP/2.0 200")
	f.phones.Send(strings.Replace(request("ACK", "901914980850", "m1", tagOf(ok.Header("To")), "m1ack", ""), "CSeq: 1", "CSeq: 2", 1))
	f.Wait(t, "m1", func(c record.Call) bool { return !c.Answered.IsZero() })

	moved := livetest.NewPeer(t, "127.0.20.77:5060")
	moved.Send(request("CANCEL", "901914980850", "m1", tagOf(ok.Header("To")), "m9", ""))
	assert.True(t, moved.Silent(200*time.Millisecond), "it is never challenged (RFC 3261 section 22.1)")
	bye := func(cseq, branch string, more ...string) string {
		text := strings.Replace(request("BYE", "901914980850", "m1", tagOf(ok.Header("To")), branch, "", more...), "CSeq: 1", "CSeq: "+cseq, 1)
		return text
	}
	moved.Send(bye("3", "m3"))
	again := moved.Expect("SIP/2.0 401")
	moved.Send(bye("4", "m4", proof(t, again, "SHA-256", "BYE", "sip:901914980850@127.1.10.1:5060", "quay-phones", "wrong", 1)))
	assert.True(t, moved.Silent(1300*time.Millisecond), "as from a stranger")
	f.Wait(t, "m1", func(c record.Call) bool { return c.Running() })
	moved.Send(bye("5", "m5"))
	again = moved.Expect("SIP/2.0 401")
	moved.Send(bye("6", "m6", proof(t, again, "SHA-256", "BYE", "sip:901914980850@127.1.10.1:5060", "quay-phones", secret, 1)))
	moved.Expect("SIP/2.0 200")
	assert.Equal(t, "the caller hung up", f.WaitEnd(t, "m1").Release)
}

// An answer without a quality of protection can be used again: it is refused unless the
// account allows it, and serves once then.
func TestOldAnswersAreRefusedUnlessAllowed(t *testing.T) {
	for _, allowed := range []bool{false, true} {
		t.Run(fmt.Sprint(allowed), func(t *testing.T) {
			f := startRegistering(t, func(phones, _, _ *plan.SIP) { phones.InboundAccounts[0].OldDigest = allowed })
			f.phones.Send(register("1", "o1"))
			challenged := f.phones.Expect("SIP/2.0 401")
			plain := challenged
			plain.Text = strings.ReplaceAll(challenged.Text, `, qop="auth"`, `, opaque="o"`) // the library answers the old way then
			p := proof(t, plain, "MD5", "REGISTER", registrar, "quay-phones", secret, 1)
			require.NotContains(t, p, "qop")
			f.phones.Send(register("2", "o2", p))
			if !allowed {
				f.phones.Expect("SIP/2.0 403")
				assert.Contains(t, f.Trunks.State("quay-phones").Refused.Why, "quality of protection")
				return
			}
			f.phones.Expect("SIP/2.0 200")
			f.phones.Send(register("3", "o3", p, "Contact: <sip:2001@127.1.20.1:5060>;expires=0"))
			assert.Contains(t, f.phones.Expect("SIP/2.0 401").Header("WWW-Authenticate"), "stale=true", "each nonce serves once")
			assert.Len(t, f.Registrations.Bindings("quay-phones", "quay", time.Now()), 1)
		})
	}
}

// Plain UDP and TCP are not a trunk that demands TLS, whatever address they come from.
func TestATrunkThatDemandsTLSTakesNothingElse(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		trunkOf(p, "deskline").Link.SIP.TrustedAddresses = []string{"127.1.24.1"}
	})
	for _, peer := range []*livetest.Peer{livetest.NewPeer(t, "127.0.24.1:5061"), livetest.Dial(t, "127.0.24.1:0")} {
		text := strings.ReplaceAll(request("INVITE", "901914980850", "d1", "", "d1", offer), "127.1.20.1", "127.1.24.1")
		peer.Send(text)
		assert.True(t, peer.Silent(300*time.Millisecond))
	}
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
	strays := f.Trunks.Strays("deskline", time.Now())
	require.NotEmpty(t, strays)
	assert.Contains(t, strays[0].Why, "it takes TLS, and this came by")
}

// A person may block a trunk's address. Calls for help from there pass, and what runs goes on;
// nothing else does.
func TestAPersonsBlockLetsCallsForHelpPass(t *testing.T) {
	f := start(t, nil)
	_, ok := f.answered(t, "before")
	now := time.Now()
	require.True(t, f.Gate.Block(netip.MustParsePrefix("127.1.20.0/24"), guard.Block{Since: now, Until: now.Add(time.Hour), Why: "noise", By: "engineer"}))
	f.phones.Send(request("INVITE", "901914980851", "h1", "", "h1", offer))
	f.phones.Send(strings.Replace(request("OPTIONS", "2001", "h2", "", "h2", ""), "OPTIONS sip:2001@", "OPTIONS sip:", 1))
	assert.True(t, f.phones.Silent(300*time.Millisecond))
	f.phones.Send(request("INVITE", "999", "h3", "", "h3", offer))
	f.phones.Expect("SIP/2.0 100")
	help := f.ostrel.Expect("INVITE")
	f.ostrel.Send(help.Reply("200 OK", "help", sdpType+answer))
	f.phones.Expect("SIP/2.0 200")
	f.phones.Send(request("BYE", "901914980850", "before", tagOf(ok.Header("To")), "beforebye", ""))
	f.Wait(t, "before", func(c record.Call) bool { return !c.Running() })
	_, known := f.CallByLeg("h1")
	assert.False(t, known)
}

// A stranger that floods uses up its own share; how many, and of which kind, is counted, and
// who floods is named.
func TestWhatFloodsCostIsCounted(t *testing.T) {
	f := start(t, nil)
	stranger := livetest.NewPeer(t, "127.0.99.1:5060")
	for i := range 200 {
		stranger.Send(request("OPTIONS", "x", fmt.Sprintf("n%d", i), "", fmt.Sprintf("n%d", i), ""))
	}
	require.Eventually(t, func() bool { return f.Agent.Unknown() == 200 }, 10*time.Second, 5*time.Millisecond)
	by := f.Agent.UnknownBy()
	assert.GreaterOrEqual(t, by[sip.MetFlood], int64(100))
	assert.EqualValues(t, 200, by[sip.MetFlood]+by[sip.MetDropped])
	assert.Empty(t, f.Gate.Blocks(time.Now()), "any address can be written into a datagram")
	list, _ := f.Strangers.List(time.Time{}, 10)
	require.Len(t, list, 1)
	assert.Equal(t, by[sip.MetFlood], list[0].Floods)
	assert.EqualValues(t, 200, list[0].Count)
	f.answered(t, "beside")
}
