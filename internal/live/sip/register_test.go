package sip_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/icholy/digest"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/livetest"
)

// Registration and credentials, with bare sockets on the other side. The digests
// of far ends are computed by github.com/icholy/digest, not by our own code.

const secret = "lantern-tide-42"

// registering is the demo's quay with phones that register and a carrier that
// wants our credential.
func registering(change func(phones, ostrel, penhallow *plan.SIP)) livetest.Setup {
	return livetest.Setup{Change: func(p *plan.Plan) {
		sip := map[string]*plan.SIP{}
		for i := range p.Trunks {
			sip[p.Trunks[i].ID] = p.Trunks[i].Link.SIP
		}
		phones := sip["quay-phones"]
		*phones = plan.SIP{Registration: plan.RegistrationInbound, InboundAccounts: []plan.Account{{ID: "quay", User: "quay-phones"}}, MinExpires: 30, MaxExpires: 600, MaxContacts: 2}
		*sip["ostrel"] = plan.SIP{RemoteAddress: livetest.Address(ostrelAt), TrustedAddresses: []string{livetest.Address("127.0.30.1")}}
		*sip["penhallow"] = plan.SIP{RemoteAddress: livetest.Address(penhallowAt), TrustedAddresses: []string{livetest.Address("127.0.31.1")}}
		if change != nil {
			change(phones, sip["ostrel"], sip["penhallow"])
		}
	}}
}

func startRegistering(t *testing.T, change func(phones, ostrel, penhallow *plan.SIP)) flow {
	f := startWith(t, registering(change))
	f.Secrets.Set("quay-phones", plan.SideInbound, "quay", secret)
	return f
}

// with adds header lines to a request.
func with(text string, lines ...string) string {
	return strings.Replace(text, "Max-Forwards:", strings.Join(append(lines, "Max-Forwards:"), "\n"), 1)
}

// proof is the Authorization that answers a challenge.
func proof(t *testing.T, challenged livetest.Received, algorithm, method, uri, user, password string, count int) string {
	for _, line := range strings.Split(challenged.Text, "\r\n") {
		name, value, _ := strings.Cut(line, ": ")
		if !strings.HasSuffix(name, "-Authenticate") || !strings.Contains(value, "algorithm="+algorithm+",") {
			continue
		}
		c, err := digest.ParseChallenge(value)
		require.NoError(t, err)
		answer, err := digest.Digest(c, digest.Options{Method: method, URI: uri, Username: user, Password: password, Count: count})
		require.NoError(t, err)
		return "Authorization: " + answer.String()
	}
	t.Fatalf("no challenge by %s in\n%s", algorithm, challenged.Text)
	return ""
}

const registrar = "sip:127.1.10.1:5060"

// register writes a REGISTER of the phones.
func register(cseq, branch string, lines ...string) string {
	text := strings.Replace(request("REGISTER", "quay-phones", "reg", "", branch, ""), "REGISTER sip:quay-phones@127.1.10.1:5060", "REGISTER "+registrar, 1)
	text = strings.Replace(text, "CSeq: 1 ", "CSeq: "+cseq+" ", 1)
	if strings.Contains(strings.Join(lines, "\n"), "Contact:") {
		text = strings.Replace(text, "Contact: <sip:2001@127.1.20.1:5060>\n", "", 1)
	}
	return with(text, lines...)
}

// enrol registers the phones, and returns the challenge that it answered.
func (f flow) enrol(t *testing.T) livetest.Received {
	f.phones.Send(register("1", "g1"))
	challenged := f.phones.Expect("SIP/2.0 401")
	f.phones.Send(register("2", "g2", proof(t, challenged, "SHA-256", "REGISTER", registrar, "quay-phones", secret, 1)))
	f.phones.Expect("SIP/2.0 200")
	return challenged
}

// fromOstrel writes a call of the carrier to one of our numbers.
func fromOstrel(called, id string) string {
	return strings.NewReplacer("127.1.20.1", "127.1.30.1", "sip:2001@", "sip:+441914980777@").Replace(request("INVITE", called, id, "", id, offer))
}

func TestAPhoneSystemRegistersAndCalls(t *testing.T) {
	f := startRegistering(t, nil)
	f.phones.Send(register("1", "g1", "Expires: 3600"))
	challenged := f.phones.Expect("SIP/2.0 401")
	assert.Contains(t, challenged.Text, `realm="quay"`)
	ok := ""
	for i, algorithm := range []string{"SHA-256", "MD5"} {
		n := fmt.Sprint(2 + i)
		f.phones.Send(register(n, "g"+n, "Expires: 3600", proof(t, challenged, algorithm, "REGISTER", registrar, "quay-phones", secret, 1+i)))
		ok = f.phones.Expect("SIP/2.0 200").Header("Contact")
	}
	assert.Equal(t, "<sip:2001@127.1.20.1:5060>;expires=600", ok, "no longer than the trunk allows")
	bindings := f.Registrations.Bindings("quay-phones", "quay", time.Now())
	require.Len(t, bindings, 1)
	assert.Equal(t, "127.1.20.1:5060", bindings[0].Source)

	// Its calls prove themselves too: a registered flow alone could be forged.
	invite := request("INVITE", "901914980850", "g3", "", "g3", offer)
	f.phones.Send(invite)
	challenged = f.phones.Expect("SIP/2.0 401")
	f.phones.Send(request("ACK", "901914980850", "g3", tagOf(challenged.Header("To")), "g3", ""))
	f.phones.Send(strings.NewReplacer("CSeq: 1", "CSeq: 2", "z9hG4bKg3", "z9hG4bKg4").Replace(
		with(invite, proof(t, challenged, "SHA-256", "INVITE", "sip:901914980850@127.1.10.1:5060", "quay-phones", secret, 1))))
	toCarrier := f.ostrel.Expect("INVITE")
	assert.NotContains(t, toCarrier.Text, "Authorization", "what the caller proved is for us alone")
	c := f.Wait(t, "g3", func(c record.Call) bool { return len(c.Legs) == 2 })
	assert.Equal(t, "registered flow and credentials of account quay-phones", c.Trail[0].Received.By)
	for _, m := range f.Messages() {
		if strings.Contains(string(m.Bytes), "Authorization: ") {
			assert.Contains(t, string(m.Bytes), `response="****`, "not in the recordings either")
		}
	}

	// And calls for it go where it registered from.
	f.ostrel.Send(fromOstrel("+442079460401", "g5"))
	in := f.phones.Expect("INVITE")
	assert.True(t, strings.HasPrefix(in.StartLine, "INVITE sip:2301@127.1.20.1:5060 "), in.StartLine)
}

func TestWhoIsNotRegisteredIsNotCalled(t *testing.T) {
	f := startRegistering(t, nil)
	call := func(id string) record.Call {
		f.ostrel.Send(fromOstrel("+442079460401", id))
		f.ostrel.Expect("SIP/2.0 480")
		return f.WaitEnd(t, id)
	}
	c := call("n1")
	end := c.Trail[len(c.Trail)-1].Ended
	assert.Equal(t, "not-registered", string(end.Own))
	assert.Equal(t, 20, int(end.Cause.Q850))

	challenged := f.enrol(t)
	f.phones.Send(register("3", "g3", "Contact: *", "Expires: 0", proof(t, challenged, "MD5", "REGISTER", registrar, "quay-phones", secret, 2)))
	assert.Empty(t, f.phones.Expect("SIP/2.0 200").Header("Contact"), "gone again")
	call("n2")
}

func TestContactsAndExpiry(t *testing.T) {
	f := startRegistering(t, nil)
	challenged := f.enrol(t)
	count, cseq := 1, 2
	send := func(lines ...string) {
		count, cseq = count+1, cseq+1
		f.phones.Send(register(fmt.Sprint(cseq), fmt.Sprint("x", count), append(lines, proof(t, challenged, "SHA-256", "REGISTER", registrar, "quay-phones", secret, count))...))
	}
	send("Contact: <sip:2001@127.1.20.1:5060>;expires=10")
	assert.Equal(t, "30", f.phones.Expect("SIP/2.0 423").Header("Min-Expires"))
	send("Contact: <sip:desk@127.1.20.1:5062>;expires=40")
	ok := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, 2, strings.Count(ok.Text, "\r\nContact: "), "both contacts are told")
	send("Contact: <sip:third@127.1.20.1:5064>")
	assert.Contains(t, f.phones.Expect("SIP/2.0 403").Header("Warning"), "as many contacts")
	send("Contact: <sip:desk@127.1.20.1:5062>;expires=0")
	f.phones.Expect("SIP/2.0 200")
	send() // asks only
	assert.Equal(t, 1, strings.Count(f.phones.Expect("SIP/2.0 200").Text, "\r\nContact: "))
	send("Contact: *") // without Expires 0
	f.phones.Expect("SIP/2.0 400")
	cseq = 3
	send("Contact: <sip:2001@127.1.20.1:5060>;expires=0")
	assert.Equal(t, "4 REGISTER", f.phones.Expect("SIP/2.0 500").Header("CSeq"), "one that was overtaken changes nothing (section 10.3)")
	assert.Len(t, f.Registrations.Bindings("quay-phones", "quay", time.Now()), 1)
	assert.Empty(t, f.Registrations.Bindings("quay-phones", "quay", time.Now().Add(11*time.Minute)))
	_, _, ok2 := f.Registrations.Flow("UDP", "127.1.20.1:5060", time.Now())
	assert.False(t, ok2, "what expired is nobody's flow")
}

// A replayed answer proves nothing, and counts against nobody. A secret that is wrong, an
// account that is not there: refused slowly, counted, and blocked in the end.
func TestFailuresShutASourceOut(t *testing.T) {
	f := startRegistering(t, nil)
	challenged := f.enrol(t)
	stranger := livetest.NewPeer(t, "127.0.99.1:5060")
	replay := register("9", "r9", proof(t, challenged, "SHA-256", "REGISTER", registrar, "quay-phones", secret, 1))
	stranger.Send(replay)
	assert.Contains(t, stranger.Expect("SIP/2.0 401").Header("WWW-Authenticate"), "stale=true")
	assert.Empty(t, f.Gate.Suspects(time.Now(), time.Minute))
	for i, c := range []struct{ user, secret string }{{"quay-phones", "wrong"}, {"nobody", secret}, {"quay-phones", ""}, {"quay-phones", "Wrong"}} {
		n := fmt.Sprintf("w%d", i)
		stranger.Send(register("1", n))
		again := stranger.Expect("SIP/2.0 401")
		began := time.Now()
		stranger.Send(register("2", n+"b", proof(t, again, "MD5", "REGISTER", registrar, c.user, c.secret, 1)))
		stranger.Expect("SIP/2.0 403")
		assert.GreaterOrEqual(t, time.Since(began), 900*time.Millisecond, "guessing takes time")
	}
	failing := f.Gate.Suspects(time.Now(), time.Minute)
	why := "wrong secret for account quay-phones of Quay phones"
	assert.ElementsMatch(t, []guard.Suspect{
		{Kind: guard.ByAddress, Source: "127.1.99.1", Failures: 4, Last: failing[0].Last, Why: why},
		{Kind: guard.ByAccount, Source: "Quay phones, account quay-phones", Failures: 3, Last: failing[0].Last, Why: why},
	}, failing)
	assert.Empty(t, f.Gate.Blocks(time.Now()))
	stranger.Send(register("1", "w9"))
	again := stranger.Expect("SIP/2.0 401")
	stranger.Send(register("2", "w10", proof(t, again, "MD5", "REGISTER", registrar, "quay-phones", "x", 1)))
	assert.True(t, stranger.Silent(1500*time.Millisecond), "the fifth is not even refused")
	stranger.Send(register("1", "w11"))
	assert.True(t, stranger.Silent(300*time.Millisecond))
	blocks := f.Gate.Blocks(time.Now())
	require.Len(t, blocks, 1)
	assert.Equal(t, "127.1.99.1", blocks[0].Source)
	assert.InDelta(t, 24, blocks[0].Until.Sub(blocks[0].Since).Hours(), 0.01)
	assert.GreaterOrEqual(t, blocks[0].Met, int64(1))

	// The phones go on, and whoever is let in may try again.
	p, err := guard.ParseSource("127.1.99.1")
	require.NoError(t, err)
	assert.True(t, f.Gate.LetIn(p))
	stranger.Send(register("1", "w12"))
	stranger.Expect("SIP/2.0 401")
}

// A far end with a wrong secret is told of at its trunk, until it shows the right one.
func TestAWrongSecretIsToldAtTheTrunk(t *testing.T) {
	f := startRegistering(t, nil)
	phones := func() judge.State {
		trunk, _ := f.Plan.Current().Snapshot.Trunk("quay-phones")
		return f.Trunks.Judge(*trunk, f.Registrations, f.Gate, time.Now())
	}
	assert.Equal(t, "no inbound registration", phones().Cause)
	f.phones.Send(register("1", "w1"))
	f.phones.Send(register("2", "w2", proof(t, f.phones.Expect("SIP/2.0 401"), "MD5", "REGISTER", registrar, "quay-phones", "wrong", 1)))
	f.phones.Expect("SIP/2.0 403")
	assert.Equal(t, "the switch rejects its registration: wrong secret for account quay-phones of Quay phones", phones().Cause)
	assert.Contains(t, phones().Evidence, "from 127.1.20.1, 1 times")
	f.enrol(t)
	assert.Equal(t, standing.Registered, phones().Word)
}

func TestATrustedAddressIsNeverShutOut(t *testing.T) {
	f := startRegistering(t, func(phones, _, _ *plan.SIP) { phones.TrustedAddresses = []string{"127.1.20.1"} })
	for i := range 7 {
		n := fmt.Sprintf("t%d", i)
		f.phones.Send(register("1", n))
		again := f.phones.Expect("SIP/2.0 401")
		f.phones.Send(register("2", n+"b", proof(t, again, "MD5", "REGISTER", registrar, "quay-phones", "wrong", 1)))
		f.phones.Expect("SIP/2.0 403")
	}
	assert.Empty(t, f.Gate.Blocks(time.Now()))
	f.enrol(t)
}

// Nothing unauthenticated gets an outside line: neither a stranger, nor one who
// writes the address of a registered flow, nor a right secret from elsewhere.
func TestSpoofedSourcesGetNoCall(t *testing.T) {
	f := startRegistering(t, func(phones, _, _ *plan.SIP) {
		phones.InboundAuth, phones.TrustedAddresses = plan.AuthBoth, []string{"127.1.20.1"}
	})
	f.enrol(t)
	f.phones.Send(request("INVITE", "901914980850", "s1", "", "s1", offer)) // as a forger would send it
	f.phones.Expect("SIP/2.0 401")
	elsewhere := livetest.NewPeer(t, "127.0.99.1:5060")
	invite := request("INVITE", "901914980850", "s2", "", "s2", offer)
	elsewhere.Send(invite)
	challenged := elsewhere.Expect("SIP/2.0 401")
	elsewhere.Send(strings.NewReplacer("CSeq: 1", "CSeq: 2", "z9hG4bKs2", "z9hG4bKs3").Replace(
		with(invite, proof(t, challenged, "SHA-256", "INVITE", "sip:901914980850@127.1.10.1:5060", "quay-phones", secret, 1))))
	elsewhere.Expect("SIP/2.0 403")
	assert.Contains(t, f.Gate.Suspects(time.Now(), time.Minute)[0].Why, "not trusted by its trunk")
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
	c := f.WaitEnd(t, "s2")
	assert.Contains(t, c.Trail[len(c.Trail)-1].Ended.Why, "from an address not trusted by its trunk", "somebody has the secret: the call is kept and says so")
	assert.Len(t, f.Calls(), 1)
}

// A gateway with an account for each port: the number says which.
func TestOneAccountAPort(t *testing.T) {
	f := startRegistering(t, func(phones, _, _ *plan.SIP) {
		phones.InboundAccounts = []plan.Account{{ID: "quay", User: "quay-phones"}, {ID: "port-1", User: "port1", Number: "2301", Port: "FXS 1"}}
	})
	f.Secrets.Set("quay-phones", plan.SideInbound, "port-1", "port-secret")
	f.enrol(t)
	toPort := func(id string) {
		f.ostrel.Send(fromOstrel("+442079460401", id))
	}
	toPort("p1")
	f.ostrel.Expect("SIP/2.0 480")
	port := livetest.NewPeer(t, "127.0.20.9:5060")
	port.Send(strings.ReplaceAll(register("1", "p2", "Contact: <sip:port1@127.1.20.9:5060>"), "quay-phones@", "port1@"))
	challenged := port.Expect("SIP/2.0 401")
	port.Send(strings.ReplaceAll(register("2", "p3", "Contact: <sip:port1@127.1.20.9:5060>", proof(t, challenged, "SHA-256", "REGISTER", registrar, "port1", "port-secret", 1)), "quay-phones@", "port1@"))
	port.Expect("SIP/2.0 200")
	toPort("p4")
	assert.True(t, strings.HasPrefix(port.Expect("INVITE").StartLine, "INVITE sip:2301@127.1.20.9:5060"))
	f.ostrel.Send(fromOstrel("+442079460402", "p5"))
	assert.True(t, strings.HasPrefix(f.phones.Expect("INVITE").StartLine, "INVITE sip:2302@127.1.20.1:5060"), "the others stay with the account without a number")
}

func weRegister(_, _, penhallow *plan.SIP) {
	penhallow.Registration = plan.RegistrationOutbound
	penhallow.OutboundAccounts = []plan.Account{{ID: "main", User: "skerry", Expires: 100}}
}

const digestChallenge = `WWW-Authenticate: Digest realm="penhallow", nonce="abc", algorithm=MD5, qop="auth"`

func TestWeRegisterWithACarrier(t *testing.T) {
	setup := registering(weRegister)
	setup.Second = 20 * time.Millisecond
	f := startWith(t, setup)
	f.Secrets.Set("penhallow", plan.SideOutbound, "main", secret)
	first := f.penhallow.Expect("REGISTER")
	assert.Equal(t, "REGISTER sip:127.1.31.1:5060 SIP/2.0", first.StartLine)
	assert.Contains(t, first.Header("To"), "sip:skerry@127.1.31.1:5060")
	assert.Equal(t, "100", first.Header("Expires"))
	f.penhallow.Send(first.Reply("401 Unauthorized", "reg", digestChallenge))
	second := f.penhallow.Expect("REGISTER")
	assert.Equal(t, first.CallID, second.CallID)
	c, err := digest.ParseCredentials(second.Header("Authorization"))
	require.NoError(t, err)
	want, err := digest.Digest(&digest.Challenge{Realm: "penhallow", Nonce: "abc", Algorithm: "MD5", QOP: []string{"auth"}}, digest.Options{
		Method: "REGISTER", URI: c.URI, Username: "skerry", Password: secret, Count: 1, Cnonce: c.Cnonce,
	})
	require.NoError(t, err)
	assert.Equal(t, want.Response, c.Response, "as a library of other hands computes it")
	f.penhallow.Send(second.Reply("423 Interval Too Brief", "reg", "Min-Expires: 200"))
	third := f.penhallow.Expect("REGISTER")
	assert.Equal(t, "200", third.Header("Expires"))
	f.penhallow.Send(third.Reply("200 OK", "reg", "Contact: <sip:skerry@127.1.10.1:5060>;expires=150"))
	state := func() standing.OurRegistration { o, _ := f.Registrations.Our("penhallow", "main"); return o }
	require.Eventually(t, func() bool { return state().State == standing.OurRegistered }, 5*time.Second, 5*time.Millisecond)
	assert.Equal(t, "200 OK, for 150 s", state().Evidence)

	refresh := f.penhallow.Expect("REGISTER") // after half of the time
	f.penhallow.Send(refresh.Reply("503 Service Unavailable", "reg", "Retry-After: 1"))
	require.Eventually(t, func() bool { return state().State == standing.OurRefused }, 5*time.Second, 5*time.Millisecond)
	assert.Equal(t, 1, state().Failures)
	assert.GreaterOrEqual(t, time.Until(state().Next), 800*time.Millisecond, "as it asked")
	again := f.penhallow.Expect("REGISTER")
	f.penhallow.Send(again.Reply("403 Forbidden", "reg", ""))
	require.Eventually(t, func() bool { return state().Evidence == "403 Forbidden" && state().Failures == 2 }, 5*time.Second, 5*time.Millisecond)
	wrong := f.penhallow.Expect("REGISTER")
	f.penhallow.Send(wrong.Reply("401 Unauthorized", "reg", digestChallenge))
	f.penhallow.Send(f.penhallow.Expect("REGISTER").Reply("401 Unauthorized", "reg", digestChallenge))
	require.Eventually(t, func() bool { return strings.Contains(state().Evidence, "rejects the switch's credentials") }, 5*time.Second, 5*time.Millisecond)
}

// A far end registers as one user and signs as another: the user of a digest is apart from
// the address of record (RFC 3261 section 22.1).
func TestTheUserThatSignsIsAnother(t *testing.T) {
	f := startRegistering(t, func(phones, _, _ *plan.SIP) { phones.InboundAccounts[0].AuthUser = "line-7" })
	f.phones.Send(register("1", "g1"))
	challenged := f.phones.Expect("SIP/2.0 401")
	f.phones.Send(register("2", "g2", proof(t, challenged, "SHA-256", "REGISTER", registrar, "quay-phones", secret, 1)))
	f.phones.Expect("SIP/2.0 403")
	f.phones.Send(register("3", "g3"))
	challenged = f.phones.Expect("SIP/2.0 401")
	f.phones.Send(register("4", "g4", proof(t, challenged, "SHA-256", "REGISTER", registrar, "line-7", secret, 1)))
	f.phones.Expect("SIP/2.0 200")
}

func TestWeSignAsAnotherThanWeRegister(t *testing.T) {
	setup := registering(func(phones, ostrel, penhallow *plan.SIP) {
		weRegister(phones, ostrel, penhallow)
		penhallow.OutboundAccounts[0].AuthUser = "a-100217"
	})
	f := startWith(t, setup)
	f.Secrets.Set("penhallow", plan.SideOutbound, "main", secret)
	first := f.penhallow.Expect("REGISTER")
	assert.Contains(t, first.Header("To"), "sip:skerry@", "the address of record")
	f.penhallow.Send(first.Reply("401 Unauthorized", "reg", digestChallenge))
	assert.Contains(t, f.penhallow.Expect("REGISTER").Header("Authorization"), `username="a-100217"`)
}

// A carrier that asks for our credential with each request of a call.
func TestACarrierAsksForOurCredential(t *testing.T) {
	f := startWith(t, livetest.Setup{Change: func(p *plan.Plan) {
		for i := range p.Trunks {
			if p.Trunks[i].ID == "ostrel" {
				p.Trunks[i].Link.SIP.OutboundAccounts = []plan.Account{{ID: "main", User: "skerry"}}
			}
		}
	}})
	f.Secrets.Set("ostrel", plan.SideOutbound, "main", secret)
	const asks = `Proxy-Authenticate: Digest realm="ostrel", nonce="n1", algorithm=SHA-256, qop="auth"`
	f.phones.Send(request("INVITE", "901914980850", "k1", "", "k1", offer))
	first := f.ostrel.Expect("INVITE")
	f.ostrel.Send(first.Reply("407 Proxy Authentication Required", "a", asks))
	f.ostrel.Expect("ACK")
	second := f.ostrel.Expect("INVITE")
	assert.Equal(t, "2 INVITE", second.Header("CSeq"))
	assert.Contains(t, second.Header("Proxy-Authorization"), `username="skerry"`)
	f.ostrel.Send(second.Reply("200 OK", "callee", sdpType+answer))
	ack := f.ostrel.Expect("ACK")
	assert.Equal(t, second.Header("Proxy-Authorization"), ack.Header("Proxy-Authorization"), "RFC 3261 section 22.1")
	assert.Equal(t, "2 ACK", ack.Header("CSeq"))
	ok := f.phones.Expect("SIP/2.0 200")
	tag := tagOf(ok.Header("To"))
	f.phones.Send(request("ACK", "901914980850", "k1", tag, "k1ack", ""))
	f.phones.Send(inDialog("INVITE", "k1", tag, "k1b", held, "2"))
	f.ostrel.Send(f.ostrel.Expect("INVITE").Reply("401 Unauthorized", "callee", strings.Replace(asks, "Proxy", "WWW", 1)))
	f.ostrel.Expect("ACK")
	re := f.ostrel.Expect("INVITE")
	assert.Equal(t, "4 INVITE", re.Header("CSeq"))
	f.ostrel.Send(re.Reply("200 OK", "callee", sdpType+holding))
	f.ostrel.Expect("ACK")
	f.phones.Expect("SIP/2.0 200")
	f.phones.Send(inDialog("ACK", "k1", tag, "k1c", "", "2"))
	f.phones.Send(inDialog("BYE", "k1", tag, "k1d", "", "3"))
	f.phones.Expect("SIP/2.0 200")
	f.ostrel.Send(f.ostrel.Expect("BYE").Reply("407 Proxy Authentication Required", "callee", asks))
	assert.Equal(t, "6 BYE", f.ostrel.Expect("BYE").Header("CSeq"))
}

// A challenge that we cannot meet is a refusal like another: the path goes by its
// cause.
func TestAChallengeWithoutAnAccountEndsTheAttempt(t *testing.T) {
	f := start(t, nil)
	f.phones.Send(request("INVITE", "901914980850", "k2", "", "k2", offer))
	f.ostrel.Send(f.ostrel.Expect("INVITE").Reply("401 Unauthorized", "a", digestChallenge))
	f.ostrel.Expect("ACK")
	f.penhallow.Expect("INVITE") // this path goes on after cause 21
	c := f.Wait(t, "k2", func(c record.Call) bool { return len(c.Legs) == 3 })
	for _, step := range c.Trail {
		if step.Heard != nil {
			assert.EqualValues(t, 21, step.Heard.Cause.Q850)
			assert.Equal(t, 403, step.Heard.Cause.SIP, "what only we could have answered is not asked of the caller")
		}
	}
}

// A flood of requests without a credential does not become one of challenges.
func TestChallengesArePaced(t *testing.T) {
	f := startRegistering(t, nil)
	stranger := livetest.NewPeer(t, "127.0.99.1:5060")
	began := time.Now()
	for i := range 300 {
		stranger.Send(register("1", fmt.Sprintf("p%d", i)))
	}
	asked := 0
	for !stranger.Silent(300 * time.Millisecond) {
		asked++
	}
	assert.Positive(t, asked)
	seconds := int(time.Since(began).Seconds()) + 2
	assert.LessOrEqual(t, asked, seconds*plan.DefaultCallsPerSecond)
	f.enrol(t) // the phones have a pace of their own
}

func TestUnknownSourcesAreMetAsTheSwitchSays(t *testing.T) {
	for unknown, want := range map[string]string{plan.UnknownForbid: "SIP/2.0 403", plan.UnknownChallenge: "SIP/2.0 401", plan.UnknownDrop: ""} {
		t.Run(unknown, func(t *testing.T) {
			f := startWith(t, livetest.Setup{Change: func(p *plan.Plan) { p.Switches[0].UnknownSources.Policy = unknown }})
			stranger := livetest.NewPeer(t, "127.0.99.1:5060")
			stranger.Send(request("INVITE", "999", "u1", "", "u1", offer))
			if want == "" {
				assert.True(t, stranger.Silent(300*time.Millisecond))
			} else {
				stranger.Expect(want)
			}
			assert.EqualValues(t, 1, f.Agent.Unknown())
			assert.Empty(t, f.Calls())
		})
	}
}

// What two trunks could have brought is refused, and its trail says why.
func TestATieIsRefusedAndTold(t *testing.T) {
	f := startWith(t, livetest.Setup{Change: func(p *plan.Plan) {
		for i := range p.Trunks {
			if id := p.Trunks[i].ID; id == "ostrel" || id == "penhallow" {
				p.Trunks[i].Link.SIP.TrustedAddresses = []string{"127.1.30.1"}
				p.Trunks[i].Link.SIP.CalledPattern = map[string]string{"ostrel": "+44x.", "penhallow": "+4420x."}[id]
			}
		}
	}})
	f.ostrel.Send(fromOstrel("+442079460401", "d1"))
	f.ostrel.Expect("SIP/2.0 403")
	c := f.WaitEnd(t, "d1")
	assert.Contains(t, c.Trail[1].Ended.Why, "source is ambiguous")
	f.ostrel.Send(fromOstrel("+441914980101", "d2"))
	d := f.Wait(t, "d2", func(c record.Call) bool { return true })
	assert.Equal(t, "ostrel", d.Legs[0].Trunk)
}

func TestTooManyCallsASecond(t *testing.T) {
	f := startWith(t, livetest.Setup{Change: func(p *plan.Plan) {
		noOperator(p)
		for i := range p.Trunks {
			if p.Trunks[i].ID == "quay-phones" {
				p.Trunks[i].CallsPerSecond = 2
			}
		}
	}})
	refused := 0
	for i := range 10 {
		id := fmt.Sprintf("f%d", i)
		f.phones.Send(request("INVITE", "97", id, "", id, offer))
		m := f.phones.Read()
		for m.CallID != id || m.Status < 200 {
			m = f.phones.Read()
		}
		if m.Status == 503 {
			refused++
		}
	}
	assert.GreaterOrEqual(t, refused, 4, "ten in well under three seconds")
	assert.EqualValues(t, refused, f.Trunks.State("quay-phones").Calls.TooFast)
}
