package plan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func sheetPlan() Plan {
	p := New("Skerry Line")
	p.Switches = []Switch{{ID: "quay", Name: "Quay", Listeners: Listeners{SIP: SIPListener{Address: "127.0.10.1:5060", TLSAddress: "127.0.10.1:5061"}}, Media: MediaPorts{FirstPort: 20000, LastPort: 20999}}}
	p.Trunks = []Trunk{{
		ID: "quay-phones", Name: "Quay phones", Switch: "quay", Channels: 60, InboundTable: "phones",
		In:   Inbound{CalledFormat: "as-dialled", CallerFormat: "private"},
		Out:  Contract{Caller: Formats{Domestic: "national", International: "international"}},
		Link: Link{SIP: &SIP{Registration: RegistrationInbound, InboundAccounts: []Account{{ID: "a", User: "quay", Number: "2001"}}, OptionsIntervalSeconds: 5}},
	}}
	return p
}

func TestTheSheetForTheOtherSide(t *testing.T) {
	text, ok := sheetPlan().Sheet("quay-phones")
	require.True(t, ok)
	for _, line := range []string{
		"- Your calls to us go to: 127.0.10.1:5060, UDP\n",
		"- Our calls to you go to where you register from\n",
		"- You register with us: realm quay, 60 to 3600 s, 4 contacts an account at most\n",
		"- Your account with us: user quay, for calls to 2001; the secret is handed over apart from this sheet\n",
		"- Your calls must show their credential when they are asked\n",
		"- Digest: SHA-256 or MD5\n",
		"| you to us | as-dialled | private |\n",
		"| we to you, numbers of our country | as they are | national |\n",
		"| you | TCP 127.0.10.1:5060 | signalling that is too long for a datagram |\n",
		"| you | UDP 127.0.10.1, ports 20000 to 20999 | sound |\n",
	} {
		assert.Contains(t, text, line)
	}
	_, ok = sheetPlan().Sheet("nowhere")
	assert.False(t, ok)
}

func TestTheSheetFollowsTheSettings(t *testing.T) {
	p := sheetPlan()
	p.Trunks[0].Link.SIP = &SIP{RemoteAddress: "127.0.30.1:5061", Transport: "tls", TrustedAddresses: []string{"127.0.30.1"}, Targets: []Target{{Address: "127.0.30.2:5061"}}, CalledField: CalledInTo}
	p.Trunks[0].InboundTable = ""
	p.Trunks[0].Media = Media{Path: MediaDirect, Codecs: []string{"PCMA", "G729"}, ComfortNoise: MediaRemove, PtimeMs: 30}
	text, _ := p.Sheet("quay-phones")
	for _, line := range []string{
		"- Your calls to us go to: 127.0.10.1:5061, TLS\n", "- You may not call in", "- and, where that is silent, to: 127.0.30.2:5061\n", "- Nobody registers\n",
		"- Your calls are known by their address: 127.0.30.1\n", "We read the called number from To.\n", "- Codecs: PCMA, G729\n", "- Packet time: 30 ms\n",
		"- No comfort noise", "| us | TCP 127.0.30.1:5061 | signalling |\n",
	} {
		assert.Contains(t, text, line)
	}
	assert.NotContains(t, text, "| sound |")
}

func TestTheSheetSaysOurNameAndWhoSigns(t *testing.T) {
	p := sheetPlan()
	s := p.Trunks[0].Link.SIP
	s.PublicName, s.PublicAddress = "switch.skerry.example", "192.0.2.9"
	s.InboundAccounts[0].AuthUser = "line-7"
	text, ok := p.Sheet(p.Trunks[0].ID)
	require.True(t, ok)
	assert.Contains(t, text, "switch.skerry.example:5060")
	assert.Contains(t, text, "user "+s.InboundAccounts[0].User+", authentication user line-7")
	assert.Contains(t, text, "UDP 192.0.2.9:5060 to 127.0.10.1:5060")
}

// Two trunks whose far ends sign as the same could not be told apart.
func TestTwoTrunksCannotSignAsTheSame(t *testing.T) {
	p := sheetPlan()
	p.Trunks = append(p.Trunks, Trunk{ID: "other", Name: "Other", Channels: 1, Link: Link{SIP: &SIP{}}})
	one, other := &p.Trunks[0], &p.Trunks[1]
	one.Link.SIP.InboundAccounts[0].AuthUser = "line-7"
	other.Switch, other.Link.SIP.InboundAccounts = one.Switch, []Account{{ID: "a", User: "elsewhere", AuthUser: "line-7"}}
	var reasons []string
	for _, problem := range p.Validate() {
		reasons = append(reasons, problem.Reason)
	}
	assert.Contains(t, strings.Join(reasons, "\n"), `signs as "line-7" too`)
}
