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
		"- Calls to the switch: 127.0.10.1:5060, UDP\n",
		"- Calls to the far end: registered contact\n",
		"- Inbound registration: realm quay, expiry 60 to 3600 s, max 4 contacts per account\n",
		"- Inbound account: user quay, for calls to 2001; the secret is sent separately\n",
		"- Inbound authentication by digest\n",
		"- Digest: SHA-256 or MD5\n",
		"| far end to switch | as-dialled | private |\n",
		"| switch to far end, domestic | unchanged | national |\n",
		"| far end | TCP 127.0.10.1:5060 | signalling too long for UDP |\n",
		"| far end | UDP 127.0.10.1, ports 20000 to 20999 | RTP |\n",
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
		"- Calls to the switch: 127.0.10.1:5061, TLS\n", "- Calls to the switch: none accepted", "- Further server: 127.0.30.2:5061\n", "- No registration\n",
		"- Inbound authentication by source address: 127.0.30.1\n", "Called number from: To\n", "- Codecs: PCMA, G729\n", "- Packet time: 30 ms\n",
		"- No comfort noise", "| switch | TCP 127.0.30.1:5061 | signalling |\n",
	} {
		assert.Contains(t, text, line)
	}
	assert.NotContains(t, text, "| RTP |")
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
