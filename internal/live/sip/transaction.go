package sip

import (
	"sync"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// inbound is a request that came, for whoever answers it.
type inbound struct {
	*serverTx
	req *wire.Message
}

// serverTx is the transaction of a request that came, until its answer needs no
// repeating. It outlives the call by half a minute, so it holds nothing of it, not
// even the request.
type serverTx struct {
	mu sync.Mutex // of all that changes; the layer's may be taken under it
	machine.Transaction
	l      *layer
	key    serverKey
	merge  mergeKey
	callID string
	source hop // where the request came from
	to     hop // where responses go
	after  hop // and where, once the connection of the request has ended
	last   []byte
	sent   int
	timers timers

	cancelled bool   // a CANCEL came in time
	told      func() // of that; nil for nobody
}

// respond sends a response, and again as long as the machine wants it. A final
// one that comes too late is not sent.
func (t *serverTx) respond(res *wire.Message) {
	t.mu.Lock()
	defer t.mu.Unlock()
	event := machine.SentFailure
	switch {
	case res.Status < 200:
		event = machine.SentProvisional
	case res.Status < 300:
		event = machine.SentSuccess
	}
	if _, actions := t.Transaction.On(event); len(actions) == 0 {
		return // answered already
	}
	if t.last, t.sent = res.Bytes(), 0; res.Status >= 200 {
		t.told = nil // it is answered, and outlives its call
	}
	t.on(event)
}

// whenCancelled says who is told of a CANCEL that comes in time; at once if it has come already.
// It must not wait.
func (t *serverTx) whenCancelled(told func()) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.told = told; t.cancelled {
		told()
	}
}

// cancel notes a CANCEL, unless the request was answered for good.
func (t *serverTx) cancel() {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.State != machine.Proceeding || t.cancelled {
		return
	}
	if t.cancelled = true; t.told != nil {
		t.told()
	}
}

// forget drops a request that is not to be answered at all.
func (t *serverTx) forget() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.drop()
}

// tell is on for events from outside.
func (t *serverTx) tell(e machine.Event) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.on(e)
}

// acknowledged takes the ACK of a failure; it is false for that of a 2xx, which is
// not the transaction's.
func (t *serverTx) acknowledged() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.State == machine.Accepted {
		return false
	}
	t.on(machine.GotAck)
	return true
}

// drop takes the transaction out of the layer; its own lock is held.
func (t *serverTx) drop() {
	t.timers.stop()
	t.l.mu.Lock()
	defer t.l.mu.Unlock()
	delete(t.l.servers, t.key)
	if t.l.merged[t.merge] == t {
		delete(t.l.merged, t.merge)
	}
}

// reply responds without a description.
func (t *inbound) reply(status int, toTag string, fields ...[2]string) {
	res := responseTo(t.req, status, toTag)
	for _, f := range fields {
		res.Add(f[0], f[1])
	}
	res.SetBody("", nil)
	t.respond(res)
}

// responseTo begins a response with our tag, if one is given.
func responseTo(req *wire.Message, status int, toTag string) *wire.Message {
	res := wire.NewResponse(req, status, cause.Phrase(status))
	if to := res.Get("To"); toTag != "" && !hasTag(to) {
		res.Set("To", to+";tag="+toTag)
	}
	if status > 100 && status < 300 && req.Method == "INVITE" { // it makes a dialog (RFC 3261 section 12.1.1)
		for _, route := range req.All("Record-Route") {
			res.Add("Record-Route", route)
		}
	}
	return res
}

// on takes an event; the transaction's lock is held.
func (t *serverTx) on(e machine.Event) {
	next, actions := t.Transaction.On(e)
	t.Transaction = next
	for _, a := range actions {
		switch a {
		case machine.SendResponse:
			if t.last == nil {
				continue // the request came again before anything was sent
			}
			t.sent++
			if t.to.by.reliable() && !t.l.streamsOf(t.to.by).stands(t.to) {
				t.to = t.after
			}
			if err := t.l.send(t.last, t.to, t.callID); err != nil && !t.l.closed.Load() {
				t.l.log.Warn("cannot send a response", "to", t.to, "error", err)
			}
		case machine.End:
			t.drop()
		default:
			t.timers.do(a, t.l, t.Transaction, t.sent, t.tell)
		}
	}
}

// outbound is a request that was sent, for whoever hears its answers.
type outbound struct {
	*clientTx
	req *wire.Message
}

// clientTx is the transaction of a request that was sent, until late answers have
// died out. Once it is answered it holds what may have to be sent again, and no
// more.
type clientTx struct {
	mu sync.Mutex // of all that changes; the layer's may be taken under it
	machine.Transaction
	l       *layer
	key     clientKey
	callID  string
	req     *wire.Message // nil once it is answered
	bytes   []byte        // of the request; of the ACK once it is refused
	to      hop
	fault   error         // why it could not be sent; nil if it could
	last    *wire.Message // the response that is being taken
	sent    int
	timers  timers
	instead bool // by a connection, since it is too long for a datagram
	// heard are the responses for the user, in the order of the wire; it is
	// closed once nothing more can come.
	heard *mailbox
	// success is told of every 2xx after the first, repeated or from another
	// branch of a fork. It must not wait.
	success func(res *wire.Message)
}

// begin starts the transaction of a request to an address. The request is given
// its Via here.
func (l *layer) begin(req *wire.Message, to hop) *outbound {
	branch := wire.MagicCookie + newID()
	req.AddFirst("Via", to.by.via(l.localOf(to.by), to.as, branch))
	return l.start(req, to, clientKey{branch, req.Method})
}

// start is begin for a request that has its Via, as a CANCEL has its INVITE's.
func (l *layer) start(req *wire.Message, to hop, key clientKey) *outbound {
	t := &clientTx{l: l, key: key, callID: req.Get("Call-ID"), req: req, to: to, heard: newMailbox()}
	t.Kind = machine.Client
	if req.Method == "INVITE" {
		t.Kind = machine.InviteClient
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	l.mu.Lock()
	l.clients[key] = t
	l.mu.Unlock()
	t.bytes = req.Bytes()
	t.sendBy(t.carrier(len(t.bytes)))
	return &outbound{t, req}
}

// longest is what a request may have that goes by UDP where nothing is known of
// the way (RFC 3261 section 18.1.1), and refusedFor how long an address is
// believed to take no connection.
const (
	longest    = 1300
	refusedFor = 10 * time.Minute
)

// carrier is the transport that carries a request of so many bytes: what is too
// long for a datagram goes by a connection, where the other side takes any.
func (t *clientTx) carrier(bytes int) transport {
	if t.to.by != udp || bytes <= longest {
		return t.to.by
	}
	t.l.mu.Lock()
	defer t.l.mu.Unlock()
	if time.Now().After(t.l.refused[t.to.AddrPort]) {
		return tcp
	}
	return udp
}

// sendBy sends the request by a transport; the transaction's lock is held.
func (t *clientTx) sendBy(by transport) {
	t.instead = t.to.by != by
	t.to.by, t.Reliable, t.State, t.sent = by, by.reliable(), machine.Begun, 0
	if t.instead && t.key.method != "CANCEL" { // its Via names another transport
		t.req.SetFirst("Via", by.via(t.l.localOf(by), t.to.as, t.key.branch))
		t.bytes = t.req.Bytes()
	}
	t.on(machine.Start)
}

// refusedIt sends by UDP what was too long for it, where the other side takes no
// connection (RFC 3261 section 18.1.1).
func (t *clientTx) refusedIt() {
	t.l.mu.Lock()
	if len(t.l.refused) >= MaxStreams {
		clear(t.l.refused)
	}
	t.l.refused[t.to.AddrPort] = time.Now().Add(refusedFor)
	t.l.mu.Unlock()
	t.timers.stop()
	t.fault = nil
	t.req.SetFirst("Via", udp.via(t.l.local, t.to.as, t.key.branch))
	t.bytes = t.req.Bytes()
	t.sendBy(udp)
}

// on takes an event; the transaction's lock is held.
func (t *clientTx) on(e machine.Event) {
	before := t.State
	if e == machine.TransportFailed && t.instead && before == machine.Calling {
		t.refusedIt()
		return
	}
	next, actions := t.Transaction.On(e)
	t.Transaction = next
	for _, a := range actions {
		switch a {
		case machine.SendRequest:
			t.sent++
			if err := t.l.send(t.bytes, t.to, t.callID); err != nil && !t.l.closed.Load() {
				t.l.log.Warn("cannot send a request", "to", t.to, "error", err)
			}
		case machine.SendAck:
			if t.req != nil {
				t.bytes = failureAck(t.req, t.last).Bytes()
			}
			_ = t.l.send(t.bytes, t.to, t.callID)
		case machine.PassUp:
			if e == machine.GotSuccess && before == machine.Accepted {
				if t.success != nil {
					t.success(t.last)
				}
				continue
			}
			t.heard.put(t.last)
		case machine.End:
			t.timers.stop()
			t.l.mu.Lock()
			delete(t.l.clients, t.key)
			t.l.mu.Unlock()
			t.heard.close()
		default:
			t.timers.do(a, t.l, t.Transaction, t.sent, t.tell)
		}
	}
	t.last = nil
	if t.State == machine.Accepted || t.State == machine.Completed {
		t.req = nil
	}
}

// tell is on for events from outside.
func (t *clientTx) tell(e machine.Event) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.on(e)
}

// unreachable fails a request that waits for a connection to a hop.
func (t *clientTx) unreachable(to hop, err error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.to.same(to) && t.State == machine.Calling {
		t.fault = err
		t.on(machine.TransportFailed)
	}
}

// onSuccess says who is told of further 2xx.
func (t *clientTx) onSuccess(told func(res *wire.Message)) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.success = told
}

// failure is why the request could not be sent; nil if it could.
func (t *clientTx) failure() error {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.fault
}

// forget drops a request whose answer nobody waits for any more.
func (t *clientTx) forget() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.timers.stop()
	t.l.mu.Lock()
	delete(t.l.clients, t.key)
	t.l.mu.Unlock()
	t.heard.close()
}

// quiet stops repeating a request that nobody wants answered any more; what
// comes late is still heard until the transaction gives up.
func (t *clientTx) quiet() {
	t.mu.Lock()
	defer t.mu.Unlock()
	stopTimer(t.timers.repeat)
}

// mailbox holds messages in order for one reader, without ever making the
// writer wait. A transaction hears few: it is bounded all the same.
type mailbox struct {
	mu     sync.Mutex
	list   []*wire.Message
	closed bool
	ready  chan struct{} // has one element if there is something to take
	told   func()        // in place of ready; nil for nobody
}

// maxHeard bounds what waits for a reader; more provisional responses than that
// say nothing new.
const maxHeard = 256

func newMailbox() *mailbox { return &mailbox{ready: make(chan struct{}, 1)} }

func (b *mailbox) put(m *wire.Message) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.list) >= maxHeard && m.Status < 200 {
		return
	}
	b.list = append(b.list, m)
	b.wake()
}

func (b *mailbox) close() {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.closed = true
	b.wake()
}

// whenReady says who is told, in place of ready, that there is something to take; at once if
// there is. It must not wait.
func (b *mailbox) whenReady(told func()) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if b.told = told; told != nil && (len(b.list) > 0 || b.closed) {
		told()
	}
}

// deaf has nobody told any more, so that a transaction that outlives its call does not hold it.
func (b *mailbox) deaf() { b.whenReady(nil) }

func (b *mailbox) wake() {
	if b.told != nil {
		b.told()
		return
	}
	select {
	case b.ready <- struct{}{}:
	default:
	}
}

// take returns the next message; nil if there is none, over if none will come.
func (b *mailbox) take() (m *wire.Message, over bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if len(b.list) == 0 {
		return nil, b.closed
	}
	m, b.list[0], b.list = b.list[0], nil, b.list[1:]
	if len(b.list) > 0 || b.closed {
		b.wake()
	}
	return m, false
}
