package sip_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
)

// A far end that answers only the first challenge, and knows MD5 alone.
func TestAFarEndIsAskedByTheDigestThatItKnows(t *testing.T) {
	f := startRegistering(t, func(phones, _, _ *plan.SIP) { phones.DigestAlgorithm = plan.DigestMD5 })
	f.phones.Send(register("1", "d1"))
	challenged := f.phones.Expect("SIP/2.0 401")
	assert.Equal(t, 1, strings.Count(challenged.Text, "WWW-Authenticate:"))
	f.phones.Send(register("2", "d2", proof(t, challenged, "MD5", "REGISTER", registrar, "quay-phones", secret, 1)))
	f.phones.Expect("SIP/2.0 200")
}

// Where SHA-256 alone is wanted, MD5 is no way around it.
func TestAWeakerDigestThanWasAskedForIsRefused(t *testing.T) {
	f := startRegistering(t, func(phones, _, _ *plan.SIP) { phones.DigestAlgorithm = plan.DigestSHA256 })
	f.phones.Send(register("1", "w1"))
	challenged := f.phones.Expect("SIP/2.0 401")
	challenged.Text = strings.Replace(challenged.Text, "algorithm=SHA-256", "algorithm=MD5", 1)
	f.phones.Send(register("2", "w2", proof(t, challenged, "MD5", "REGISTER", registrar, "quay-phones", secret, 1)))
	f.phones.Expect("SIP/2.0 403")
	assert.Empty(t, f.Registrations.Bindings("quay-phones", "quay", time.Now()))
}

// The demo's phones may have two contacts: of three, none is taken.
func TestMoreContactsThanAnAccountMayHaveChangeNothing(t *testing.T) {
	f := startRegistering(t, nil)
	f.phones.Send(register("1", "m1"))
	challenged := f.phones.Expect("SIP/2.0 401")
	f.phones.Send(register("2", "m2", "Contact: <sip:a@127.1.20.1:5060>, <sip:b@127.1.20.1:5060>, <sip:c@127.1.20.1:5060>",
		proof(t, challenged, "SHA-256", "REGISTER", registrar, "quay-phones", secret, 1)))
	f.phones.Expect("SIP/2.0 403")
	assert.Empty(t, f.Registrations.Bindings("quay-phones", "quay", time.Now()))
}

func TestARegistrationThatNobodyWantsAnyMoreIsTakenBack(t *testing.T) {
	setup := registering(weRegister)
	f := startWith(t, setup)
	first := f.penhallow.Expect("REGISTER")
	f.penhallow.Send(first.Reply("200 OK", "reg", "Contact: <sip:skerry@127.1.10.1:5060>;expires=100"))
	require.Eventually(t, func() bool {
		o, _ := f.Registrations.Our("penhallow", "main")
		return o.State == standing.OurRegistered
	}, 5*time.Second, 5*time.Millisecond)

	p := f.Plan.Current().Snapshot.Plan()
	p.Trunks = append([]plan.Trunk(nil), p.Trunks...)
	for i := range p.Trunks {
		if p.Trunks[i].ID == "penhallow" {
			p.Trunks[i].Link.SIP.Registration, p.Trunks[i].Link.SIP.OutboundAccounts = "", nil
		}
	}
	f.GoLive(t, p)
	last := f.penhallow.Expect("REGISTER")
	assert.Equal(t, first.CallID, last.CallID)
	assert.Equal(t, "0", last.Header("Expires"), "RFC 3261 section 10.2.2")
	f.penhallow.Send(last.Reply("200 OK", "reg", ""))
	_, known := f.Registrations.Our("penhallow", "main")
	assert.False(t, known)
}
