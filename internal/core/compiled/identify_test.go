package compiled_test

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
)

// identities compiles the demo plan with the SIP settings of its trunks changed.
func identities(t *testing.T, change func(quay, ostrel, penhallow *plan.SIP)) *decide.Snapshot {
	p := calltest.Plan(t, "skerry-line")
	sip := map[string]*plan.SIP{}
	for i := range p.Trunks {
		sip[p.Trunks[i].ID] = p.Trunks[i].Link.SIP
	}
	for _, id := range []string{"quay-phones", "ostrel", "penhallow"} {
		sip[id].Registration, sip[id].InboundAccounts, sip[id].OutboundAccounts = "", nil, nil
		sip[id].InboundAuth, sip[id].TrustedAddresses = "", []string{"127.0.99." + string(rune('1'+len(id)%9))}
		sip[id].RemoteAddress, sip[id].DNSName = "127.0.98.1:5060", ""
	}
	change(sip["quay-phones"], sip["ostrel"], sip["penhallow"])
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	return s
}

func source(text string) compiled.Sender {
	return compiled.Sender{AddrPort: netip.MustParseAddrPort(text), Transport: "udp"}
}

func from(text string) compiled.Origin { return compiled.Origin{From: source(text)} }

// The order of the model: address and port, address, network; the closest wins.
func TestTheClosestTrustWins(t *testing.T) {
	s := identities(t, func(quay, ostrel, penhallow *plan.SIP) {
		quay.TrustedAddresses = []string{"127.0.40.0/24"}
		ostrel.TrustedAddresses = []string{"127.0.40.7"}
		penhallow.TrustedAddresses = []string{"127.0.40.7:5070", "127.0.40.64/26"}
	})
	for _, c := range []struct{ from, trunk, by string }{
		{"127.0.40.7:5070", "penhallow", "address 127.0.40.7 with port 5070"},
		{"127.0.40.7:5060", "ostrel", "address 127.0.40.7"},
		{"127.0.40.8:5060", "quay-phones", "network 127.0.40.0/24"},
		{"127.0.40.70:5060", "penhallow", "network 127.0.40.64/26"},
		{"[::ffff:127.0.40.8]:5060", "quay-phones", "network 127.0.40.0/24"},
	} {
		got := s.Identify("quay", from(c.from))
		assert.Equal(t, compiled.Identity{Verdict: compiled.Known, Trunk: c.trunk, By: c.by}, got, c.from)
		trunk, ok := s.Knows("quay", source(c.from))
		assert.True(t, ok)
		assert.Equal(t, c.trunk, trunk)
	}
	assert.Equal(t, compiled.Unknown, s.Identify("quay", from("127.0.41.1:5060")).Verdict)
	assert.Equal(t, compiled.Unknown, s.Identify("nowhere", from("127.0.40.7:5060")).Verdict)
	trunk, ok := s.Knows("quay", source("127.0.98.1:1"))
	assert.True(t, ok, "who is called may say something too, such as an answer")
	assert.NotEmpty(t, trunk)
}

func TestTiesAreToldApartOrRefused(t *testing.T) {
	s := identities(t, func(quay, ostrel, penhallow *plan.SIP) {
		for _, sip := range []*plan.SIP{quay, ostrel, penhallow} {
			sip.TrustedAddresses = []string{"127.0.40.7"}
		}
		ostrel.RequestDomain = "ostrel.example"
		penhallow.RequestTrunkGroup, penhallow.CalledPattern = "tg-7", "0[1-9]xxxxxxxx."
	})
	called := func(o compiled.Origin, number string) compiled.Origin {
		n, err := digits.ParseNumber(number)
		require.NoError(t, err)
		o.Called = n
		return o
	}
	o := from("127.0.40.7:5060")
	o.Domain = "Ostrel.example"
	got := s.Identify("quay", o)
	assert.Equal(t, "ostrel", got.Trunk)
	assert.Len(t, got.Others, 2)
	assert.Contains(t, got.Others[0].Why, "another trunk has domain")

	o = from("127.0.40.7:5060")
	o.Domain, o.TrunkGroup = "127.0.10.1", "TG-7"
	got = s.Identify("quay", o)
	assert.Equal(t, "penhallow", got.Trunk)
	assert.Equal(t, []string{"ostrel", "quay-phones"}, []string{got.Others[0].Trunk.ID, got.Others[1].Trunk.ID})

	got = s.Identify("quay", called(from("127.0.40.7:5060"), "901914980850"))
	assert.Equal(t, "quay-phones", got.Trunk, "the one that names nothing takes the rest")

	// What is still tied is refused, and the trail says between whom.
	s = identities(t, func(quay, ostrel, penhallow *plan.SIP) {
		ostrel.TrustedAddresses, penhallow.TrustedAddresses = []string{"127.0.40.7"}, []string{"127.0.40.7"}
		ostrel.CalledPattern, penhallow.CalledPattern = "0x.", "01x."
	})
	tied := called(from("127.0.40.7:5060"), "01914980101")
	got = s.Identify("quay", tied)
	assert.Equal(t, compiled.Tied, got.Verdict)
	trail := s.Unplaced("quay", got, decide.Call{Called: tied.Called})
	require.Len(t, trail, 2)
	assert.Len(t, trail[0].Received.Others, 2)
	assert.Equal(t, 403, trail[1].Ended.Cause.SIP)
	assert.Contains(t, trail[1].Ended.Why, " or ")
	assert.Equal(t, "ostrel", s.Identify("quay", called(from("127.0.40.7:5060"), "02079460401")).Trunk)
}

func TestCredentials(t *testing.T) {
	s := identities(t, func(quay, ostrel, penhallow *plan.SIP) {
		quay.Registration, quay.TrustedAddresses = plan.RegistrationInbound, nil
		quay.InboundAccounts = []plan.Account{{ID: "quay", User: "quay-phones"}}
		ostrel.InboundAuth, ostrel.InboundAccounts = plan.AuthBoth, []plan.Account{{ID: "a", User: "ostrel"}}
		ostrel.TrustedAddresses = []string{"127.0.40.7"}
	})
	assert.True(t, s.TakesCredentials("quay"))
	assert.Equal(t, compiled.Identity{Verdict: compiled.Challenge, By: "source address not trusted"}, s.Identify("quay", from("127.0.50.1:5060")), "nobody is refused before he was asked")
	got := s.Identify("quay", from("127.0.40.7:5060"))
	assert.Equal(t, compiled.Challenge, got.Verdict)
	assert.Equal(t, "ostrel", got.Trunk, "address and credential")

	registered := from("127.0.50.1:5060")
	registered.Registered = "quay-phones"
	assert.Equal(t, compiled.Challenge, s.Identify("quay", registered).Verdict, "a source address can be forged: a call proves itself")
	registered.Proven = &compiled.Proven{Trunk: "quay-phones", User: "quay-phones"}
	got = s.Identify("quay", registered)
	assert.Equal(t, compiled.Known, got.Verdict)
	assert.Contains(t, got.By, "registered flow")

	elsewhere := from("127.0.50.1:5060")
	elsewhere.Proven = &compiled.Proven{Trunk: "ostrel", User: "ostrel"}
	assert.Equal(t, compiled.Misplaced, s.Identify("quay", elsewhere).Verdict, "the secret alone is not enough")
	elsewhere.From = source("127.0.40.7:5060")
	got = s.Identify("quay", elsewhere)
	assert.Equal(t, compiled.Known, got.Verdict)
	assert.Equal(t, "credentials of account ostrel, and address 127.0.40.7", got.By)
	elsewhere.Proven.Trunk = "gone"
	assert.Equal(t, compiled.Unknown, s.Identify("quay", elsewhere).Verdict, "the trunk was taken out meanwhile")

	trunk, account, ok := s.Account("quay", "quay-phones", "")
	require.True(t, ok)
	assert.Equal(t, "quay-phones", trunk.ID)
	assert.Equal(t, "quay", account.ID)
	_, _, ok = s.Account("quay", "nobody", "")
	assert.False(t, ok)
}

// Who a request is, is settled by what is hardest to forge: every pair of what a trunk demands
// and what a source has, judged by the rule itself. A datagram never comes from a trunk that
// demands a connection, nor a connection without the certificate from one that demands it.
func TestTransportAndCertificateAreWhoItIs(t *testing.T) {
	strength := map[string]int{"": 0, "udp": 0, "tcp": 1, "tls": 2}
	names := map[string][]string{"none": nil, "its own": {"ostrel.example"}, "another": {"penhallow.example", "127.0.40.8"}, "address": {"127.0.40.7"}}
	for demanded := range strength {
		for _, certificate := range []bool{false, true} {
			if certificate && demanded != "tls" {
				continue
			}
			for _, serverName := range []string{"", "ostrel.example"} {
				s := identities(t, func(_, ostrel, _ *plan.SIP) {
					ostrel.TrustedAddresses, ostrel.Transport, ostrel.RequireCertificate, ostrel.TLSServerName = []string{"127.0.40.7"}, demanded, certificate, serverName
				})
				for by := range strength {
					if by == "" {
						continue
					}
					for shown, list := range names {
						o := compiled.Origin{From: compiled.Sender{AddrPort: netip.MustParseAddrPort("127.0.40.7:5060"), Transport: by}}
						if by == "tls" {
							o.From.Certified = list
						} else if list != nil {
							continue
						}
						right := strength[by] >= strength[demanded]
						if certificate {
							right = right && (serverName == "" && shown == "address" || serverName != "" && shown == "its own")
						}
						got := s.Identify("quay", o)
						assert.Equal(t, right, got.Verdict == compiled.Known, "%s, certificate %v for %q: %s with %s", demanded, certificate, serverName, by, shown)
						_, knows := s.Knows("quay", o.From)
						assert.Equal(t, right, knows)
						assert.Equal(t, right, s.TrustedBy("ostrel", o.From))
						if !right {
							require.Len(t, got.Others, 1, "the trail names the trunk that it would have been")
							assert.Equal(t, "ostrel", got.Others[0].Trunk.ID)
							o.Proven = &compiled.Proven{Trunk: "ostrel", User: "x"}
							assert.Equal(t, compiled.Misplaced, s.Identify("quay", o).Verdict, "a heard secret does not help")
							o.Proven, o.Registered = nil, "ostrel"
							assert.NotEqual(t, compiled.Known, s.Identify("quay", o).Verdict)
						}
					}
				}
			}
		}
	}
}

// A certificate beats an address, and tells a far end whose address nobody knows.
func TestACertificateTellsWhoItIs(t *testing.T) {
	s := identities(t, func(quay, ostrel, penhallow *plan.SIP) {
		quay.TrustedAddresses = []string{"127.0.40.7"}
		ostrel.TrustedAddresses, ostrel.Transport, ostrel.RequireCertificate, ostrel.TLSServerName = nil, "tls", true, "ostrel.example"
		penhallow.TrustedAddresses, penhallow.Transport, penhallow.RequireCertificate, penhallow.TLSServerName = []string{"127.0.40.0/24"}, "tls", true, "penhallow.example"
	})
	over := func(address string, names ...string) compiled.Origin {
		return compiled.Origin{From: compiled.Sender{AddrPort: netip.MustParseAddrPort(address), Transport: "tls", Certified: names}}
	}
	assert.Equal(t, "ostrel", s.Identify("quay", over("127.0.77.1:5061", "Ostrel.example")).Trunk, "from anywhere")
	assert.Equal(t, "certificate for ostrel.example", s.Identify("quay", over("127.0.77.1:5061", "ostrel.example")).By)
	assert.Equal(t, "penhallow", s.Identify("quay", over("127.0.40.7:5061", "penhallow.example")).Trunk, "before the trunk of that address")
	assert.Equal(t, compiled.Unknown, s.Identify("quay", over("127.0.77.1:5061", "penhallow.example")).Verdict, "it names addresses, so they count too")
	assert.Equal(t, compiled.Unknown, s.Identify("quay", over("127.0.77.1:5061", "*.example")).Verdict, "RFC 5922 section 7.2: no wildcards")
	assert.Equal(t, "quay-phones", s.Identify("quay", over("127.0.40.7:5061")).Trunk)
}
