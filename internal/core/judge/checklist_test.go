package judge

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/plan"
)

// of is the line of a checklist that begins so.
func of(t *testing.T, f Facts, what string) Check {
	t.Helper()
	for _, c := range Checklist(f) {
		if c.What == what {
			return c
		}
	}
	t.Fatalf("no line %q", what)
	return Check{}
}

func byAddress() Facts {
	at := time.Now()
	return Facts{
		Trunk: plan.Trunk{
			Name: "Ostrel", Channels: 30, InboundTable: "from-carriers", Link: plan.Link{SIP: &plan.SIP{RemoteAddress: "127.0.30.1:5060", TrustedAddresses: []string{"127.0.30.1", "127.0.30.2"}, OptionsIntervalSeconds: 5}},
			Out: plan.Contract{Called: plan.Formats{Domestic: "e164", International: "e164"}, Caller: plan.Formats{Domestic: "e164", International: "e164"}},
		},
		Compared: 7,
		State: TrunkState{
			Watch:   Watch{Asked: at, Answers: true, RoundMs: 0.5, Evidence: "200 OK"},
			Sources: map[netip.Addr]Sighting{netip.MustParseAddr("127.0.30.1"): {}, netip.MustParseAddr("127.0.30.2"): {}},
			LastIn:  at, LastOut: at, Calls: CallCounts{In: 2, Answered: 3},
		},
		Used: []string{"path National"}, Table: &plan.Table{Name: "From the carriers", Rules: []plan.Rule{{}}}, Channels: 120, Calls: 2500,
	}
}

func TestEverythingIsProved(t *testing.T) {
	for _, c := range Checklist(byAddress()) {
		assert.Contains(t, []CheckState{CheckProved, CheckUnneeded}, c.State, "%+v", c)
		assert.NotEmpty(t, c.Seen)
		assert.Empty(t, c.Do, "%+v", c)
	}
}

func TestABelievedCertificateIsNamed(t *testing.T) {
	f := byAddress()
	until := time.Now().AddDate(1, 0, 0)
	shown(Shown{Until: until, Names: []string{"ostrel.example"}})(&f)
	c := of(t, f, "Certificate verified")
	assert.Equal(t, CheckProved, c.State)
	assert.Equal(t, "ostrel.example, until "+until.Format(time.DateOnly), c.Seen)
}

// shown has the far end's servers show certificates.
func shown(list ...Shown) func(*Facts) {
	return func(f *Facts) { f.Trunk.Link.SIP.Transport, f.Shown, f.Now = "tls", list, time.Now() }
}

// What is not proved says what to do about it.
func TestWhatIsNotProved(t *testing.T) {
	for name, c := range map[string]struct {
		what   string
		change func(f *Facts)
		want   CheckState
		seen   string
	}{
		"silent":         {"Response", func(f *Facts) { f.State.Watch = Watch{Misses: 2, Evidence: "no answer", Asked: time.Now()} }, CheckFailed, "no answer"},
		"never heard of": {"Response", func(f *Facts) { f.State.Watch = Watch{} }, CheckOpen, "no traffic yet"},
		"an address": {"Traffic from each trusted address", func(f *Facts) {
			f.Trunk.Link.SIP.TrustedAddresses = append(f.Trunk.Link.SIP.TrustedAddresses, "127.0.30.3")
		}, CheckOpen, "127.0.30.3"},
		"absent": {"Registration or trusted address", func(f *Facts) {
			f.Trunk.Link.SIP = &plan.SIP{Registration: plan.RegistrationInbound, InboundAccounts: []plan.Account{{User: "quay"}}}
			f.Missing = []string{"quay"}
		}, CheckFailed, "quay not registered"},
		"no secret":     {"Registration or trusted address", func(f *Facts) { f.NoSecret = []string{"quay"} }, CheckFailed, "no secret for quay"},
		"nothing used":  {"Outbound routing", func(f *Facts) { f.Used = nil }, CheckOpen, "no path"},
		"no rule":       {"Inbound routing table", func(f *Facts) { f.Table = &plan.Table{} }, CheckFailed, "no rule"},
		"peer":          {"Channels", func(f *Facts) { f.Peer = &plan.Trunk{Channels: 20} }, CheckFailed, "30 here, 20 at the opposite trunk"},
		"ports":         {"Channels", func(f *Facts) { f.Calls = 10 }, CheckFailed, "carry 10 calls"},
		"no contract":   {"Number contract", func(f *Facts) { f.Trunk.Out = plan.Contract{} }, CheckOpen, "unchanged"},
		"bought":        {"Channels", func(f *Facts) { f.Trunk.FarEndSettings.Channels = 20 }, CheckFailed, "30, but 20 ordered"},
		"ends":          {"Settings of both ends", func(f *Facts) { f.Differ = []string{"Transport", "Codecs"} }, CheckFailed, "Transport, Codecs"},
		"unknown end":   {"Settings of both ends", func(f *Facts) { f.Compared = 0 }, CheckOpen, "no far-end settings"},
		"no caller":     {"Calling number format", func(f *Facts) { f.Trunk.Out.Caller = plan.Formats{} }, CheckOpen, "unchanged"},
		"renew soon":    {"Certificate verified", shown(Shown{Until: time.Now().AddDate(0, 1, 5)}, Shown{Until: time.Now().AddDate(0, 0, 5)}), CheckFailed, "its certificate expires on " + time.Now().AddDate(0, 0, 5).Format(time.DateOnly)},
		"ended":         {"Certificate verified", shown(Shown{Until: time.Now().AddDate(0, 0, -1)}), CheckFailed, "the next connection is refused"},
		"unbelieved":    {"Certificate verified", shown(Shown{Until: time.Now().AddDate(1, 0, 0)}, Shown{Err: "it is for nobody"}), CheckFailed, "it is for nobody"},
		"certificate":   {"Certificate verified", func(f *Facts) { f.Trunk.Link.SIP.Transport = "tls"; f.Certificate = "it has expired" }, CheckFailed, "it has expired"},
		"not connected": {"Certificate verified", func(f *Facts) { f.Trunk.Link.SIP.Transport = "tls"; f.State.Watch = Watch{} }, CheckOpen, "no TLS connection"},
		"no call out":   {"Outbound call answered", func(f *Facts) { f.State.LastOut = time.Time{} }, CheckOpen, "none"},
		"no call in":    {"Inbound call received", func(f *Facts) { f.State.LastIn = time.Time{} }, CheckOpen, "none"},
	} {
		t.Run(name, func(t *testing.T) {
			f := byAddress()
			c.change(&f)
			got := of(t, f, c.what)
			assert.Equal(t, c.want, got.State)
			assert.Contains(t, got.Seen, c.seen)
			assert.NotEmpty(t, got.Do)
		})
	}
}
