package call

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"log/slog"
	"sync"
	"sync/atomic"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// Config is what calls need of their switch.
type Config struct {
	Switch        string // id in the plan
	Plan          *live.Plan
	Trunks        *live.Trunks
	Registrations *live.Registrations
	Recorder      *live.Recorder
	Overrides     *live.Overrides // nil for none
	Arrivals      *live.Arrivals  // nil for none
	Log           *slog.Logger
	// Second is how long a second of the longest call lasts; only tests make it shorter.
	Second time.Duration
	// Protocol names the carrier of a trunk; nil goes by the plan.
	Protocol func(*plan.Trunk) string
}

// Control is the call control of one switch. It is safe for concurrent use.
type Control struct {
	Config
	turns    *live.Turns
	journeys *journeys
	tests    atomic.Int64 // test calls that run
	work     Work         // calls, which must end before the switch may stop
	probes   Work         // far ends that are asked
	ctx      context.Context
	cancel   context.CancelFunc

	mu       sync.Mutex
	carriers map[string]Carrier
	calls    map[*Call]bool
	closing  map[*Call][]func() // what is done when they are over
	placed   map[string]*test   // test calls by the plan, by the name of the leg on which they begin
	stopped  bool
	// ports for media, and the settings that they were made for.
	ports    *relay.Ports
	portsAre [3]any
}

// New returns the call control of a switch.
func New(cfg Config) *Control {
	if cfg.Second == 0 {
		cfg.Second = time.Second
	}
	if cfg.Protocol == nil {
		cfg.Protocol = (*plan.Trunk).Protocol
	}
	ctl := &Control{Config: cfg, turns: live.NewTurns(), journeys: newJourneys(), carriers: map[string]Carrier{}, calls: map[*Call]bool{}, closing: map[*Call][]func(){}, placed: map[string]*test{}}
	ctl.ctx, ctl.cancel = context.WithCancel(context.Background())
	go ctl.watch()
	return ctl
}

// Carry has a carrier carry the calls of trunks of a protocol from now on. Calls that another one
// carries stay with it, until it is retired.
func (ctl *Control) Carry(protocol string, c Carrier) {
	ctl.mu.Lock()
	defer ctl.mu.Unlock()
	ctl.carriers[protocol] = c
}

// carrierOf is the carrier of a trunk; nil where none of its protocol runs.
func (ctl *Control) carrierOf(t *plan.Trunk) Carrier {
	name := ctl.Protocol(t)
	ctl.mu.Lock()
	defer ctl.mu.Unlock()
	return ctl.carriers[name]
}

// Stop ends every call, waits until they are over or the context ends, and stops the carriers.
func (ctl *Control) Stop(ctx context.Context) {
	ctl.cancel()
	ctl.mu.Lock()
	ctl.stopped = true
	var list []*Call
	for c := range ctl.calls {
		list = append(list, c)
	}
	ctl.mu.Unlock()
	for _, c := range list {
		c.happened(core.Event{Kind: core.Stopped})
	}
	for _, work := range []*Work{&ctl.work, &ctl.probes} {
		select {
		case <-work.Drained():
		case <-ctx.Done():
		}
	}
	var carriers sync.WaitGroup
	for _, c := range ctl.running() {
		carriers.Go(func() { c.Stop(ctx) })
	}
	carriers.Wait()
}

// Retire ends the calls that have a leg on a carrier, waits until they are over or the context
// ends, and stops it.
func (ctl *Control) Retire(ctx context.Context, carrier Carrier) {
	var over sync.WaitGroup
	ctl.mu.Lock()
	for protocol, c := range ctl.carriers {
		if c == carrier {
			delete(ctl.carriers, protocol)
		}
	}
	for c := range ctl.calls {
		over.Add(1)
		c.owner.post(func() {
			if !c.isOn(carrier) || !ctl.whenClosed(c, over.Done) {
				over.Done()
				return
			}
			c.tell(core.Event{Kind: core.Stopped})
		})
	}
	ctl.mu.Unlock()
	ended := make(chan struct{})
	go func() { over.Wait(); close(ended) }()
	select {
	case <-ended:
	case <-ctx.Done():
	}
	carrier.Stop(ctx)
}

// whenClosed has something done when a call is over; false if it is.
func (ctl *Control) whenClosed(c *Call, do func()) bool {
	ctl.mu.Lock()
	defer ctl.mu.Unlock()
	if ctl.calls[c] {
		ctl.closing[c] = append(ctl.closing[c], do)
		return true
	}
	return false
}

// running are the carriers.
func (ctl *Control) running() (list []Carrier) {
	ctl.mu.Lock()
	defer ctl.mu.Unlock()
	for _, c := range ctl.carriers {
		list = append(list, c)
	}
	return list
}

// newCall is a call by a plan.
func (ctl *Control) newCall(run *live.Running) *Call {
	c := &Call{ctl: ctl, run: run, called: newName()}
	c.rec = record.Call{ID: newID(), Switch: ctl.Switch, Revision: run.Revision, Started: time.Now()}
	return c
}

// open counts a call until it is over; false if the switch is stopping.
func (ctl *Control) open(c *Call) bool {
	ctl.mu.Lock()
	defer ctl.mu.Unlock()
	if ctl.stopped {
		return false
	}
	ctl.calls[c] = true
	ctl.work.Begin()
	return true
}

func (ctl *Control) closed(c *Call) {
	ctl.mu.Lock()
	delete(ctl.calls, c)
	then := ctl.closing[c]
	delete(ctl.closing, c)
	ctl.mu.Unlock()
	for _, do := range then {
		do()
	}
	ctl.work.End()
}

// Running is how many calls there are.
func (ctl *Control) Running() int {
	ctl.mu.Lock()
	defer ctl.mu.Unlock()
	return len(ctl.calls)
}

// zone is the zone in which times are told: that of the switch.
func (ctl *Control) zone() *time.Location {
	if run := ctl.Plan.Current(); run != nil {
		if sw, ok := run.Snapshot.Switch(ctl.Switch); ok {
			return sw.Zone()
		}
	}
	return time.UTC
}

// newID is a name that nobody else has.
func newID() string {
	var b [12]byte
	_, _ = rand.Read(b[:]) // never fails (crypto/rand)
	return hex.EncodeToString(b[:])
}

// newName is a name for an end that has none: 128 random bits (RFC 7989 section 4.1).
func newName() string {
	var b [16]byte
	_, _ = rand.Read(b[:]) // never fails (crypto/rand)
	return hex.EncodeToString(b[:])
}

func millis(n int) time.Duration { return time.Duration(n) * time.Millisecond }
