package sip_test

import (
	"net"
	"strings"
	"testing"
	"time"

	"github.com/pion/rtp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/livetest"
)

// ear counts the packets of sound that wait at a port of the phones. Ask it after the BYE: on
// loopback what was sent before it has arrived by then, however late the machine was.
func ear(t *testing.T, at string) func() (packets int) {
	addr, err := net.ResolveUDPAddr("udp", at)
	require.NoError(t, err)
	conn, err := net.ListenUDP("udp", addr)
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	return func() (n int) {
		b := make([]byte, 2048)
		for {
			if err := conn.SetReadDeadline(time.Now().Add(50 * time.Millisecond)); err != nil {
				return n
			}
			size, err := conn.Read(b)
			if err != nil {
				return n
			}
			var p rtp.Packet
			if p.Unmarshal(b[:size]) == nil && p.PayloadType == 8 && len(p.Payload) == 160 {
				n++
			}
		}
	}
}

// A manager dials the code: the switch answers with a tone and hangs up, and calls from
// then on are decided by the state that was set; the same code again takes it back.
func TestACodeSetsTheHoursFromAPhone(t *testing.T) {
	f := start(t, nil)
	hear := ear(t, "127.1.20.1:40000")
	dial := func(id string) {
		f.phones.Send(request("INVITE", "*1071", id, "", id, offer))
		ok := f.phones.Expect("SIP/2.0 200")
		assert.Contains(t, ok.Body(), "m=audio")
		f.phones.Send(request("ACK", "*1071", id, tagOf(ok.Header("To")), id+"a", ""))
		bye := f.phones.Expect("BYE")
		assert.Greater(t, hear(), 20, "two beeps take half a second and more")
		f.phones.Send(bye.Reply("200 OK", "", ""))
		c := f.WaitEnd(t, id)
		assert.Equal(t, trail.Answered, decide.Summarize(c.Trail).Outcome)
	}
	dial("storm-on")
	list := f.Overrides.List(time.Now())
	require.Len(t, list, 1)
	assert.Equal(t, []string{"bookings", "storm", "2001 by Quay phones", "dialled *1071"}, []string{list[0].Hours, list[0].State, list[0].By, list[0].Why})
	assert.WithinDuration(t, time.Now().Add(12*time.Hour), list[0].Until, time.Minute)

	f.ostrel.Send(byOstrel("INVITE", "+448081570123", "booking", "", "b1", answer))
	invite := f.phones.Expect("INVITE")
	assert.Contains(t, invite.StartLine, "sip:2005@", "the storm desk")
	assert.Contains(t, invite.Header("From"), `"Bookings"`, "the tag before the caller's name")
	assert.Equal(t, "<urn:alert:source:external>", invite.Header("Alert-Info"))
	f.phones.Send(invite.Reply("486 Busy Here", "x", ""))
	f.phones.Expect("ACK")
	busy := f.ostrel.Expect("SIP/2.0 486")
	f.ostrel.Send(byOstrel("ACK", "+448081570123", "booking", tagOf(busy.Header("To")), "b1", ""))
	c := f.WaitEnd(t, "booking")
	assert.Equal(t, map[string]string{"bookings": "storm"}, c.Trail[0].Received.Overrides, "the record says what was set then")

	dial("storm-off")
	assert.Empty(t, f.Overrides.List(time.Now()))

	crew := strings.ReplaceAll(request("INVITE", "*1071", "crew", "", "crew", offer), "sip:2001@127.1.20.1>;tag", "sip:2250@127.1.20.1>;tag")
	f.phones.Send(crew)
	f.phones.Expect("SIP/2.0 403")
	assert.Empty(t, f.Overrides.List(time.Now()), "who may not sets nothing")
}

// byOstrel writes a request of the carrier's side.
func byOstrel(method, user, callID, toTag, branch, body string) string {
	return strings.NewReplacer("127.1.20.1", "127.1.30.1", "sip:2001@", "sip:+441914980850@").Replace(request(method, user, callID, toTag, branch, body))
}

// A phone system watches the code as it would watch an extension (RFC 4235): busy while it
// is set by hand, idle else; told at once of every change, whoever made it.
func TestALampShowsWhatTheCodeSet(t *testing.T) {
	f := start(t, nil)
	subscribe := func(id, toTag, branch, expires string) { // CSeq rises with the branch's number
		text := request("SUBSCRIBE", "*1071", id, toTag, branch, "", "Event: dialog", "Expires: "+expires)
		f.phones.Send(strings.Replace(text, "CSeq: 1 ", "CSeq: "+branch[len(branch)-1:]+" ", 1))
	}
	told := func(state string) livetest.Received {
		n := f.phones.Expect("NOTIFY")
		f.phones.Send(n.Reply("200 OK", "", ""))
		assert.Equal(t, "dialog", n.Header("Event"))
		assert.Contains(t, n.Body(), "<state>"+state+"</state>")
		assert.Contains(t, n.Body(), `xmlns="urn:ietf:params:xml:ns:dialog-info"`)
		return n
	}
	subscribe("lamp", "", "l1", "600")
	ok := f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, "600", ok.Header("Expires"))
	n := told("terminated")
	assert.Contains(t, n.Body(), `version="0"`)
	assert.Contains(t, n.Header("Subscription-State"), "active")
	f.Overrides.Set(standing.Override{Hours: "bookings", State: "storm", Since: time.Now(), By: "engineer"})
	assert.Contains(t, told("confirmed").Body(), `version="1"`)
	f.Overrides.Set(standing.Override{Hours: "office", State: "day", Since: time.Now()}) // another calendar
	f.Overrides.Set(standing.Override{Hours: "bookings", Since: time.Now()})
	told("terminated")
	f.Overrides.Set(standing.Override{Hours: "bookings", State: "storm", Since: time.Now(), Until: time.Now().Add(50 * time.Millisecond)})
	told("confirmed")
	f.Overrides.Expire(time.Now().Add(time.Second))
	told("terminated")

	// Who knows its Call-ID and tags is not its phone system.
	forged := request("SUBSCRIBE", "*1071", "lamp", tagOf(ok.Header("To")), "l9", "", "Event: dialog", "Expires: 0")
	f.ostrel.Send(strings.Replace(forged, "CSeq: 1 ", "CSeq: 9 ", 1))
	assert.True(t, f.ostrel.Silent(200*time.Millisecond))
	assert.NotEmpty(t, f.Trunks.Strays("quay-phones", time.Now()))

	subscribe("lamp", tagOf(ok.Header("To")), "l2", "0")
	f.phones.Expect("SIP/2.0 200")
	assert.Equal(t, "terminated;reason=timeout", told("terminated").Header("Subscription-State"))
	subscribe("lamp", tagOf(ok.Header("To")), "l3", "600")
	f.phones.Expect("SIP/2.0 481")

	subscribe("short", "", "s1", "5")
	assert.Equal(t, "60", f.phones.Expect("SIP/2.0 423").Header("Min-Expires"))
	f.phones.Send(request("SUBSCRIBE", "2150", "ext", "", "e1", "", "Event: dialog"))
	f.phones.Expect("SIP/2.0 404")
	crew := strings.ReplaceAll(request("SUBSCRIBE", "*1071", "crew", "", "c1", "", "Event: dialog"), "sip:2001@127.1.20.1>;tag", "sip:2250@127.1.20.1>;tag")
	f.phones.Send(crew)
	f.phones.Expect("SIP/2.0 403")
}

// A plan that is tried decides the calls of its scope, and no others; it is over at once.
func TestATrialDecidesTheCallsOfItsScope(t *testing.T) {
	f := start(t, nil)
	p := livetest.Plan(t, func(p *plan.Plan) {
		for i := range p.Trunks {
			p.Trunks[i].Media.Path, p.Trunks[i].Media.Encryption = plan.MediaDirect, ""
		}
		for i := range p.Tables[1].Rules {
			if p.Tables[1].Rules[i].ID == "outside-national" {
				p.Tables[1].Rules[i].Then = plan.Then{RejectCause: 21}
			}
		}
	})
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	trial := &live.Trial{Running: live.Running{Snapshot: s, Revision: 1, Trial: true}, Base: 1, Scopes: []standing.Scope{{Extension: "2001"}}}
	f.Plan.Try(trial)
	call := func(id, from string) record.Call {
		f.phones.Send(strings.ReplaceAll(request("INVITE", "901914980850", id, "", id, offer), "sip:2001@", "sip:"+from+"@"))
		if from == "2001" && f.Plan.Trial() != nil {
			f.phones.Expect("SIP/2.0 403")
			return f.WaitEnd(t, id)
		}
		invite := f.ostrel.Expect("INVITE")
		f.ostrel.Send(invite.Reply("486 Busy Here", id, ""))
		f.ostrel.Expect("ACK")
		f.phones.Expect("SIP/2.0 486")
		return f.WaitEnd(t, id)
	}
	assert.True(t, call("t1", "2001").Trail[0].Received.Trial)
	assert.False(t, call("t2", "2002").Trail[0].Received.Trial)
	assert.EqualValues(t, 1, trial.Calls.Load())
	trial = &live.Trial{Running: trial.Running, Base: 2, Scopes: trial.Scopes}
	assert.Equal(t, f.Plan.Current(), func() *live.Running {
		f.Plan.Try(trial)
		return f.Plan.For(f.Plan.Current(), "quay-phones", digits.MustNumber("2001"))
	}(), "a trial of another revision decides nothing")
	f.Plan.Try(nil)
	assert.False(t, call("t3", "2001").Trail[0].Received.Trial)

	for scope, want := range map[standing.Scope]bool{{Group: "managers"}: true, {Group: "crew"}: false, {Trunk: "quay-phones"}: true, {Trunk: "ostrel"}: false, {Extension: "2002"}: false} {
		f.Plan.Try(&live.Trial{Running: live.Running{Snapshot: s, Revision: 1, Trial: true}, Base: 1, Scopes: []standing.Scope{scope}})
		assert.Equal(t, want, f.Plan.For(f.Plan.Current(), "quay-phones", digits.MustNumber("2001")).Trial, scope)
	}
	f.Plan.Try(&live.Trial{Running: live.Running{Snapshot: s, Revision: 1, Trial: true}, Base: 1, Scopes: []standing.Scope{{Extension: "2001"}}})
	assert.False(t, f.Plan.For(f.Plan.Current(), "ostrel", digits.MustNumber("2001")).Trial, "a number from outside is nobody's extension")
}
