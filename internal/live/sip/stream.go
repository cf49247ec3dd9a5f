package sip

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/guard"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// Limits of connections. Those of strangers have their own, so that however many come there
// is room for trunks.
const (
	// MaxStreams is how many connections a switch holds, MaxStreamsStrange how many of addresses
	// that no trunk knows, and MaxStreamsFrom and MaxStreamsNear how many of one such address and
	// of one such network. The oldest of strangers makes room.
	MaxStreams        = 2048
	MaxStreamsStrange = 1024
	MaxStreamsFrom    = 4
	MaxStreamsNear    = 64
	// MaxHandshakes is how many strangers may be in the middle of proving a certificate, and
	// MaxHandshakesNear how many of one network; the oldest makes room here too.
	MaxHandshakes     = 64
	MaxHandshakesNear = 8
	// StreamQueue bounds the messages that wait to be written to a connection.
	StreamQueue = 512
	// dialPatience is how long a connection may take to stand: less than a path
	// waits for a far end. shakePatience is that of one that came.
	dialPatience  = 2 * time.Second
	shakePatience = 5 * time.Second
	// writePatience is how long a write may be held up by a far end that does
	// not read.
	writePatience = 10 * time.Second
	// wholePatience is how long a message may take from its first byte to its last, and a new
	// connection to its first message; idlePatience how long one may be silent between
	// messages, and strangePatience one of a stranger. Keep-alives are no message.
	wholePatience   = 10 * time.Second
	idlePatience    = 15 * time.Minute
	strangePatience = time.Minute
)

// streams are the connections of a switch. Sending never waits: each has a queue
// and a goroutine that connects and writes, and one that reads.
type streams struct {
	by  transport
	log *slog.Logger
	// receive takes a whole message; false ends the connection.
	receive func(b []byte, from hop) bool
	// failed is told that nothing can be sent there.
	failed func(to hop, err error)
	// known tells whether a trunk knows an address.
	known func(netip.Addr) bool
	// dial makes a connection, and take is what is made of one that came. Both say what
	// certificate the other side has shown.
	dial func(net.Dialer, hop) (net.Conn, []string, error)
	take func(context.Context, net.Conn) (net.Conn, []string, error)

	mu       sync.Mutex // guards what follows
	local    netip.AddrPort
	listener net.Listener
	open     map[netip.AddrPort]*stream
	closed   bool
	all      sync.WaitGroup
}

type stream struct {
	to      hop
	queue   chan []byte
	over    chan struct{}
	once    sync.Once
	since   time.Time
	proving net.Conn // while it proves itself
	foreign bool     // made by the other side, whom no trunk knew
}

func (s *stream) end() { s.once.Do(func() { close(s.over) }) }

var errQueueFull = errors.New("the far end does not read: too many messages wait for it")

// at is the address on which connections are taken.
func (s *streams) at() netip.AddrPort {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.local
}

// move gives up the address for another.
func (s *streams) move(to netip.AddrPort) {
	s.leave()
	s.mu.Lock()
	defer s.mu.Unlock()
	s.local = to
}

// leave takes no further connections.
func (s *streams) leave() {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.listener != nil {
		s.listener.Close()
		s.listener = nil
	}
}

// listens tells whether connections are taken.
func (s *streams) listens() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.listener != nil
}

// listen takes connections until close.
func (s *streams) listen() error {
	l, err := net.Listen("tcp", s.at().String())
	if err != nil {
		return err
	}
	s.mu.Lock()
	s.listener = l
	s.mu.Unlock()
	s.all.Go(func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				if errors.Is(err, net.ErrClosed) {
					return
				}
				time.Sleep(50 * time.Millisecond) // out of file descriptors: it passes
				continue
			}
			s.accept(conn)
		}
	})
	return nil
}

func (s *streams) accept(conn net.Conn) {
	from, err := netip.ParseAddrPort(conn.RemoteAddr().String())
	if err != nil {
		conn.Close()
		return
	}
	to := hopTo(from, s.by)
	st := s.add(to, !s.known(to.Addr()))
	if st == nil {
		conn.Close()
		return
	}
	s.all.Go(func() {
		conn, shown, err := s.shake(st, conn)
		if err != nil {
			conn.Close()
			s.remove(st)
			return
		}
		st.to.shown = shown
		s.run(st, conn)
	})
}

// shake lets a connection that came prove itself, while there is room for that.
func (s *streams) shake(st *stream, conn net.Conn) (net.Conn, []string, error) {
	if st.foreign {
		if !s.mayProve(st, conn) {
			return conn, nil, errCrowded
		}
		defer s.proved(st)
	}
	ctx, cancel := context.WithTimeout(context.Background(), shakePatience)
	defer cancel()
	taken, shown, err := s.take(ctx, conn)
	if err != nil {
		return conn, nil, err
	}
	return taken, shown, nil
}

// mayProve tells whether a stranger may begin to prove itself. Where as many do as may, the one
// that began first is ended: who never ends keeps nobody else out.
func (s *streams) mayProve(st *stream, conn net.Conn) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	all, near := 0, 0
	network := guard.Around(st.to.Addr())
	var oldest *stream
	for _, other := range s.open {
		if other.proving == nil {
			continue
		}
		all++
		if network.Contains(other.to.Addr()) {
			near++
		}
		if oldest == nil || other.since.Before(oldest.since) {
			oldest = other
		}
	}
	if near >= MaxHandshakesNear {
		return false
	}
	if all >= MaxHandshakes {
		oldest.proving.Close()
		oldest.proving = nil
	}
	st.proving = conn
	return true
}

func (s *streams) proved(st *stream) {
	s.mu.Lock()
	defer s.mu.Unlock()
	st.proving = nil
}

// add makes room for a connection; nil if there is none.
func (s *streams) add(to hop, foreign bool) *stream {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closed || len(s.open) >= MaxStreams || foreign && !s.roomFor(to) {
		return nil
	}
	st := &stream{to: to, queue: make(chan []byte, StreamQueue), over: make(chan struct{}), since: time.Now(), foreign: foreign}
	s.open[to.AddrPort] = st
	return st
}

// roomFor tells whether one more stranger may come. Where there are as many as may be, the
// oldest of them that nobody knows meanwhile makes room. The lock is held.
func (s *streams) roomFor(to hop) bool {
	all, same, near := 0, 0, 0
	network := guard.Around(to.Addr())
	var oldest *stream
	for _, other := range s.open {
		if !other.foreign {
			continue
		}
		if s.known(other.to.Addr()) {
			other.foreign = false
			continue
		}
		all++
		if other.to.Addr() == to.Addr() {
			same++
		}
		if network.Contains(other.to.Addr()) {
			near++
		}
		if oldest == nil || other.since.Before(oldest.since) {
			oldest = other
		}
	}
	if same >= MaxStreamsFrom || near >= MaxStreamsNear {
		return false
	}
	if all >= MaxStreamsStrange {
		delete(s.open, oldest.to.AddrPort)
		oldest.end()
		if oldest.proving != nil {
			oldest.proving.Close()
		}
	}
	return true
}

func (s *streams) remove(st *stream) {
	st.end()
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.open[st.to.AddrPort] == st {
		delete(s.open, st.to.AddrPort)
	}
}

// stands tells whether there is a connection.
func (s *streams) stands(to hop) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.open[to.AddrPort] != nil
}

// send queues a message, and connects first where no connection stands.
func (s *streams) send(b []byte, to hop) error {
	s.mu.Lock()
	st := s.open[to.AddrPort]
	s.mu.Unlock()
	if st == nil {
		if st = s.add(to, false); st == nil {
			return fmt.Errorf("no connection to %s: %d stand already", to, MaxStreams)
		}
		s.all.Go(func() { s.connect(st) })
	}
	select {
	case st.queue <- b:
		return nil
	default:
		return errQueueFull
	}
}

func (s *streams) connect(st *stream) {
	dialer := net.Dialer{Timeout: dialPatience, LocalAddr: net.TCPAddrFromAddrPort(netip.AddrPortFrom(s.at().Addr(), 0))}
	conn, shown, err := s.dial(dialer, st.to)
	if err != nil {
		s.remove(st)
		s.failed(st.to, err)
		return
	}
	st.to.shown = shown
	s.run(st, conn)
}

// run reads and writes a connection until one side ends it.
func (s *streams) run(st *stream, conn net.Conn) {
	defer s.remove(st)
	var writing sync.WaitGroup
	writing.Go(func() {
		defer conn.Close() // ends the reader too
		s.write(st, conn)
	})
	s.read(st, conn)
	st.end()
	conn.Close()
	writing.Wait()
	s.failed(st.to, errors.New("the connection ended"))
}

func (s *streams) write(st *stream, conn net.Conn) {
	for {
		select {
		case <-st.over:
			return
		case b := <-st.queue:
			_ = conn.SetWriteDeadline(time.Now().Add(writePatience))
			if _, err := conn.Write(b); err != nil {
				return
			}
		}
	}
}

// read hands up whole messages in the order of the stream. It ends where none becomes whole
// in time: bytes alone keep nothing open.
func (s *streams) read(st *stream, conn net.Conn) {
	var framer wire.Framer
	buffer := make([]byte, 4096)
	until := time.Now().Add(wholePatience)
	for {
		_ = conn.SetReadDeadline(until)
		n, err := conn.Read(buffer)
		before := framer.Inside()
		framer.Add(buffer[:n])
		taken, bad := s.handUp(st, &framer)
		if bad != nil {
			s.log.Debug("ended a connection", "to", st.to, "why", bad)
			return
		}
		if err != nil {
			return
		}
		switch {
		case taken && !framer.Inside():
			until = time.Now().Add(s.patience(st))
		case taken, !before && framer.Inside():
			until = time.Now().Add(wholePatience)
		}
	}
}

// patience is how long a connection may be silent.
func (s *streams) patience(st *stream) time.Duration {
	if st.foreign && !s.known(st.to.Addr()) {
		return strangePatience
	}
	return idlePatience
}

var (
	errRefused = errors.New("messages of this source are not taken")
	errCrowded = errors.New("too many TLS handshakes of unknown sources")
)

// handUp hands up the whole messages that came; taken is true if there were any, or keep-alives
// of somebody known.
func (s *streams) handUp(st *stream, framer *wire.Framer) (taken bool, err error) {
	for {
		m, pings, err := framer.Next()
		if pings > 0 { // one back is enough for what came at once
			_ = s.send([]byte("\r\n"), st.to)
			taken = taken || !st.foreign
		}
		if err != nil || m == nil {
			return taken, err
		}
		if !s.receive(m, st.to) {
			return true, errRefused
		}
		taken = true
	}
}

// close ends every connection and waits for it.
func (s *streams) close() {
	s.mu.Lock()
	s.closed = true
	for _, st := range s.open {
		st.end()
	}
	s.mu.Unlock()
	s.leave()
	s.all.Wait()
}
