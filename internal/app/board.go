package app

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/live/media"
	"switchback.example/switchback/internal/live/names"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/store"
)

// board runs the switches of the live plan.
type board struct {
	store      *store.Store
	plan       *live.Plan
	trunks     *live.Trunks
	recorder   *live.Recorder
	operations *operations
	feed       *live.Feed
	log        *slog.Logger
	// certificates are for TLS.
	certificates *live.Certificates
	names        *names.Resolver

	mu       sync.Mutex
	stations map[string]*station // by address
}

// station is a switch that runs: its calls, and what carries them.
type station struct {
	*call.Control
	sip *sip.Agent
}

// start starts a switch.
func (b *board) start(sw plan.Switch) (*station, error) {
	ops := b.operations
	s := &station{Control: call.New(call.Config{
		Switch: sw.ID, Host: sw.Host(), Plan: b.plan, Trunks: b.trunks, Registrations: ops.registrations, Recorder: b.recorder, Overrides: ops.overrides, Arrivals: ops.arrivals, Log: b.log,
	})}
	var err error
	s.sip, err = sip.Start(sip.Config{
		Switch: sw.ID, Address: sw.Listeners.SIP.Address, Control: s.Control, Plan: b.plan, Trunks: b.trunks, Recorder: b.recorder, Log: b.log,
		Secrets: ops.secrets, Registrations: ops.registrations, Gate: ops.gate, Certificates: b.certificates, Names: b.names, Lamps: &ops.lamps, Overrides: ops.overrides, Strangers: ops.strangers,
	})
	return s, err
}

// load compiles the live plan of the store and starts its switches.
func (b *board) load(ctx context.Context) error {
	p, revision, err := b.store.Live(ctx)
	if err != nil {
		return err
	}
	snapshot, problems := decide.Compile(p)
	if len(problems) > 0 {
		return fmt.Errorf("the live plan, revision %d, cannot run: %w (and %d more)", revision, problems[0], len(problems)-1)
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	b.plan.Swap(live.Running{Snapshot: snapshot, Revision: revision})
	b.resumeTrial(ctx)
	_, failed := b.bind(p)
	if len(failed) > 0 {
		return failed[0]
	}
	for _, p := range b.secure(p) { // other calls are carried all the same
		b.log.Error("a switch takes no connections over TLS", "place", p.Place, "why", p.Reason)
	}
	return nil
}

// bind starts every switch whose address has none yet.
func (b *board) bind(p plan.Plan) (started []string, problems []plan.Problem) {
	for _, sw := range p.Switches {
		if b.stations[sw.Listeners.SIP.Address] != nil {
			continue
		}
		a, err := b.start(sw)
		if err != nil {
			problems = append(problems, plan.Problem{Place: "/switches/" + sw.ID + "/listeners/sip/address", Reason: err.Error()})
			continue
		}
		b.stations[sw.Listeners.SIP.Address] = a
		started = append(started, sw.Listeners.SIP.Address)
	}
	return started, problems
}

// secure makes every switch take TLS where its switch says, and nowhere else: what
// one gives up, another may take.
func (b *board) secure(p plan.Plan) (problems []plan.Problem) {
	wanted := map[string]string{}
	for _, sw := range p.Switches {
		wanted[sw.Listeners.SIP.Address] = sw.Listeners.SIP.TLSAddress
	}
	for address, a := range b.stations {
		if at := a.sip.SecuredAt(); at != "" && at != wanted[address] {
			_ = a.sip.Secure("") // nothing stands in the way of that
		}
	}
	for _, sw := range p.Switches {
		if a := b.stations[sw.Listeners.SIP.Address]; a != nil {
			if err := a.sip.Secure(sw.Listeners.SIP.TLSAddress); err != nil {
				problems = append(problems, plan.Problem{Place: "/switches/" + sw.ID + "/listeners/sip/tlsAddress", Reason: err.Error()})
			}
		}
	}
	return problems
}

// GoLive prepares the draft (compile, bind addresses), commits it as a
// revision, and only then swaps it in. If anything fails the old plan stays.
func (b *board) GoLive(ctx context.Context, version int64, who, note string) (store.Revision, []plan.Problem, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	d, err := b.store.Draft(ctx)
	if err != nil {
		return store.Revision{}, nil, err
	}
	if d.Version != version {
		return store.Revision{}, nil, store.ErrDraftMoved
	}
	var before *decide.Snapshot
	if run := b.plan.Current(); run != nil {
		before = run.Snapshot
	}
	snapshot, problems := before.Compile(d.Plan)
	if len(problems) > 0 {
		return store.Revision{}, problems, nil
	}
	started, problems := b.bind(d.Plan)
	if len(problems) == 0 {
		problems = b.secure(d.Plan)
	}
	if len(problems) > 0 {
		b.back(before, started)
		return store.Revision{}, problems, nil
	}
	r, err := b.store.GoLive(ctx, version, who, note)
	if err != nil {
		b.back(before, started)
		return r, nil, err
	}
	b.plan.Swap(live.Running{Snapshot: snapshot, Revision: r.ID})
	if b.plan.Trial() != nil { // it was made on the plan before
		b.plan.Try(nil)
		b.feed.Tell(live.TopicTrial, "")
		if err := b.store.ForgetTrial(ctx); err != nil {
			b.log.Warn("the plan that was tried could not be dropped; it decides nothing any more", "error", err)
		}
	}
	b.feed.Tell(live.TopicPlan, "")
	b.retire(d.Plan)
	b.log.Info("plan went live", "revision", r.ID, "who", who, "changes", r.Changes)
	return r, nil, nil
}

// back makes the switches what they were before a go-live that failed.
func (b *board) back(before *decide.Snapshot, started []string) {
	b.unbind(started)
	if before != nil {
		_ = b.secure(before.Plan()) // it was possible before
	}
}

// stopPatience is how long calls are given to end when a switch stops.
const stopPatience = 3 * time.Second

// retire stops switches whose address no switch has any more; their calls end.
func (b *board) retire(p plan.Plan) {
	keep := map[string]bool{}
	for _, sw := range p.Switches {
		keep[sw.Listeners.SIP.Address] = true
	}
	var gone []string
	for address := range b.stations {
		if !keep[address] {
			gone = append(gone, address)
		}
	}
	b.unbind(gone)
}

func (b *board) unbind(addresses []string) {
	ctx, cancel := context.WithTimeout(context.Background(), stopPatience)
	defer cancel()
	var all sync.WaitGroup
	for _, address := range addresses {
		a := b.stations[address]
		delete(b.stations, address)
		all.Go(func() { a.Stop(ctx) })
	}
	all.Wait()
}

// stop stops every switch; calls end.
func (b *board) stop() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.retire(plan.Plan{})
}

// TestCall sends a straight test call by the switch of a trunk.
func (b *board) TestCall(t plan.Trunk, called, caller digits.Number, talk time.Duration) (call string, err error) {
	for _, a := range b.running() {
		if a.Switch == t.Switch {
			return a.TestCall(t.ID, called, caller, talk)
		}
	}
	return "", fmt.Errorf("switch %s does not run", t.Switch)
}

// PlaceCall begins a test call in the switch of the trunk from which it is to come.
func (b *board) PlaceCall(t plan.Trunk, in decide.Call, talk time.Duration) (leg string, err error) {
	for _, a := range b.running() {
		if a.Switch == t.Switch {
			return a.PlaceCall(in, talk)
		}
	}
	return "", fmt.Errorf("switch %s does not run", t.Switch)
}

// EndPlaced ends such a call; ok is false if none of the name runs.
func (b *board) EndPlaced(leg string) (ok bool) {
	for _, a := range b.running() {
		ok = ok || a.EndPlaced(leg)
	}
	return ok
}

// Unknown counts messages from unknown sources, by switch and by what became of them.
func (b *board) Unknown() map[string]map[string]int64 {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := map[string]map[string]int64{}
	for _, a := range b.stations {
		by := map[string]int64{}
		for what, n := range a.sip.UnknownBy() {
			by[string(what)] = n
		}
		out[a.Switch] = by
	}
	return out
}

// previewers are those of the protocols that trunks can have.
var previewers = map[string]call.Previewer{plan.ProtocolSIP: sip.Preview}

// Preview writes what a switch would send by a trunk for a call; nothing is sent.
func (b *board) Preview(sw plan.Switch, t plan.Trunk, o decide.Offer) ([]call.Preview, error) {
	write := previewers[t.Protocol()]
	if write == nil {
		return nil, fmt.Errorf("trunk %s has no link that could send anything", t.ID)
	}
	return write(sw, t, o)
}

// Ports says how many RTP ports each switch uses.
func (b *board) Ports() map[string]media.Use {
	b.mu.Lock()
	defer b.mu.Unlock()
	out := map[string]media.Use{}
	for _, a := range b.stations {
		out[a.Switch] = a.Ports()
	}
	return out
}

// running are the switches that are on their addresses.
func (b *board) running() []*station {
	b.mu.Lock()
	defer b.mu.Unlock()
	return slices.Collect(maps.Values(b.stations))
}
