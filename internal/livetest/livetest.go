// Package livetest runs a switch and stand-ins for tests, with a recorder that
// keeps everything in memory. It is for tests only.
package livetest

import (
	"context"
	"io"
	"log/slog"
	"net"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/live/names"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/standin"
)

// Memory is an archive and an index that forget nothing.
type Memory struct {
	mu       sync.Mutex
	messages []record.Message
	calls    map[string]record.Call
	order    []string
}

// Append keeps every message.
func (m *Memory) Append(messages []record.Message) (places []record.Place, lost int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.messages = append(m.messages, messages...)
	return nil, 0
}

// Save keeps every call.
func (m *Memory) Save(_ context.Context, _ []record.Place, calls []record.Call) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.calls == nil {
		m.calls = map[string]record.Call{}
	}
	for _, c := range calls {
		if _, known := m.calls[c.ID]; !known {
			m.order = append(m.order, c.ID)
		}
		m.calls[c.ID] = c
	}
	return nil
}

// Messages returns every message so far, in order.
func (m *Memory) Messages() []record.Message {
	m.mu.Lock()
	defer m.mu.Unlock()
	return append([]record.Message(nil), m.messages...)
}

// CallByLeg returns the call whose caller's leg has a Call-ID.
func (m *Memory) CallByLeg(callID string) (record.Call, bool) {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, id := range m.order {
		if c := m.calls[id]; c.Legs[0].Key == callID {
			return c, true
		}
	}
	return record.Call{}, false
}

// Calls returns every call in order of appearance.
func (m *Memory) Calls() []record.Call {
	m.mu.Lock()
	defer m.mu.Unlock()
	var out []record.Call
	for _, id := range m.order {
		out = append(out, m.calls[id])
	}
	return out
}

// Setup says how a bench differs from the demo.
type Setup struct {
	// Change may change the plan before it runs.
	Change func(p *plan.Plan)
	// Second is how long a second of the long timers lasts; 0 is a second.
	Second time.Duration
	// Certificates is the folder of those for TLS; empty for none.
	Certificates string
	// NameServer is asked for the names of far ends; empty for none.
	NameServer string
	// StrangerBudget is how many messages a second strangers may send; 0 is the usual.
	StrangerBudget int
	// Protocol names the carrier of a trunk; nil goes by the plan.
	Protocol func(*plan.Trunk) string
	// T1 is the round trip of SIP's timers, and Wire what stands between sockets and switches;
	// 0 and nil are as in service.
	T1   time.Duration
	Wire func(net.PacketConn) net.PacketConn
	// Also names switches that run beside the quay.
	Also []string
	// Without names stand-ins whose addresses the test takes itself.
	Without []string
}

// The demo lives in 127.0.x.x; tests live beside it, so that both can run.
const (
	demoNet = "127.0."
	testNet = "127.1."
	lockAt  = "127.1.0.1:5059" // held while a bench runs: its addresses exist once
)

// Address turns an address of the demo into that of the test.
func Address(demo string) string { return strings.Replace(demo, demoNet, testNet, 1) }

// Bench is a running switch with the demo's stand-ins.
type Bench struct {
	*Memory
	Station            // of the quay
	Others   []Station // of the switches that run beside it
	Plan     *live.Plan
	Trunks   *live.Trunks
	StandIns *standin.Set
	// Secrets of accounts, who registered, and who is blocked.
	Secrets       *live.Secrets
	Registrations *live.Registrations
	Gate          *live.Gate
	Overrides     *live.Overrides
	Strangers     *live.Strangers
}

// Station is a switch that runs.
type Station struct {
	Control *call.Control
	Agent   *sip.Agent
}

// Stop stops the switch, as an operator does.
func (s Station) Stop(ctx context.Context) { s.Control.Stop(ctx) }

// start runs a switch.
func (b *Bench) start(t testing.TB, sw plan.Switch, setup Setup, recorder *live.Recorder, log *slog.Logger) (s Station) {
	s.Control = call.New(call.Config{
		Switch: sw.ID, Plan: b.Plan, Trunks: b.Trunks, Registrations: b.Registrations, Recorder: recorder, Overrides: b.Overrides, Log: log, Second: setup.Second, Protocol: setup.Protocol,
	})
	var err error
	s.Agent, err = sip.Start(sip.Config{
		Switch: sw.ID, Address: sw.Listeners.SIP.Address, Control: s.Control, Plan: b.Plan, Trunks: b.Trunks, Recorder: recorder, Log: log,
		Secrets: b.Secrets, Registrations: b.Registrations, Gate: b.Gate, Overrides: b.Overrides, Strangers: b.Strangers,
		Second: setup.Second, T1: setup.T1, Wire: setup.Wire, StrangerBudget: setup.StrangerBudget, Certificates: live.NewCertificates(setup.Certificates), Names: names.New(setup.NameServer),
	})
	require.NoError(t, err)
	s.Control.Carry(plan.ProtocolSIP, s.Agent.Carrier())
	if setup.Certificates != "" {
		require.NoError(t, s.Agent.Secure(sw.Listeners.SIP.TLSAddress))
	}
	return s
}

// Start runs the demo's quay switch and stand-ins on the tests' own addresses.
// All of it ends with the test.
func Start(t testing.TB, setup Setup) *Bench {
	Lock(t)
	p := Plan(t, setup.Change)
	feed := live.NewFeed(0)
	b := &Bench{
		Memory: &Memory{}, Plan: &live.Plan{}, Trunks: live.NewTrunks(feed),
		Secrets: live.NewSecrets(nil), Registrations: live.NewRegistrations(feed), Gate: live.NewGate(feed), Overrides: live.NewOverrides(feed, nil), Strangers: live.NewStrangers(),
	}
	b.GoLive(t, p)
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	recorder := live.NewRecorder(b.Memory, b.Memory, live.NewFeed(0), quiet)
	ctx, cancel := context.WithCancel(context.Background())
	recording := make(chan struct{})
	go func() { recorder.Run(ctx); close(recording) }()
	stations := []Station{}
	for _, sw := range p.Switches {
		if sw.ID == "quay" || slices.Contains(setup.Also, sw.ID) {
			stations = append(stations, b.start(t, sw, setup, recorder, quiet))
		}
	}
	b.Station, b.Others = stations[0], stations[1:]
	var err error
	b.StandIns, err = standin.NewSet(StandIns(setup.Without...))
	require.NoError(t, err)
	require.NoError(t, b.StandIns.Start())
	t.Cleanup(func() {
		stop, done := context.WithTimeout(context.Background(), farewell)
		defer done()
		for _, s := range stations {
			s.Stop(stop)
		}
		b.StandIns.Stop()
		cancel()
		<-recording
	})
	return b
}

// farewell is how long the switch may wait at the end of a test for answers to its BYEs: bare
// sockets give none.
const farewell = 200 * time.Millisecond

// Lock waits until no other test process uses the tests' addresses. It is given
// back by release, or when the test ends. A test that holds it may take it again:
// one that stops a switch and starts it anew is not to wait for others in between.
func Lock(t testing.TB) (release func()) {
	locked.Lock()
	defer locked.Unlock()
	if locked.times == 0 {
		require.Eventually(t, func() bool {
			var err error
			locked.held, err = net.Listen("tcp", lockAt)
			return err == nil
		}, 5*time.Minute, 20*time.Millisecond, "another test holds %s", lockAt)
	}
	locked.times++
	release = sync.OnceFunc(func() {
		locked.Lock()
		defer locked.Unlock()
		if locked.times--; locked.times == 0 {
			locked.held.Close()
		}
	})
	t.Cleanup(release)
	return release
}

// locked is the lock as this process holds it.
var locked struct {
	sync.Mutex
	held  net.Listener
	times int
}

// atTheQuay are the far ends whose trunks a bench knows by their addresses alone.
var atTheQuay = map[string]string{"quay-phones": "127.0.20.1:5060", "ostrel": "127.0.30.1:5060", "penhallow": "127.0.31.1:5060"}

// Plan is the demo's plan on the tests' addresses, not watched by OPTIONS and
// without registrations and credentials, so that the wire holds nothing but calls.
func Plan(t testing.TB, change func(p *plan.Plan)) plan.Plan {
	p, err := demo.Plan()
	require.NoError(t, err)
	for i := range p.Switches {
		p.Switches[i].Listeners.SIP.Address, p.Switches[i].Listeners.SIP.TLSAddress = Address(p.Switches[i].Listeners.SIP.Address), Address(p.Switches[i].Listeners.SIP.TLSAddress)
	}
	for i := range p.Trunks {
		s := p.Trunks[i].Link.SIP
		if at, ok := atTheQuay[p.Trunks[i].ID]; ok && s.Registration == plan.RegistrationInbound {
			s.RemoteAddress, s.TrustedAddresses = at, []string{strings.TrimSuffix(at, ":5060")}
		}
		if s.DNSName != "" {
			s.RemoteAddress, s.DNSName = atTheQuay[p.Trunks[i].ID], ""
		}
		s.Registration, s.OutboundAccounts, s.InboundAccounts = "", nil, nil
		s.RemoteAddress, s.OptionsIntervalSeconds = Address(s.RemoteAddress), 0
		for j := range s.Targets {
			s.Targets[j].Address = Address(s.Targets[j].Address)
		}
		for j := range s.TrustedAddresses {
			s.TrustedAddresses[j] = Address(s.TrustedAddresses[j])
		}
	}
	alwaysOpen(&p)
	if change != nil {
		change(&p)
	}
	return p
}

// Whole is the demo's plan with all that it has, on the tests' addresses.
func Whole(t testing.TB) plan.Plan {
	text := strings.ReplaceAll(string(demo.Document()), demoNet, testNet)
	p, err := document.Read(strings.NewReader(text))
	require.NoError(t, err)
	alwaysOpen(&p)
	return p
}

// alwaysOpen lets it be day at any hour: tests run at all of them.
func alwaysOpen(p *plan.Plan) {
	for i := range p.Calendars {
		h := &p.Calendars[i]
		h.OverrideOnlyStates, h.Week, h.DefaultState = h.States(), []hours.Weekly{}, "day"
		h.Dates, h.Holidays = nil, hours.Holidays{}
	}
}

// WholeStandIns are the demo's stand-ins with all that they do, with their
// certificates in a folder.
func WholeStandIns(certificates string) []standin.Config {
	var out []standin.Config
	for _, c := range demo.StandIns(certificates) {
		c.Address, c.Switch = Address(c.Address), Address(c.Switch)
		for i := range c.Also {
			c.Also[i] = Address(c.Also[i])
		}
		out = append(out, c)
	}
	return out
}

// StandIns are the demo's stand-ins on the tests' addresses, but for some.
func StandIns(without ...string) []standin.Config {
	var out []standin.Config
	for _, c := range demo.StandIns("") {
		if !slices.Contains(without, c.ID) {
			c.Address, c.Switch = Address(c.Address), Address(c.Switch)
			c.Also, c.Registers, c.Accounts, c.Challenges = nil, nil, nil, false
			out = append(out, c)
		}
	}
	return out
}

// GoLive puts a plan in force.
func (b *Bench) GoLive(t testing.TB, p plan.Plan) {
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	b.Plan.Swap(live.Running{Snapshot: s, Revision: 1})
}

// Place lets a stand-in call and returns the Call-ID.
func (b *Bench) Place(t testing.TB, from string, d standin.Dial) string {
	id, err := b.StandIns.Find(from).Place(d)
	require.NoError(t, err)
	return id
}

// patience bounds every wait of a test: it says that something never came, not
// how fast it must be.
const patience = 45 * time.Second

// Wait waits until the call with this Call-ID is as wanted.
func (b *Bench) Wait(t testing.TB, callID string, wanted func(record.Call) bool) record.Call {
	var last record.Call
	require.Eventually(t, func() bool {
		c, ok := b.CallByLeg(callID)
		last = c
		return ok && wanted(c)
	}, patience, 10*time.Millisecond, "the call never got there")
	return last
}

// WaitEnd waits until the call has ended.
func (b *Bench) WaitEnd(t testing.TB, callID string) record.Call {
	return b.Wait(t, callID, func(c record.Call) bool { return !c.Running() })
}
