// Package sip runs a switch on SIP over UDP, as a back-to-back user agent
// (RFC 3261, RFC 7092): it takes calls from trusted addresses, asks package
// decide what to do with them, and carries them out on a leg of its own.
//
// It stands on the SIP library's transactions. What goes where is never
// decided here.
package sip

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/netip"
	"sync"
	"time"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"

	"switchback.example/switchback/internal/live"
)

// Config is what an agent needs.
type Config struct {
	Switch   string // id in the plan
	Address  string // to bind: address and port
	Plan     *live.Plan
	Trunks   *live.Trunks
	Recorder *live.Recorder
	Log      *slog.Logger
}

// Agent is one running switch. Make one with Start.
type Agent struct {
	Config
	host string
	port int

	tap    *tap
	ua     *sipgo.UserAgent
	server *sipgo.Server
	client *sipgo.Client

	ctx  context.Context // ends when the agent stops: calls end then
	stop context.CancelFunc
	work work

	mu        sync.Mutex
	dialogs   map[dialogKey]*dialog
	abandoned map[string]*sip.Request // by branch: INVITEs that were given up unanswered
}

// Start binds the address and takes calls.
func Start(cfg Config) (*Agent, error) {
	addr, err := netip.ParseAddrPort(cfg.Address)
	if err != nil {
		return nil, fmt.Errorf("switch %s: %w", cfg.Switch, err)
	}
	conn, err := net.ListenPacket("udp", cfg.Address)
	if err != nil {
		return nil, fmt.Errorf("switch %s cannot take its address (does another Switchback run here?): %w", cfg.Switch, err)
	}
	a := &Agent{
		Config: cfg, host: addr.Addr().String(), port: int(addr.Port()),
		dialogs: map[dialogKey]*dialog{}, abandoned: map[string]*sip.Request{},
	}
	a.ctx, a.stop = context.WithCancel(context.Background())
	a.tap = &tap{PacketConn: conn, switchID: cfg.Switch, admit: a.admit, seen: cfg.Trunks.Seen, keep: cfg.Recorder.Message}
	if err := a.assemble(); err != nil {
		conn.Close()
		return nil, fmt.Errorf("switch %s: %w", cfg.Switch, err)
	}
	go a.serve()
	if err := a.ready(); err != nil {
		a.Stop(a.ctx)
		return nil, err
	}
	go a.watch()
	return a, nil
}

// ready waits until the library sends from the switch's own socket; before, it
// would open another.
func (a *Agent) ready() error {
	for range 200 {
		if _, err := a.ua.TransportLayer().GetConnection("udp", a.Address); err == nil {
			return nil
		}
		time.Sleep(5 * time.Millisecond)
	}
	return fmt.Errorf("switch %s does not listen on %s", a.Switch, a.Address)
}

// assemble sets up the library's layers. Its own logger is silenced: it prints
// whole messages, and every message is recorded by the tap.
func (a *Agent) assemble() (err error) {
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	a.ua, err = sipgo.NewUA(
		sipgo.WithUserAgent("Switchback"), sipgo.WithUserAgentHostname(a.host),
		sipgo.WithUserAgentTransactionLayerOptions(
			sip.WithTransactionLayerLogger(quiet),
			sip.WithTransactionLayerUnhandledResponseHandler(a.onLateResponse),
		),
		sipgo.WithUserAgentTransportLayerOptions(sip.WithTransportLayerLogger(quiet)),
	)
	if err != nil {
		return err
	}
	if a.server, err = sipgo.NewServer(a.ua, sipgo.WithServerLogger(quiet)); err != nil {
		return err
	}
	a.client, err = sipgo.NewClient(a.ua,
		sipgo.WithClientLogger(quiet), sipgo.WithClientHostname(a.host), sipgo.WithClientPort(a.port),
		sipgo.WithClientConnectionAddr(a.Address), sipgo.WithClientNAT(),
	)
	if err != nil {
		return err
	}
	a.server.OnInvite(a.onInvite)
	a.server.OnAck(a.onAck)
	a.server.OnBye(a.onBye)
	a.server.OnCancel(a.onStrayCancel)
	a.server.OnOptions(a.onOptions)
	return nil
}

func (a *Agent) serve() {
	if err := a.server.ServeUDP(a.tap); err != nil && !errors.Is(err, net.ErrClosed) && a.ctx.Err() == nil {
		a.Log.Error("switch stopped listening", "switch", a.Switch, "error", err)
	}
}

// Stop ends every call, waits for that until the context ends, and gives the
// address back.
func (a *Agent) Stop(ctx context.Context) {
	a.stop()
	select {
	case <-a.work.drained():
	case <-ctx.Done():
	}
	a.tap.Close()
	a.ua.Close()
}

// Unknown returns how many messages came from addresses that no trunk knows.
func (a *Agent) Unknown() int64 { return a.tap.unknown.Load() }

func (a *Agent) admit(from netip.Addr) (trunk string, ok bool) {
	run := a.Plan.Current()
	if run == nil {
		return "", false
	}
	return run.Snapshot.Knows(a.Switch, from)
}

func (a *Agent) onOptions(req *sip.Request, tx sip.ServerTransaction) {
	res := sip.NewResponseFromRequest(req, 200, "OK", nil)
	res.AppendHeader(sip.NewHeader("Allow", allowed))
	_ = tx.Respond(res) // the asker repeats if it is lost
}

const allowed = "INVITE, ACK, CANCEL, BYE, OPTIONS"

// onStrayCancel answers a CANCEL that matches no INVITE (RFC 3261 section
// 9.2); those that match never come here.
func (a *Agent) onStrayCancel(req *sip.Request, tx sip.ServerTransaction) {
	_ = tx.Respond(sip.NewResponseFromRequest(req, 481, "Call/Transaction Does Not Exist", nil))
}

// watch asks far ends by OPTIONS, each at its own pace.
func (a *Agent) watch() {
	tick := time.NewTicker(250 * time.Millisecond)
	defer tick.Stop()
	due := map[string]time.Time{}
	for {
		a.askDue(due)
		select {
		case <-a.ctx.Done():
			return
		case <-tick.C:
		}
	}
}

// askAgain is how soon a far end is asked again that did not answer.
const askAgain = 3 * time.Second

func (a *Agent) askDue(due map[string]time.Time) {
	run := a.Plan.Current()
	if run == nil {
		return
	}
	for _, t := range run.Snapshot.Plan().Trunks {
		pace := time.Duration(t.SIP.WatchSeconds) * time.Second
		if t.Switch != a.Switch || pace == 0 || time.Now().Before(due[t.ID]) {
			continue
		}
		if a.Trunks.State(t.ID).Watch.Misses > 0 {
			pace = min(pace, askAgain)
		}
		due[t.ID] = time.Now().Add(pace)
		a.work.begin() // asking after the socket is closed would open another
		go func() {
			defer a.work.end()
			a.ask(t.ID, t.SIP.Address)
		}()
	}
}

// askPatience is how long an OPTIONS may take.
const askPatience = 2 * time.Second

func (a *Agent) ask(trunk, address string) {
	ctx, cancel := context.WithTimeout(a.ctx, askPatience)
	defer cancel()
	req := sip.NewRequest(sip.OPTIONS, uriTo("", address))
	start := time.Now()
	res, err := a.client.Do(ctx, req)
	switch {
	case err == nil:
		a.Trunks.Watched(trunk, time.Now(), true, time.Since(start), fmt.Sprintf("%d %s", res.StatusCode, res.Reason))
	case a.ctx.Err() == nil:
		a.Trunks.Watched(trunk, time.Now(), false, 0, fmt.Sprintf("no answer to OPTIONS within %s", askPatience))
	}
}
