// Package sip runs a switch on SIP over UDP and TCP, as a back-to-back user agent
// (RFC 3261, RFC 7092): it takes calls from trusted addresses, asks package
// decide what to do with them, and carries them out on a leg of its own.
//
// It stands on core/wire/sip and the transactions of core/machine: one goroutine
// reads each socket and connection, and messages are handled in the order of the
// wire. What goes
// where is never decided here.
package sip

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/hashicorp/golang-lru/v2/simplelru"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/live/names"
)

// Config is what an agent needs.
type Config struct {
	Switch  string // id in the plan
	Address string // to bind: address and port
	Plan    *live.Plan
	// Control runs the calls of the switch. It is stopped before the agent is.
	Control  *call.Control
	Trunks   *live.Trunks
	Recorder *live.Recorder
	// Secrets of accounts, who registered, and who is blocked.
	Secrets       *live.Secrets
	Registrations *live.Registrations
	Gate          *live.Gate
	// Names finds far ends by their names; nil for none.
	Names *names.Resolver
	// Certificates are for TLS; nil for none.
	Certificates *live.Certificates
	// Lamps keeps what is said of messages that wait.
	Lamps *live.Lamps
	// Overrides are the calendars that are set by hand; nil for none.
	Overrides *live.Overrides
	// Strangers keeps what came from nobody's address; nil for nobody.
	Strangers *live.Strangers
	Log       *slog.Logger
	// StrangerBudget is how many messages a second strangers may send, together and each; 0 is
	// the bounds of package guard.
	StrangerBudget int
	// Second is how long a second of the long timers lasts (sessions,
	// registrations); 0 is a second. Only tests make it shorter.
	Second time.Duration
	// T1 is the round trip by which messages are sent again; 0 is 500 ms (RFC 3261 section
	// 17.1.1.1). Only tests make it shorter.
	T1 time.Duration
	// Wire stands between a socket for datagrams and who reads it; nil for nothing. Only tests
	// have one.
	Wire func(net.PacketConn) net.PacketConn
}

// Agent is one running switch. Make one with Start.
type Agent struct {
	Config
	host string
	port int

	tap     *tap
	layer   *layer
	sockets *sockets
	// waits says that the reader of strangers waits while their budget is used up.
	waits        atomic.Bool
	preferFailed bool

	ctx  context.Context // ends when the agent stops
	stop context.CancelFunc
	work call.Work

	unwatch func() // of overrides of calendars

	door       *door // to strangers
	nonces     *nonces
	slowed     atomic.Int64             // refusals that wait
	ours       map[ourKey]*registration // of the watching goroutine
	registered chan *registration       // whose REGISTER is over
	lookingUp  map[string]bool          // trunks, of the watching goroutine
	lookedUp   chan string              // trunks whose look-up is over

	mu      sync.Mutex
	dialogs map[dialogKey]*dialog
	// collecting are the legs that wait for more digits.
	collecting    map[overlapKey]*leg
	subscriptions map[dialogKey]*subscription // of lamps
	paces         *simplelru.LRU[netip.Addr, *pace]
	guesses       *simplelru.LRU[string, *guard.Rate] // at accounts that failed too often
	failing       map[netip.AddrPort]time.Time        // servers that are tried last until then
}

// ReceiveBuffer is what the socket is asked to hold while the switch is busy, in
// bytes: some thousand messages. What comes past it is lost, and sent again.
const ReceiveBuffer = 4 << 20

// Start binds the address and takes calls; what goes out it gets once call control has its Carrier
// carry calls.
func Start(cfg Config) (*Agent, error) {
	addr, err := netip.ParseAddrPort(cfg.Address)
	if err != nil {
		return nil, fmt.Errorf("switch %s: %w", cfg.Switch, err)
	}
	if cfg.Second == 0 {
		cfg.Second = time.Second
	}
	if cfg.Lamps == nil {
		cfg.Lamps = &live.Lamps{}
	}
	a := &Agent{
		Config: cfg, host: addr.Addr().String(), port: int(addr.Port()), dialogs: map[dialogKey]*dialog{}, collecting: map[overlapKey]*leg{},
		door: newDoor(cfg.StrangerBudget), nonces: newNonces(), ours: map[ourKey]*registration{}, registered: make(chan *registration, 16),
		lookingUp: map[string]bool{}, lookedUp: make(chan string, 16), subscriptions: map[dialogKey]*subscription{}, paces: bounded[netip.Addr, *pace](), guesses: bounded[string, *guard.Rate](), failing: map[netip.AddrPort]time.Time{},
	}
	a.ctx, a.stop = context.WithCancel(context.Background())
	a.tap = &tap{
		switchID: cfg.Switch, local: addr.String(), admit: a.admit, seen: cfg.Trunks.Seen, strange: a.noteDropped, met: a.door.met, says: cfg.Trunks.SaysTime, keep: cfg.Recorder.Message,
		flows: map[netip.AddrPort]*flow{}, names: map[netip.AddrPort]string{},
	}
	a.layer = newLayer(nil, addr, a.tap, cfg.Log)
	a.layer.ms = a.ms
	a.tap.secure = a.layer.secure.at
	a.layer.handle, a.layer.ack, a.layer.sameSide, a.layer.forHelp = a.onRequest, a.onAck, a.sameSide, a.goesOn
	for _, s := range []*streams{a.layer.streams, a.layer.secure} {
		s.known = func(from netip.Addr) bool {
			run := a.Plan.Current()
			return run != nil && a.workedFrom(run)(guard.Single(from))
		}
	}
	a.layer.secure.take, a.layer.secure.dial = serverSide(cfg.Certificates, cfg.Switch), a.clientSide
	if err := a.layer.streams.listen(); err != nil {
		return nil, fmt.Errorf("switch %s cannot take its address for connections (does another Switchback, or another program, run here?): %w", cfg.Switch, err)
	}
	// After the listener, which nobody else can share: two sockets for datagrams can be.
	if a.sockets, err = bind(addr); err != nil {
		a.layer.streams.close()
		return nil, fmt.Errorf("switch %s cannot take its address (does another Switchback run here?): %w", cfg.Switch, err)
	}
	a.layer.conn = a.sockets.strange
	a.preferDue()
	if a.Overrides != nil {
		a.unwatch = a.Overrides.Watch(a.hoursChanged)
	}
	if known := a.sockets.known; known != nil {
		go a.serve(known, func() {})
	}
	go a.serve(a.sockets.strange, func() { a.rest(a.ctx) })
	go a.watch()
	return a, nil
}

// ms is how long so many milliseconds of the protocol's timers last.
func (a *Agent) ms(n int) time.Duration {
	if a.T1 == 0 {
		return millis(n)
	}
	return time.Duration(n) * a.T1 / machine.T1
}

// Held are the dialogs and transactions that the switch has: none, a while after its last call.
func (a *Agent) Held() (dialogs, transactions int) {
	a.mu.Lock()
	dialogs = len(a.dialogs)
	a.mu.Unlock()
	a.layer.mu.Lock()
	defer a.layer.mu.Unlock()
	return dialogs, len(a.layer.clients) + len(a.layer.servers)
}

// serve reads a socket for datagrams; after is called behind each.
func (a *Agent) serve(conn net.PacketConn, after func()) {
	if a.Wire != nil {
		conn = a.Wire(conn)
	}
	if err := a.layer.serve(conn, after); !errors.Is(err, net.ErrClosed) && a.ctx.Err() == nil {
		a.Log.Error("switch stopped listening", "switch", a.Switch, "error", err)
	}
}

// onRequest takes a new request, but ACK and the CANCEL of a call, on the reading goroutine.
func (a *Agent) onRequest(t *inbound) {
	method := t.req.Method
	if run := a.Plan.Current(); run != nil {
		d := a.findDialog(t.req)
		_, isKnown := a.knownSource(run, t.source)
		switch {
		case d != nil && !a.belongs(t, run, d):
			return
		case d == nil && !isKnown && method != "REGISTER" && method != "INVITE":
			sw, _ := run.Snapshot.Switch(a.Switch)
			a.stranger(t, run, sw)
			return
		}
	}
	if wants := unsupported(t.req); len(wants) > 0 {
		t.reply(420, newID(), [2]string{"Unsupported", strings.Join(wants, ", ")}) // RFC 3261 section 8.2.2.3
		return
	}
	if uri, _ := wire.ReadURI(t.req.URI); uri.Scheme != "sip" && uri.Scheme != "sips" && (method != "INVITE" || uri.Scheme != "tel" && !numbering.IsServiceURN(t.req.URI)) {
		t.reply(416, newID())
		return
	}
	switch {
	case method == "INVITE":
		a.onInvite(t)
	case method == "REGISTER":
		a.onRegister(t)
	case method == "BYE":
		a.onBye(t)
	case method == "CANCEL": // of no call
		t.reply(481, "")
	case method == "OPTIONS":
		t.reply(200, newID(), [2]string{"Allow", allowed}, [2]string{"Supported", supported + ", 100rel"})
	case method == "SUBSCRIBE":
		a.onSubscribe(t)
	case method == "NOTIFY":
		a.onNotify(t)
	case carried[method]:
		a.within(t)
	default:
		t.reply(405, newID(), [2]string{"Allow", allowed})
	}
}

// Stop waits for what is still to be sent until the context ends, and gives the address back. The
// calls are over: their control was stopped before.
func (a *Agent) Stop(ctx context.Context) {
	a.stop()
	if a.unwatch != nil {
		a.unwatch()
	}
	select {
	case <-a.work.Drained():
	case <-ctx.Done():
	}
	a.layer.close()
	a.sockets.close()
}

const (
	allowed   = "INVITE, ACK, CANCEL, BYE, OPTIONS, PRACK, UPDATE, INFO, REGISTER, SUBSCRIBE"
	supported = "timer" // and 100rel where it can be kept
)

// allowedOn are the methods that the far end of a trunk may use.
func allowedOn(t *plan.Trunk) string {
	list := allowed
	if t.Services.Transfer {
		list += ", REFER"
	}
	if t.Services.MWIAccept {
		list += ", NOTIFY"
	}
	return list
}

// supportedOn are the extensions that the far end of a trunk may use.
func supportedOn(t *plan.Trunk) string {
	if t.Services.Replaces {
		return supported + ", replaces"
	}
	return supported
}

// unsupported lists what a request demands and the switch does not know.
func unsupported(req *wire.Message) (list []string) {
	if req.Method == "BYE" {
		return nil
	}
	for _, tag := range req.All("Require") {
		if !strings.EqualFold(tag, "timer") && !strings.EqualFold(tag, "100rel") && !strings.EqualFold(tag, "replaces") {
			list = append(list, tag)
		}
	}
	return list
}

// watch keeps the switch's registrations alive, looks names up again, and prefers known sources.
func (a *Agent) watch() {
	tick := time.NewTicker(250 * time.Millisecond)
	defer tick.Stop()
	for {
		a.preferDue()
		if run := a.Plan.Current(); run != nil {
			a.lookUpDue(run)
			a.registerDue(run)
		}
		select {
		case <-a.ctx.Done():
			return
		case r := <-a.registered:
			r.busy = false
		case id := <-a.lookedUp:
			delete(a.lookingUp, id)
		case <-tick.C:
		}
	}
}

// trunkHop is where a trunk's calls go; ok is false where its address cannot be
// read, which a valid plan never has.
func trunkHop(s *plan.SIP) (to hop, ok bool) {
	addr, err := netip.ParseAddrPort(s.RemoteAddress)
	to = hopTo(addr, transportOf(s.Transport))
	to.name = s.TLSServerName
	return to, err == nil
}
