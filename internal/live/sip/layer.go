package sip

import (
	"context"
	"fmt"
	"log/slog"
	"maps"
	"net"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// layer runs the transactions of one address, over UDP and TCP: it sends what
// their machines say, sets their timers, and hands up what came, each flow in the
// order of the wire. Nothing that it calls may wait for the network.
type layer struct {
	conn    net.PacketConn
	streams *streams // over TCP
	secure  *streams // over TLS
	local   netip.AddrPort
	tap     wireTap
	handle  func(t *inbound) // a new request, but ACK and CANCEL
	ack     func(m *wire.Message, from hop)
	// sameSide tells whether two sources are of one far end, and forHelp whether a message of
	// a trunk that a person has blocked is taken all the same.
	sameSide func(a, b hop) bool
	forHelp  func(m *wire.Message, trunk string) bool
	log      *slog.Logger
	ms       func(int) time.Duration // of the timers

	// mu guards the maps alone. Each transaction has a lock of its own, which is
	// never taken while this one is held: nothing is sent under it.
	mu      sync.Mutex
	clients map[clientKey]*clientTx
	servers map[serverKey]*serverTx
	merged  map[mergeKey]*serverTx
	closed  atomic.Bool
	// refused are the addresses that took no connection, and until when it is
	// not tried again for messages that are too long for a datagram.
	refused map[netip.AddrPort]time.Time
}

// wireTap sees every message in the order of the wire. Admit says whether what
// comes from a source is to be taken at all, and by whose trunk; what is not has
// no message.
type wireTap interface {
	Admit(from hop) (trunk string, how admission)
	In(from hop, trunk string, how admission, b []byte, m *wire.Message)
	Out(to hop, b []byte, callID string)
	// Unreadable is told of a stranger's message that is none.
	Unreadable()
}

// clientKey is how responses find their transaction (RFC 3261 section 17.1.3).
type clientKey struct{ branch, method string }

// serverKey is how requests find theirs (section 17.2.3): branch, sent-by and
// method. ACK and CANCEL carry the branch of their INVITE. It is one string of its
// own, since a part of the message would hold all of it.
type serverKey string

// mergeKey tells an INVITE that came by two ways (section 8.2.2.2): Call-ID, tag
// and CSeq.
type mergeKey string

func newLayer(conn net.PacketConn, local netip.AddrPort, tap wireTap, log *slog.Logger) *layer {
	l := &layer{
		conn: conn, local: local, tap: tap, log: log, ms: millis,
		clients: map[clientKey]*clientTx{}, servers: map[serverKey]*serverTx{}, merged: map[mergeKey]*serverTx{},
		refused: map[netip.AddrPort]time.Time{}, sameSide: hop.same, forHelp: func(*wire.Message, string) bool { return false },
	}
	l.streams, l.secure = l.newStreams(tcp), l.newStreams(secured)
	return l
}

func (l *layer) newStreams(by transport) *streams {
	return &streams{
		by: by, local: l.local, log: l.log, open: map[netip.AddrPort]*stream{},
		receive: l.fromStream, failed: l.unreachable, known: func(netip.Addr) bool { return true },
		dial: func(dialer net.Dialer, to hop) (net.Conn, []string, error) {
			conn, err := dialer.Dial("tcp", to.AddrPort.String())
			return conn, nil, err
		},
		take: func(_ context.Context, conn net.Conn) (net.Conn, []string, error) { return conn, nil, nil },
	}
}

// streamsOf are the connections over a transport that has any.
func (l *layer) streamsOf(by transport) *streams {
	if by == secured {
		return l.secure
	}
	return l.streams
}

// localOf is our address for a transport.
func (l *layer) localOf(by transport) netip.AddrPort {
	if by == secured {
		return l.secure.at()
	}
	return l.local
}

// maxDatagram is the largest UDP payload over IPv4.
const maxDatagram = 65_507

// serve reads datagrams of a socket until it is closed; after is called behind each.
func (l *layer) serve(conn net.PacketConn, after func()) error {
	buffer := make([]byte, maxDatagram)
	for {
		n, from, err := readFrom(conn, buffer)
		if err != nil {
			return err
		}
		l.receive(buffer[:n], hopTo(from, udp))
		after()
	}
}

// readFrom reads a datagram, without making an address for each where that can be.
func readFrom(conn net.PacketConn, buffer []byte) (n int, from netip.AddrPort, err error) {
	if c, ok := conn.(*net.UDPConn); ok {
		return c.ReadFromUDPAddrPort(buffer)
	}
	n, at, err := conn.ReadFrom(buffer)
	if source, ok := at.(*net.UDPAddr); ok {
		from = source.AddrPort()
	}
	return n, from, err
}

// fromStream takes a message of a connection; false ends it.
func (l *layer) fromStream(b []byte, from hop) bool {
	return l.receive(b, from).taken()
}

// unreachable fails what waits for a connection that does not stand.
func (l *layer) unreachable(to hop, err error) {
	if l.closed.Load() {
		return
	}
	l.mu.Lock()
	list := slices.Collect(maps.Values(l.clients))
	l.mu.Unlock()
	for _, t := range list {
		t.unreachable(to, err)
	}
}

// receive takes a message from the wire, if its source may say anything.
func (l *layer) receive(b []byte, from hop) admission {
	trunk, how := l.tap.Admit(from)
	if !how.taken() {
		l.tap.In(from, trunk, how, b, nil)
		return how
	}
	m, faults := wire.Read(b)
	l.tap.In(from, trunk, how, b, m)
	verdict := wire.Verify(m, faults)
	switch {
	case verdict.Drop, !verdict.Fit() && how == unknown:
		if how == unknown {
			l.tap.Unreadable()
		}
	case how == restrained && !(verdict.Fit() && l.forHelp(m, trunk)):
	case !verdict.Fit():
		seen(m, from)
		res := wire.NewResponse(m, verdict.Status, cause.Phrase(verdict.Status))
		res.SetBody("", nil)
		_ = l.send(res.Bytes(), responseAddress(m, from), m.Get("Call-ID")) // without a transaction: it may not have what one needs
	case m.Request():
		seen(m, from)
		l.request(m, from)
	default:
		l.response(m, from)
	}
	return how
}

func (l *layer) send(b []byte, to hop, callID string) error {
	l.tap.Out(to, b, callID)
	if to.by.reliable() {
		return l.streamsOf(to.by).send(b, to)
	}
	if c, ok := l.conn.(*net.UDPConn); ok {
		_, err := c.WriteToUDPAddrPort(b, to.AddrPort)
		return err
	}
	_, err := l.conn.WriteTo(b, net.UDPAddrFromAddrPort(to.AddrPort))
	return err
}

func (l *layer) request(m *wire.Message, from hop) {
	key := requestKey(m)
	l.mu.Lock()
	switch m.Method {
	case "ACK":
		t := l.servers[key("INVITE")]
		l.mu.Unlock()
		if t != nil && t.acknowledged() {
			return
		}
		l.ack(m, from) // of a 2xx: the dialog's business
		return
	case "CANCEL":
		invite := l.servers[key("INVITE")]
		t, fresh := l.server(key(m.Method), m, from)
		l.mu.Unlock()
		switch {
		case !fresh:
			t.tell(machine.GotRequest)
		case invite == nil || !l.sameSide(invite.source, from): // of nothing that is theirs
			l.handle(&inbound{t, m})
		default:
			l.cancelled(&inbound{t, m}, invite)
		}
		return
	}
	t, fresh := l.server(key(m.Method), m, from)
	l.mu.Unlock()
	switch {
	case !fresh:
		t.tell(machine.GotRequest)
	case t == nil:
		res := wire.NewResponse(m, 482, cause.Phrase(482))
		res.SetBody("", nil)
		_ = l.send(res.Bytes(), responseAddress(m, from), m.Get("Call-ID"))
	default:
		l.handle(&inbound{t, m})
	}
}

// requestKey is how the transaction of a request is found, given its method.
func requestKey(m *wire.Message) func(method string) serverKey {
	via, _ := wire.ReadVia(m.First("Via")) // verified
	branch := via.Branch()
	if !strings.HasPrefix(branch, wire.MagicCookie) { // before RFC 3261: what identifies it is in other fields
		cseq, _ := wire.ReadCSeq(m.Get("CSeq")) // verified
		branch = fmt.Sprint(m.Get("Call-ID"), " ", cseq.Number, " ", m.Get("From"))
	}
	port, host := portOr(via.Port), strings.ToLower(via.Host)
	return func(method string) serverKey {
		return serverKey(branch + " " + host + ":" + itoa(int(port)) + " " + method)
	}
}

// server finds or makes the transaction of a request. fresh is false if it came
// before; t is nil for one that came by another way too. The layer's lock is held.
func (l *layer) server(key serverKey, m *wire.Message, from hop) (t *serverTx, fresh bool) {
	if t := l.servers[key]; t != nil {
		return t, false
	}
	kind := machine.Server
	var merge mergeKey
	if m.Method == "INVITE" {
		kind = machine.InviteServer
		if from, err := wire.ReadAddress(m.Get("From")); err == nil && !hasTag(m.Get("To")) {
			merge = mergeKey(m.Get("Call-ID") + " " + from.Tag() + " " + m.Get("CSeq"))
			if l.merged[merge] != nil {
				return nil, true
			}
		}
	}
	t = &serverTx{
		l: l, key: key, merge: merge, callID: strings.Clone(m.Get("Call-ID")), source: from, to: responseAddress(m, from),
	}
	t.Kind, t.Reliable = kind, from.by.reliable()
	if t.Reliable {
		t.after = afterwards(m, from)
	}
	t.on(machine.Start) // nobody else has it yet
	l.servers[key] = t
	if merge != "" {
		l.merged[merge] = t
	}
	return t, true
}

func hasTag(value string) bool {
	a, err := wire.ReadAddress(value)
	return err == nil && a.Tag() != ""
}

// cancelled answers a CANCEL (RFC 3261 section 9.2) and tells the INVITE's user,
// unless it was answered for good.
func (l *layer) cancelled(t *inbound, invite *serverTx) {
	t.reply(200, "")
	invite.cancel()
}

// response gives a response to its transaction. One that comes from elsewhere than its request
// went, or by a weaker transport, is not its far end's, whoever's address that is.
func (l *layer) response(m *wire.Message, from hop) {
	via, err := wire.ReadVia(m.First("Via"))
	if err != nil {
		return
	}
	cseq, _ := wire.ReadCSeq(m.Get("CSeq")) // verified
	l.mu.Lock()
	t := l.clients[clientKey{via.Branch(), cseq.Method}]
	l.mu.Unlock()
	if t == nil {
		return // of a transaction that is over
	}
	t.mu.Lock()
	to := t.to
	t.mu.Unlock()
	if from.by < to.by || to.Addr() != from.Addr() && !l.sameSide(to, from) {
		return
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	_ = keepUnderstood(m) // a response is never refused: what is not understood is not there
	t.last = m
	switch {
	case m.Status < 200:
		t.on(machine.GotProvisional)
	case m.Status < 300:
		t.on(machine.GotSuccess)
	default:
		t.on(machine.GotFailure)
	}
}

// close ends every transaction: nothing is sent any more.
func (l *layer) close() {
	l.end()
	l.streams.close()
	l.secure.close()
}

func (l *layer) end() {
	l.closed.Store(true)
	l.mu.Lock()
	clients, servers := slices.Collect(maps.Values(l.clients)), slices.Collect(maps.Values(l.servers))
	l.mu.Unlock()
	for _, t := range clients {
		t.mu.Lock()
		t.timers.stop()
		t.mu.Unlock()
		t.heard.close()
	}
	for _, t := range servers {
		t.mu.Lock()
		t.timers.stop()
		t.mu.Unlock()
	}
	l.conn.Close()
}

// timers are those of one transaction, under its lock.
type timers struct{ repeat, giveUp, linger *time.Timer }

func (t *timers) stop() {
	for _, timer := range []*time.Timer{t.repeat, t.giveUp, t.linger} {
		stopTimer(timer)
	}
}

// do sets or stops a timer, as a machine says; tell is called when it is over. sent
// is how often the transaction has sent its message.
func (t *timers) do(a machine.Action, l *layer, m machine.Transaction, sent int, tell func(machine.Event)) {
	switch a {
	case machine.SetRepeat:
		t.repeat = l.after(m.Repeat(sent), func() { tell(machine.TimerRepeat) })
	case machine.StopRepeat:
		stopTimer(t.repeat)
	case machine.SetGiveUp:
		t.giveUp = l.after(machine.B, func() { tell(machine.TimerGiveUp) })
	case machine.StopGiveUp:
		stopTimer(t.giveUp)
	case machine.SetLinger:
		t.linger = l.after(m.Linger(), func() { tell(machine.TimerLinger) })
	}
}

// after runs an event of a transaction once so many milliseconds are over,
// unless the timer was stopped.
func (l *layer) after(ms int, event func()) *time.Timer {
	return time.AfterFunc(l.ms(ms), func() {
		if !l.closed.Load() {
			event()
		}
	})
}
