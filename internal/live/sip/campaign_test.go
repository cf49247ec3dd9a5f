package sip_test

import (
	"crypto/tls"
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/campaign"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/livetest"
)

// Nothing unauthenticated gets an outside line: attempts without number from sockets of a
// stranger's own, judged by what comes out at the carriers and the phones. Between them a
// call that may goes through, so that it is known that one would be seen.
//
// SWITCHBACK_CAMPAIGN is how many attempts are made for each way to meet strangers (400 else),
// and SWITCHBACK_SEED from which seed; a failure names the seed.
func TestStrangersGetNoOutsideLine(t *testing.T) {
	attempts, seed := 400, uint64(16)
	if n, err := strconv.Atoi(os.Getenv("SWITCHBACK_CAMPAIGN")); err == nil {
		attempts = n
	}
	if n, err := strconv.ParseUint(os.Getenv("SWITCHBACK_SEED"), 10, 64); err == nil {
		seed = n
	}
	for i, unknown := range []string{plan.UnknownChallenge, plan.UnknownForbid, plan.UnknownDrop} {
		t.Run(unknown, func(t *testing.T) { strangersTry(t, unknown, attempts, seed+uint64(i)) })
	}
}

// besieged is a switch under attack, with far ends that answer by themselves and count what
// comes.
type besieged struct {
	*livetest.Bench
	phones, ostrel *automaton
	penhallow      *automaton
	calls          int // that may
}

func strangersTry(t *testing.T, unknown string, attempts int, seed uint64) {
	by := newSigner(t)
	setup := registering(func(phones, _, _ *plan.SIP) { phones.MaxContacts = 4 })
	change := setup.Change
	setup.Change = func(p *plan.Plan) {
		change(p)
		p.Switches[0].UnknownSources.Policy = unknown
		for i := range p.Trunks {
			p.Trunks[i].Media.Path = plan.MediaDirect
			p.Trunks[i].Services.Replaces, p.Trunks[i].Services.Transfer = true, true
		}
		for i := range p.Paths {
			p.Paths[i].Timers.RingingMs = 600_000 // what rings does so to the end
		}
		desk := trunkOf(p, "deskline")
		desk.Link.SIP.TrustedAddresses, desk.Link.SIP.RequireCertificate, desk.Link.SIP.TLSServerName = []string{"127.1.24.1"}, true, "deskline.example"
		desk.Media.Path, desk.Media.Encryption = "", ""
	}
	setup.Without = []string{"quay-phones", "ostrel", "penhallow", "harbourbox", "deskline"}
	setup.Certificates = by.folder(t)
	setup.StrangerBudget = 1 << 20 // it is not the bounds that are tried here
	b := &besieged{Bench: livetest.Start(t, setup)}
	b.Secrets.Set("quay-phones", plan.SideInbound, "quay", secret)
	b.phones, b.ostrel, b.penhallow = listen(t, "127.0.20.2:5060"), listen(t, ostrelAt), listen(t, penhallowAt)
	spoofed := listen(t, phonesAt)
	for _, a := range []*automaton{b.phones, spoofed} {
		require.Equal(t, 200, a.proved(t, "REGISTER", registrar, "", "Contact: <sip:2001@"+a.at+">"))
	}

	known := campaign.Knowledge{
		Switch: livetest.SwitchAt(), Realm: "quay", Users: []string{"quay-phones", "2001", "quay", "ostrel", "deskline", "skerry-line"},
		Outside: []string{"901914980850", "902079460850", "90016175550180", "+441914980850", "01914980850", "999", "112"}, Inside: []string{"2001", "2101", "2182", "2184", "2999", "97"},
		Homes: []string{"127.1.20.1:5060", "127.1.30.1:5060", "127.1.31.1:5060", "127.1.24.1:5061", "127.1.10.1:5060", "127.1.99.9:5060"},
	}
	running := b.mayCall(t, &known)
	ringing := b.mayRing(t, &known)

	control := max(100, attempts/20) // each is held, and the carrier has thirty channels
	work := make(chan uint64)
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for n := range work {
				r := rand.New(rand.NewPCG(n, seed))
				try(t, r, campaign.Generators["sip"](r, known), spoofed)
			}
		})
	}
	for n := range attempts {
		work <- uint64(n)
		if n%control == control-1 {
			b.mayCall(t, &known) // a positive control: it is seen
		}
	}
	close(work)
	all.Wait()
	time.Sleep(200 * time.Millisecond) // what is under way

	assert.EqualValues(t, b.calls, b.ostrel.invites.Load()+b.penhallow.invites.Load(), "outside lines that nobody may have, seed %d: %v", seed, b.outside())
	assert.Zero(t, b.phones.invites.Load()+spoofed.invites.Load(), "nor does a stranger ring the phones, seed %d", seed)
	assert.Zero(t, b.ostrel.ended.Load(), "calls that were cut off, seed %d", seed)
	for _, id := range []string{running, ringing} {
		c, ok := b.CallByLeg(id)
		require.True(t, ok)
		assert.True(t, c.Running(), "seed %d: a call that nobody ended is over: %s", seed, c.Release)
	}
	assert.Len(t, b.Registrations.Bindings("quay-phones", "quay", time.Now()), 2, "nobody else is registered, and who was still is")
}

// outside are the calls that left, for a test that fails.
func (b *besieged) outside() (list []string) {
	for _, c := range b.Calls() {
		list = append(list, fmt.Sprintf("%s from %s", c.Legs[0].Key, c.Legs[0].Remote))
	}
	return list
}

// mayCall makes a call with the right credential, and lets everybody hear it.
func (b *besieged) mayCall(t *testing.T, k *campaign.Knowledge) (callID string) {
	b.calls++
	callID = fmt.Sprintf("may%d", b.calls)
	require.Equal(t, 200, b.phones.proved(t, "INVITE", "sip:901914980850@127.1.10.1:5060", callID))
	out := b.ostrel.last()
	if b.calls == 1 {
		k.Heard = b.phones.heard()
		k.Dialogs = append(k.Dialogs,
			campaign.Dialog{CallID: callID, SwitchTag: tagOf(b.phones.last().Header("To")), FarTag: "caller", FarURI: "sip:2001@127.1.20.1"},
			campaign.Dialog{CallID: out.CallID, SwitchTag: tagOf(out.Header("From")), FarTag: "auto", FarURI: "sip:+441914980850@127.1.30.1"})
	}
	return callID
}

// mayRing begins a call that the carrier does not answer.
func (b *besieged) mayRing(t *testing.T, k *campaign.Knowledge) (callID string) {
	b.calls++
	callID = fmt.Sprintf("may%d", b.calls)
	b.ostrel.rings.Store(true)
	require.Equal(t, 180, b.phones.proved(t, "INVITE", "sip:901914980851@127.1.10.1:5060", callID))
	b.ostrel.rings.Store(false)
	out := b.ostrel.last()
	branch, _, _ := strings.Cut(out.Header("Via")[strings.Index(out.Header("Via"), "z9hG4bK"):], ";")
	k.Branches = append(k.Branches, branch)
	k.Dialogs = append(k.Dialogs, campaign.Dialog{CallID: out.CallID, SwitchTag: tagOf(out.Header("From")), FarTag: "auto", FarURI: "sip:+441914980851@127.1.30.1"})
	return callID
}

// try makes one attempt from an address of its own.
func try(t *testing.T, r *rand.Rand, a campaign.Attempt, spoofed *automaton) {
	if a.Spoof {
		spoofed.send(a.First)
		return
	}
	from := net.IPv4(127, 1, byte(64+r.IntN(64)), byte(1+r.IntN(250)))
	if r.IntN(8) == 0 && a.Transport != "tls" {
		from = net.IPv4(127, 1, 24, 1) // of a far end that is to come by TLS
	}
	var conn net.Conn
	var err error
	switch a.Transport {
	case "udp":
		conn, err = net.DialUDP("udp", &net.UDPAddr{IP: from}, &net.UDPAddr{IP: net.IPv4(127, 1, 10, 1), Port: 5060})
	case "tcp":
		conn, err = (&net.Dialer{LocalAddr: &net.TCPAddr{IP: from}, Timeout: time.Second}).Dial("tcp", "127.1.10.1:5060")
	default:
		dialer := &net.Dialer{LocalAddr: &net.TCPAddr{IP: from}, Timeout: time.Second}
		conn, err = tls.DialWithDialer(dialer, "tcp", "127.1.10.1:5061", &tls.Config{InsecureSkipVerify: true}) //nolint:gosec // a stranger does not care
	}
	if err != nil {
		return // it gets no connection
	}
	defer conn.Close()
	_, _ = conn.Write([]byte(a.First)) // an error: it was ended
	if a.Then == nil {
		return
	}
	_ = conn.SetReadDeadline(time.Now().Add(40 * time.Millisecond))
	answer := make([]byte, 8192)
	n, err := conn.Read(answer)
	if found := nonceOf.FindSubmatch(answer[:n]); err == nil && found != nil {
		_, _ = conn.Write([]byte(a.Then(string(found[1]))))
		_, _ = conn.Read(answer)
	}
}

var nonceOf = regexp.MustCompile(`nonce="([^"]*)"`)

// automaton is a far end that answers by itself.
type automaton struct {
	t              *testing.T
	at             string
	conn           *net.UDPConn
	invites, ended atomic.Int64
	rings          atomic.Bool

	mu      sync.Mutex
	seen    map[string]bool
	latest  livetest.Received
	proofs  []string
	answers map[string]chan livetest.Received // final ones and 180, by Call-ID and CSeq
}

func listen(t *testing.T, demoAddress string) *automaton {
	addr, err := net.ResolveUDPAddr("udp", livetest.Address(demoAddress))
	require.NoError(t, err)
	conn, err := net.ListenUDP("udp", addr)
	require.NoError(t, err)
	a := &automaton{t: t, at: addr.String(), conn: conn, seen: map[string]bool{}, answers: map[string]chan livetest.Received{}}
	t.Cleanup(func() { conn.Close() })
	go a.run()
	return a
}

func (a *automaton) send(text string) {
	_, _ = a.conn.WriteToUDP([]byte(livetest.Wire(strings.ReplaceAll(text, "\r\n", "\n"))), &net.UDPAddr{IP: net.IPv4(127, 1, 10, 1), Port: 5060})
}

func (a *automaton) run() {
	b := make([]byte, 65_536)
	for {
		n, err := a.conn.Read(b)
		if err != nil {
			return
		}
		m := livetest.Parse(b[:n])
		switch {
		case m.Status != 0:
			a.answered(m)
		case m.Method == "INVITE":
			a.mu.Lock()
			again := a.seen[m.CallID+m.CSeq]
			a.seen[m.CallID+m.CSeq] = true
			a.latest = m
			a.mu.Unlock()
			if !again {
				a.invites.Add(1)
			}
			if a.rings.Load() {
				a.send(m.Reply("180 Ringing", "auto", "Contact: <sip:"+a.at+">"))
			} else {
				a.send(m.Reply("200 OK", "auto", "Content-Type: application/sdp\nContact: <sip:"+a.at+">\n\n"+answer))
			}
		case m.Method == "ACK":
		default:
			if m.Method == "BYE" || m.Method == "CANCEL" {
				a.ended.Add(1)
			}
			a.send(m.Reply("200 OK", "", ""))
		}
	}
}

func (a *automaton) answered(m livetest.Received) {
	if m.Status < 180 {
		return
	}
	a.mu.Lock()
	ch := a.answers[m.CallID+" "+m.CSeq]
	if ch != nil {
		a.latest = m
	}
	a.mu.Unlock()
	if ch != nil {
		select {
		case ch <- m:
		default:
		}
	}
}

func (a *automaton) last() livetest.Received {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.latest
}

func (a *automaton) heard() []string {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.proofs
}

// proved sends a request and once more with the credential, and returns the status that it
// got; a call that is answered is acknowledged.
func (a *automaton) proved(t *testing.T, method, uri, callID string, lines ...string) int {
	if callID == "" {
		callID = "reg" + a.at
	}
	make := func(cseq int, more ...string) string {
		user := "901914980850"
		text := request(method, user, callID, "", fmt.Sprintf("%s%s%d", method, strings.NewReplacer(".", "", ":", "").Replace(callID), cseq), offer, more...)
		text = strings.Replace(text, method+" sip:"+user+"@127.1.10.1:5060", method+" "+uri, 1)
		text = strings.ReplaceAll(text, "127.1.20.1:5060", a.at) // of another flow
		if method == "REGISTER" {
			text = strings.Replace(text, "To: <sip:"+user+"@", "To: <sip:quay-phones@", 1)
		}
		return strings.Replace(text, fmt.Sprintf("CSeq: 1 %s", method), fmt.Sprintf("CSeq: %d %s", cseq, method), 1)
	}
	first := a.ask(t, callID, "1 "+method, make(1, lines...))
	require.Equal(t, 401, first.Status, first.Text)
	p := proof(t, first, "SHA-256", method, uri, "quay-phones", secret, 1)
	a.mu.Lock()
	a.proofs = append(a.proofs, p)
	a.mu.Unlock()
	second := a.ask(t, callID, "2 "+method, make(2, append(lines, p)...))
	if method == "INVITE" && second.Status == 200 {
		a.send(strings.Replace(request("ACK", "901914980850", callID, tagOf(second.Header("To")), callID+"ack", ""), "CSeq: 1", "CSeq: 2", 1))
	}
	return second.Status
}

// ask sends a request until it is answered.
func (a *automaton) ask(t *testing.T, callID, cseq, text string) livetest.Received {
	ch := make(chan livetest.Received, 1)
	a.mu.Lock()
	a.answers[callID+" "+cseq] = ch
	a.mu.Unlock()
	for range 40 {
		a.send(text)
		select {
		case m := <-ch:
			return m
		case <-time.After(500 * time.Millisecond):
		}
	}
	require.Fail(t, "no answer to "+text)
	return livetest.Received{}
}
