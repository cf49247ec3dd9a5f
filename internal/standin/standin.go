package standin

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/netip"
	"sync"
	"time"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"
	"github.com/pion/sdp/v3"
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
}

// endpoint is what a running stand-in holds.
type endpoint struct {
	address netip.AddrPort
	conn    net.PacketConn
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
	return &StandIn{Config: c, directory: d, placed: map[string]*placement{}}, nil
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
	e := &endpoint{address: addr}
	if e.conn, err = net.ListenPacket("udp", address); err != nil {
		return nil, err
	}
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	e.ua, err = sipgo.NewUA(
		sipgo.WithUserAgent(s.ID), sipgo.WithUserAgentHostname(addr.Addr().String()),
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
		sipgo.WithClientPort(int(addr.Port())), sipgo.WithClientConnectionAddr(address),
	)
	if err != nil {
		return nil, err
	}
	contact := sip.ContactHeader{Address: sip.Uri{Scheme: "sip", User: s.ID, Host: addr.Addr().String(), Port: int(addr.Port())}}
	e.calls = sipgo.NewDialogServerCache(e.client, contact)
	e.dialed = sipgo.NewDialogClientCache(e.client, contact)
	e.ctx, e.cancel = context.WithCancel(context.Background())
	server.OnInvite(func(req *sip.Request, tx sip.ServerTransaction) { s.answer(e, req, tx) })
	server.OnAck(func(req *sip.Request, tx sip.ServerTransaction) { _ = e.calls.ReadAck(req, tx) })
	server.OnBye(func(req *sip.Request, tx sip.ServerTransaction) { e.bye(req, tx) })
	server.OnRegister(s.registrar)
	server.OnOptions(func(req *sip.Request, tx sip.ServerTransaction) {
		_ = tx.Respond(sip.NewResponseFromRequest(req, 200, "OK", nil))
	})
	go server.ServeUDP(e.conn)
	return e, e.ready(address)
}

// ready waits until the library sends from the stand-in's own socket; before,
// it would open another.
func (e *endpoint) ready(address string) error {
	for range 200 {
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
	sound, err := s.sounds.open(req.CallID().Value(), e.address.Addr(), calledTone, callerTone)
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
	if b.Kind == Drops {
		talk = dropsAfter
	}
	if wait(e.ctx, dialog.Context(), talk) {
		_ = dialog.Bye(e.ctx)
	}
}

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

// description is the session description that the stand-in offers and answers
// with: one audio stream in both G.711 laws, at its own address (RFC 3551).
func (s *StandIn) description(e *endpoint, sound *audio) []byte {
	host := e.address.Addr().String()
	d := sdp.SessionDescription{
		Origin:                sdp.Origin{Username: "-", SessionID: 1, SessionVersion: 1, NetworkType: "IN", AddressType: "IP4", UnicastAddress: host},
		SessionName:           sdp.SessionName(s.Name),
		ConnectionInformation: &sdp.ConnectionInformation{NetworkType: "IN", AddressType: "IP4", Address: &sdp.Address{Address: host}},
		TimeDescriptions:      []sdp.TimeDescription{{}},
		MediaDescriptions: []*sdp.MediaDescription{{
			MediaName: sdp.MediaName{Media: "audio", Port: sdp.RangedPort{Value: sound.port()}, Protos: []string{"RTP", "AVP"}, Formats: []string{"8", "0"}},
			Attributes: []sdp.Attribute{
				{Key: "rtpmap", Value: "8 PCMA/8000"}, {Key: "rtpmap", Value: "0 PCMU/8000"}, {Key: "ptime", Value: "20"}, {Key: "sendrecv"},
			},
		}},
	}
	text, _ := d.Marshal() // fails on nothing that is built above
	return text
}
