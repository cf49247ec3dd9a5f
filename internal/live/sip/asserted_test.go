package sip_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
)

// Who is calling on the wire: RFC 3323 (Privacy, anonymous From) and RFC 3325
// (P-Asserted-Identity, privacy by id).

func presentedIn(t *testing.T, f flow, id string) *trail.Presented {
	t.Helper()
	require.Eventually(t, func() bool { return !f.call(id).Ended.IsZero() }, 5*time.Second, 10*time.Millisecond)
	for _, s := range f.call(id).Trail {
		if s.Presented != nil {
			return s.Presented
		}
	}
	require.Fail(t, "nobody was presented")
	return nil
}

func TestACallerWhoAsksIsWithheld(t *testing.T) {
	f := start(t, nil)
	for i, privacy := range []string{"id", "header;id", "user", "critical; header", "none"} {
		id := "withheld" + string(rune('a'+i))
		text := request("INVITE", "901914980850", id, "", id, "", "Privacy: "+privacy)
		f.phones.Send(strings.Replace(text, "From: <", `From: "Front desk" <`, 1))
		invite := f.ostrel.Expect("INVITE")
		f.ostrel.Send(invite.Reply("486 Busy Here", "b", ""))
		f.ostrel.Expect("ACK")
		f.phones.Expect("SIP/2.0 486")
		got := presentedIn(t, f, id)
		assert.Equal(t, "+441914980101", got.Number.Number.String(), "our own record keeps it")
		if privacy == "none" {
			assert.Contains(t, invite.Header("From"), `"Front desk" <sip:+441914980101@`)
			assert.Empty(t, invite.Header("Privacy"))
			assert.Equal(t, callerid.Allowed, got.Presentation)
			continue
		}
		assert.Contains(t, invite.Header("From"), `"Anonymous" <sip:anonymous@anonymous.invalid>`)
		assert.Equal(t, "id", invite.Header("Privacy"))
		assert.Equal(t, callerid.Restricted, got.Presentation)
		assert.Equal(t, "Privacy", got.Fields.Presentation)
		for _, secret := range []string{"2001", "4980101", "Front desk", "P-Asserted-Identity"} {
			assert.NotContains(t, invite.Text, secret, privacy)
		}
	}
}

// Identity that a far end asserts counts from a switch of ours alone.
func TestIdentityIsBelievedFromOurOwnSwitches(t *testing.T) {
	f := start(t, func(p *plan.Plan) {
		s := trunkIn(p, "quay-cape").Link.SIP
		*s = plan.SIP{RemoteAddress: livetest.Address("127.0.12.1:5060"), TrustedAddresses: []string{livetest.Address("127.0.12.1")}}
	})
	cape := livetest.NewPeer(t, "127.0.12.1:5060")
	f.phones.Send(request("INVITE", "844123", "there", "", "there", "", "Privacy: id"))
	out := cape.Expect("INVITE")
	assert.Contains(t, out.Header("From"), "<sip:anonymous@anonymous.invalid>")
	assert.Contains(t, out.Header("P-Asserted-Identity"), "<sip:2001@")
	assert.Equal(t, "id", out.Header("Privacy"))
	cape.Send(out.Reply("486 Busy Here", "b", ""))
	cape.Expect("ACK")
	f.phones.Expect("SIP/2.0 486")

	asserted := func(to, id, host string) string {
		text := message("INVITE", to, id, host, "f", "", 1, "", "Privacy: id", `P-Asserted-Identity: "Cape desk" <sip:4100@127.1.12.1>`)
		return strings.Replace(text, "From: <sip:+441914980999@"+host+">", `From: "Anonymous" <sip:anonymous@anonymous.invalid>`, 1)
	}
	cape.Send(asserted("2001", "back", "127.1.12.1"))
	rings := f.phones.Expect("INVITE")
	assert.NotContains(t, rings.Text, "4100", "a phone is not told")
	assert.NotContains(t, rings.Text, "Cape desk")
	f.phones.Send(rings.Reply("486 Busy Here", "b", ""))
	f.phones.Expect("ACK")
	cape.Expect("SIP/2.0 486")
	assert.Equal(t, "4100", presentedIn(t, f, "back").Number.Number.String())

	f.ostrel.Send(asserted("+441914980101", "outside", "127.1.30.1"))
	rings = f.phones.Expect("INVITE")
	assert.NotContains(t, rings.Text, "4100")
	f.phones.Send(rings.Reply("486 Busy Here", "b", ""))
	f.ostrel.Expect("SIP/2.0 486")
	assert.True(t, presentedIn(t, f, "outside").Number.Number.Empty(), "a carrier could say anything")
}
