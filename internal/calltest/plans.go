package calltest

import (
	"compress/gzip"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/demo"
)

// Plan is the demo plan, as skerry-line, or one of testdata/plans.
func Plan(t testing.TB, name string) plan.Plan {
	t.Helper()
	if name == "skerry-line" {
		p, err := demo.Plan()
		require.NoError(t, err)
		return p
	}
	f, err := os.Open(filepath.Join(Root(), "testdata", "plans", name+".json"))
	require.NoError(t, err)
	defer f.Close()
	p, err := document.Read(f)
	require.NoError(t, err)
	return p
}

// Compile compiles a plan that is valid.
func Compile(t testing.TB, p plan.Plan) *decide.Snapshot {
	t.Helper()
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	return s
}

// Small is a plan in which a phone reaches an emergency number by a prefix and a second
// table, by two carriers.
func Small(country string) plan.Plan {
	p := plan.New("help")
	p.Switches = []plan.Switch{{ID: "sw", Name: "Switch", Region: plan.Region{Country: country}, Listeners: plan.Listeners{SIP: plan.SIPListener{Address: "127.1.0.1:5060"}}}}
	p.FarEnds = []plan.FarEnd{{ID: "phones", Name: "Phones", Kind: plan.PhoneSystem}, {ID: "one", Name: "One", Kind: plan.Carrier}, {ID: "two", Name: "Two", Kind: plan.Carrier}}
	for i, id := range []string{"phones", "one", "two"} {
		p.Trunks = append(p.Trunks, plan.Trunk{
			ID: id, Name: id, Switch: "sw", FarEnd: id, Channels: 1, InboundTable: "in",
			Link: plan.Link{SIP: &plan.SIP{RemoteAddress: fmt.Sprintf("127.1.0.%d:5060", i+2), TrustedAddresses: []string{fmt.Sprintf("127.1.0.%d", i+2)}}},
		})
	}
	p.Paths = []plan.Path{{ID: "out", Name: "Out", Switch: "sw", Choices: []plan.Choice{{Trunk: "one"}, {Trunk: "two"}}}}
	p.Destinations = []plan.Destination{{ID: "desk", Name: "Desk", Kind: "extension", Trunk: "phones", Number: "2000"}}
	p.Tables = []plan.Table{
		{ID: "in", Name: "In", Switch: "sw", Order: plan.AsListed, Rules: []plan.Rule{
			{ID: "prefix", Name: "Prefix", Match: plan.Match{Called: "9x."}, CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: 1}}, Then: plan.Then{Table: "world"}},
			{ID: "plain", Name: "Plain", Then: plan.Then{Table: "world"}},
		}},
		{ID: "world", Name: "World", Switch: "sw", Order: plan.AsListed, Rules: []plan.Rule{{ID: "all", Name: "All", Match: plan.Match{Called: "x."}, Then: plan.Then{Path: "out"}}}},
	}
	return p
}

// WithoutGroups lets everybody make every call, so that contracts alone decide.
func WithoutGroups(p *plan.Plan) {
	p.CallerGroups = nil
	for i := range p.Tables {
		p.Tables[i].Rules = slices.DeleteFunc(slices.Clone(p.Tables[i].Rules), func(r plan.Rule) bool { return r.Then.SetCalendar != nil }) // only groups may
		for j := range p.Tables[i].Rules {
			p.Tables[i].Rules[j].CallerGroups = nil
		}
	}
}

// OneRule is a plan in which one rule takes every outside number, so that only leave
// can hold a call back.
func OneRule(groups ...plan.CallerGroup) plan.Plan {
	p := plan.New("leave")
	p.Switches = []plan.Switch{{ID: "quay", Name: "Quay", Region: plan.Region{Country: "GB", Area: "191", TimeZone: "Europe/London"}, Listeners: plan.Listeners{SIP: plan.SIPListener{Address: "127.1.0.1:5060"}}}}
	p.FarEnds = []plan.FarEnd{{ID: "phones", Name: "Phones", Kind: plan.PhoneSystem}, {ID: "ostrel", Name: "Ostrel", Kind: plan.Carrier}}
	p.Trunks = []plan.Trunk{
		{ID: "phones", Name: "Phones", Switch: "quay", FarEnd: "phones", Channels: 9, InboundTable: "out", In: plan.Inbound{CalledFormat: numbering.AsDialled, CallerFormat: numbering.Private}, Link: plan.Link{SIP: &plan.SIP{RemoteAddress: "127.1.0.2:5060", TrustedAddresses: []string{"127.1.0.2"}}}},
		{ID: "ostrel", Name: "Ostrel", Switch: "quay", FarEnd: "ostrel", Channels: 9, InboundTable: "in", In: plan.Inbound{CalledFormat: numbering.E164, CallerFormat: numbering.E164}, Link: plan.Link{SIP: &plan.SIP{RemoteAddress: "127.1.0.3:5060", TrustedAddresses: []string{"127.1.0.3"}}}},
	}
	p.Tables = []plan.Table{
		{ID: "out", Name: "Out", Switch: "quay", Order: plan.AsListed, Rules: []plan.Rule{
			{ID: "emergency", Name: "Emergency", Match: plan.Match{Called: "999|112"}, Then: plan.Then{Path: "outside"}},
			{ID: "inside", Name: "Inside", Match: plan.Match{Called: "2xxx"}, CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.Private}}, Then: plan.Then{Destination: "phones"}},
			{ID: "outside", Name: "Outside", Match: plan.Match{Called: "9x."}, CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: 1}}, Then: plan.Then{Table: "world"}},
		}},
		{ID: "world", Name: "World", Switch: "quay", Order: plan.AsListed, Rules: []plan.Rule{
			{ID: "abroad", Name: "Abroad", Match: plan.Match{Called: "00x."}, CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.International}}, Then: plan.Then{Path: "outside"}},
			{ID: "home", Name: "All of Britain", Match: plan.Match{Called: "0x."}, CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.National}}, Then: plan.Then{Path: "outside"}},
		}},
		{ID: "in", Name: "In", Switch: "quay", Order: plan.AsListed, Rules: []plan.Rule{
			{ID: "all", Name: "All", CalledSteps: []rewrite.Step{{Op: rewrite.ReplaceAll, Digits: "2000"}, {Op: rewrite.InterpretAs, Format: numbering.Private}}, Then: plan.Then{Destination: "phones"}},
		}},
	}
	p.Paths = []plan.Path{{ID: "outside", Name: "Outside", Switch: "quay", Choices: []plan.Choice{{Trunk: "ostrel"}}}}
	p.Destinations = []plan.Destination{{ID: "phones", Name: "Phones", Kind: "extensions", Trunk: "phones", NumberPattern: "2xxx"}}
	p.Calendars = []plan.Calendar{{ID: "office", Name: "Office", Week: []hours.Weekly{{Days: []string{"mon", "tue", "wed", "thu", "fri"}, From: "09:00", To: "17:00", State: "day"}}, DefaultState: "night"}}
	p.CallerGroups = groups
	return p
}

// OneByOne is OneRule, collecting digits, with tables whose rules end in one path, but for those that go on.
func OneByOne(tables ...[]plan.Rule) plan.Plan {
	p := OneRule()
	p.Tables = nil
	for i, rules := range tables {
		id := fmt.Sprint("t", i)
		for j := range rules {
			rules[j].ID = fmt.Sprintf("%s-r%d", id, j)
			rules[j].Name = rules[j].ID
			if rules[j].Then == (plan.Then{}) {
				rules[j].Then.Path = "outside"
			}
		}
		p.Tables = append(p.Tables, plan.Table{ID: id, Name: id, Switch: "quay", Order: plan.AsListed, Rules: rules})
	}
	p.Trunks[0].InboundTable, p.Trunks[1].InboundTable = "t0", ""
	p.Trunks[0].Overlap = plan.Overlap{Enabled: true, FirstDigitMs: 9000, PartialMs: 5000, CriticalMs: 3000}
	return p
}

// Version1 is a file of testdata/version1: what the commit before plan version 2 wrote.
func Version1(t testing.TB, name string) io.Reader {
	t.Helper()
	f, err := os.Open(filepath.Join(Root(), "testdata", "version1", name))
	require.NoError(t, err)
	t.Cleanup(func() { f.Close() })
	z, err := gzip.NewReader(f)
	require.NoError(t, err)
	return z
}
