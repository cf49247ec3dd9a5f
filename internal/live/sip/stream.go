package sip

import (
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/netip"
	"sync"
	"time"

	wire "switchback.example/switchback/internal/core/wire/sip"
)

// Limits of connections.
const (
	// MaxStreams is how many connections a switch holds, and MaxStreamsFrom how
	// many of one address that no trunk knows.
	MaxStreams     = 2048
	MaxStreamsFrom = 4
	// StreamQueue bounds the messages that wait to be written to a connection.
	StreamQueue = 512
	// dialPatience is how long a connection may take to stand: less than a path
	// waits for a far end.
	dialPatience = 2 * time.Second
	// writePatience is how long a write may be held up by a far end that does
	// not read.
	writePatience = 10 * time.Second
	// firstPatience is how long a new connection may bring nothing whole;
	// idlePatience how long one may be silent after that.
	firstPatience = 10 * time.Second
	idlePatience  = 15 * time.Minute
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
	// dial makes a connection, and take is what is made of one that came.
	dial func(net.Dialer, hop) (net.Conn, error)
	take func(net.Conn) net.Conn

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
	foreign bool // made by the other side, whom no trunk knew
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
	s.all.Go(func() { s.run(st, s.take(conn)) })
}

// add makes room for a connection; nil if there is none.
func (s *streams) add(to hop, foreign bool) *stream {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closed || len(s.open) >= MaxStreams {
		return nil
	}
	if foreign {
		n := 0
		for _, other := range s.open {
			if other.foreign && other.to.Addr() == to.Addr() {
				n++
			}
		}
		if n >= MaxStreamsFrom {
			return nil
		}
	}
	st := &stream{to: to, queue: make(chan []byte, StreamQueue), over: make(chan struct{}), foreign: foreign}
	s.open[to.AddrPort] = st
	return st
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
	conn, err := s.dial(dialer, st.to)
	if err != nil {
		s.remove(st)
		s.failed(st.to, err)
		return
	}
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

// read hands up whole messages in the order of the stream.
func (s *streams) read(st *stream, conn net.Conn) {
	buffer := make([]byte, 0, 4096)
	patience := firstPatience
	for {
		if len(buffer) == cap(buffer) {
			buffer = append(make([]byte, 0, 2*cap(buffer)), buffer...)
		}
		_ = conn.SetReadDeadline(time.Now().Add(patience))
		n, err := conn.Read(buffer[len(buffer):cap(buffer)])
		buffer = buffer[:len(buffer)+n]
		rest, whole, bad := s.frames(st, buffer)
		if whole {
			patience = idlePatience
		}
		buffer = append(buffer[:0], rest...)
		if bad != nil {
			s.log.Warn("ended a connection", "to", st.to, "why", bad)
			return
		}
		if err != nil {
			return
		}
	}
}

var errRefused = errors.New("messages of this source are not taken")

// frames hands up the whole messages in a buffer; rest is what is left.
func (s *streams) frames(st *stream, b []byte) (rest []byte, whole bool, err error) {
	for len(b) > 0 {
		if string(b) == "\r\n\r\n" { // a keep-alive, which wants one back (RFC 5626 section 4.4.1)
			_ = s.send([]byte("\r\n"), st.to)
			return nil, true, nil
		}
		n, err := wire.Frame(b)
		if err != nil || n == 0 {
			return b, whole, err
		}
		if !s.receive(b[:n:n], st.to) {
			return nil, true, errRefused
		}
		b, whole = b[n:], true
	}
	return nil, whole, nil
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
