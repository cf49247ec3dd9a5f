package standin

import (
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"sync"
	"time"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"
)

// StandIn is one far end. It is made stopped.
type StandIn struct {
	Config
	directory directory

	mu      sync.Mutex
	running *endpoint   // nil while stopped
	others  []*endpoint // at its further addresses
	turn    int         // of the addresses that calls come from
	placed  map[string]*placement
	order   []string // of placements, oldest first
	sounds  sounds
	lamps   map[string]Lamp // by extension
	// messages of a mailbox server, by extension.
	messages map[string]mailbox
}

// endpoint is what a running stand-in holds.
type endpoint struct {
	id      string
	address netip.AddrPort
	conn    io.Closer
	secure  bool
	ua      *sipgo.UserAgent
	client  *sipgo.Client
	calls   *sipgo.DialogServerCache
	dialed  *sipgo.DialogClientCache
	ctx     context.Context
	cancel  context.CancelFunc
}

// New checks a configuration.
func New(c Config) (*StandIn, error) {
	d, err := compileDirectory(c)
	if err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", c.ID, err)
	}
	return &StandIn{Config: c, directory: d, placed: map[string]*placement{}, lamps: map[string]Lamp{}, messages: map[string]mailbox{}}, nil
}

// Running tells whether the stand-in is on its address.
func (s *StandIn) Running() bool { return s.endpoint() != nil }

func (s *StandIn) endpoint() *endpoint {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.running
}

// Start binds the address and takes calls. Starting twice does nothing.
func (s *StandIn) Start() error {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.running != nil {
		return nil
	}
	e, err := s.listen(s.Address)
	if err != nil {
		return fmt.Errorf("stand-in %s: %w", s.ID, err)
	}
	for _, address := range s.Also {
		other, err := s.listen(address)
		if err != nil {
			e.leave()
			for _, one := range s.others {
				one.leave()
			}
			s.others = nil
			return fmt.Errorf("stand-in %s: %w", s.ID, err)
		}
		s.others = append(s.others, other)
	}
	s.running = e
	if s.Registers != nil {
		go s.register(e)
	}
	return nil
}

// caller is the endpoint that the next call comes from; nil while stopped.
func (s *StandIn) caller() *endpoint {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.running == nil {
		return nil
	}
	s.turn++
	if n := s.turn % (len(s.others) + 1); n > 0 {
		return s.others[n-1]
	}
	return s.running
}

// Stop leaves the address at once, as a machine does that loses its power:
// nobody is told.
func (s *StandIn) Stop() {
	s.mu.Lock()
	list := s.others
	if s.running != nil {
		list = append(list, s.running)
	}
	s.running, s.others = nil, nil
	s.mu.Unlock()
	for _, e := range list {
		e.leave()
	}
}

func (e *endpoint) leave() {
	e.cancel()
	e.conn.Close()
	e.ua.Close()
}

func (s *StandIn) listen(address string) (*endpoint, error) {
	addr, err := netip.ParseAddrPort(address)
	if err != nil {
		return nil, err
	}
	e := &endpoint{id: s.ID, address: addr, secure: s.Secure != nil}
	serve, config, err := s.bind(e, address)
	if err != nil {
		return nil, err
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	e.ua, err = sipgo.NewUA(
		sipgo.WithUserAgent(s.ID), sipgo.WithUserAgentHostname(addr.Addr().String()),
		sipgo.WithUserAgenTLSConfig(config),
		sipgo.WithUserAgentTransactionLayerOptions(sip.WithTransactionLayerLogger(quiet)),
		sipgo.WithUserAgentTransportLayerOptions(sip.WithTransportLayerLogger(quiet)),
	)
	if err != nil {
		return nil, err
	}
	server, err := sipgo.NewServer(e.ua, sipgo.WithServerLogger(quiet))
	if err != nil {
		return nil, err
	}
	e.client, err = sipgo.NewClient(e.ua,
		sipgo.WithClientLogger(quiet), sipgo.WithClientHostname(addr.Addr().String()),
		sipgo.WithClientPort(int(addr.Port())), sipgo.WithClientConnectionAddr(e.from()),
	)
	if err != nil {
		return nil, err
	}
	e.calls = sipgo.NewDialogServerCache(e.client, *e.contact())
	e.dialed = sipgo.NewDialogClientCache(e.client, *e.contact())
	e.ctx, e.cancel = context.WithCancel(context.Background())
	server.OnInvite(func(req *sip.Request, tx sip.ServerTransaction) {
		if to := req.To(); to != nil && to.Params.Has("tag") {
			s.again(e, req, tx)
			return
		}
		s.answer(e, req, tx)
	})
	server.OnNotify(s.notice)
	server.OnAck(func(req *sip.Request, tx sip.ServerTransaction) { _ = e.calls.ReadAck(req, tx) })
	server.OnBye(func(req *sip.Request, tx sip.ServerTransaction) { e.bye(req, tx) })
	server.OnRegister(s.registrar)
	server.OnOptions(func(req *sip.Request, tx sip.ServerTransaction) {
		res := sip.NewResponseFromRequest(req, 200, "OK", nil)
		res.AppendHeader(sip.NewHeader("Date", time.Now().UTC().Format(http.TimeFormat)))
		_ = tx.Respond(res)
	})
	go serve(server)
	if e.secure {
		return e, nil // it opens a connection for what it sends
	}
	if err := e.ready(address); err != nil {
		e.leave()
		return nil, err
	}
	return e, nil
}

// bind takes the address: a socket, or a listener for TLS.
func (s *StandIn) bind(e *endpoint, address string) (serve func(*sipgo.Server), config *tls.Config, err error) {
	if s.Secure == nil {
		conn, err := net.ListenPacket("udp", address)
		if err != nil {
			return nil, nil, err
		}
		e.conn = conn
		return func(server *sipgo.Server) { _ = server.ServeUDP(conn) }, nil, nil
	}
	if config, err = s.Secure.load(); err != nil {
		return nil, nil, err
	}
	listener, err := tls.Listen("tcp", address, config)
	if err != nil {
		return nil, nil, err
	}
	e.conn = listener
	return func(server *sipgo.Server) { _ = server.ServeTLS(listener) }, config, nil
}

// from is where what it sends comes from: its socket, or any port of its address.
func (e *endpoint) from() string {
	if e.secure {
		return net.JoinHostPort(e.address.Addr().String(), "0")
	}
	return e.address.String()
}

func (e *endpoint) contact() *sip.ContactHeader {
	uri := sip.Uri{Scheme: "sip", User: e.id, Host: e.address.Addr().String(), Port: int(e.address.Port())}
	if e.secure {
		uri.UriParams = sip.NewParams()
		uri.UriParams.Add("transport", "tls")
	}
	return &sip.ContactHeader{Address: uri}
}

// ready waits until the library sends from the stand-in's own socket; before,
// it would open another.
func (e *endpoint) ready(address string) error {
	for range 2_000 { // ten seconds, on a machine that is very busy
		if _, err := e.ua.TransportLayer().GetConnection("udp", address); err == nil {
			return nil
		}
		time.Sleep(5 * time.Millisecond)
	}
	return fmt.Errorf("does not listen on %s", address)
}

func (e *endpoint) bye(req *sip.Request, tx sip.ServerTransaction) {
	if e.calls.ReadBye(req, tx) == nil || e.dialed.ReadBye(req, tx) == nil {
		return
	}
	_ = tx.Respond(sip.NewResponseFromRequest(req, 481, "Call/Transaction Does Not Exist", nil))
}

// answer behaves towards an incoming call as the directory says.
func (s *StandIn) answer(e *endpoint, req *sip.Request, tx sip.ServerTransaction) {
	if s.Challenges && !s.proven(req, tx, 407, "Proxy-Authenticate", "Proxy-Authorization") {
		return
	}
	b, refused := s.directory.judge(req.Recipient.User, req.From().Address.User)
	if b.Kind == Silent && refused == nil {
		return
	}
	dialog, err := e.calls.ReadInvite(req, tx)
	if err != nil {
		return
	}
	defer dialog.Close()
	if s.RefusesNoise && offersNoise(req.Body()) {
		_ = dialog.Respond(488, "Not Acceptable Here", nil, sip.NewHeader("Warning", `304 standin "comfort noise is not taken here"`))
		return
	}
	if refused != nil {
		_ = dialog.Respond(refused.status, refused.phrase, nil, sip.NewHeader("Reason", fmt.Sprintf("Q.850;cause=%d", refused.cause)))
		return
	}
	if b.Kind == Stalls {
		_ = dialog.Respond(100, "Trying", nil)
		wait(e.ctx, dialog.Context(), 0)
		return
	}
	_ = dialog.Respond(180, "Ringing", nil)
	if b.Kind == Rings {
		wait(e.ctx, dialog.Context(), 0)
		return
	}
	if s.encrypts() && (&keys{}).take(req.Body()) != nil {
		_ = dialog.Respond(488, "Not Acceptable Here", nil, sip.NewHeader("Warning", `304 standin "SRTP required"`))
		return
	}
	if b.Kind == Diverts {
		if wait(e.ctx, dialog.Context(), b.After) {
			s.divert(dialog, req, b)
		}
		return
	}
	sound, err := s.sounds.open(req.CallID().Value(), e.address.Addr(), calledTone, callerTone, s.encrypts())
	if err != nil {
		_ = dialog.Respond(500, err.Error(), nil)
		return
	}
	defer sound.close()
	if b.Kind == Announces {
		sound.send(req.Body())
		_ = dialog.Respond(183, "Session Progress", s.description(e, sound), sip.NewHeader("Content-Type", "application/sdp"))
		if wait(e.ctx, dialog.Context(), announcesFor) {
			_ = dialog.Respond(404, "Not Found", nil, sip.NewHeader("Reason", "Q.850;cause=1"))
		}
		return
	}
	if !wait(e.ctx, dialog.Context(), b.After) {
		return
	}
	if b.Kind != Mute {
		sound.send(req.Body())
	}
	if err := dialog.RespondSDP(s.description(e, sound)); err != nil {
		return
	}
	talk := time.Duration(0)
	switch b.Kind {
	case Drops:
		talk = dropsAfter
	case Records:
		defer s.record(e, req)
	case Transfers:
		if wait(e.ctx, dialog.Context(), transfersAfter) {
			s.transfer(e, dialog, b)
		}
	}
	if wait(e.ctx, dialog.Context(), talk) {
		_ = dialog.Bye(e.ctx)
	}
}

func (s *StandIn) encrypts() bool { return s.Secure != nil && s.Secure.Encrypts }

// wait waits for a time, or without end if it is 0; it is false if the
// stand-in or the call ended before.
func wait(standIn, call context.Context, d time.Duration) bool {
	var after <-chan time.Time
	if d > 0 {
		after = time.After(d)
	}
	select {
	case <-standIn.Done():
		return false
	case <-call.Done():
		return false
	case <-after:
		return true
	}
}
