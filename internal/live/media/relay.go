package media

import (
	"encoding/binary"
	"net"
	"net/netip"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/core/media"
)

// Relay carries sound between the two sides of a call.
type Relay struct {
	sides [2]side
	begun time.Time
	once  sync.Once
}

// Side is one side of a call.
type Side int

// The sides.
const (
	Caller Side = iota
	Called
)

// Other is the other side.
func (s Side) Other() Side { return 1 - s }

// side is the sockets of one side, and what is known of who is there.
type side struct {
	*pair
	peer      atomic.Pointer[peer] // nil until it said where it wants to hear
	elsewhere atomic.Int64         // packets from addresses that are not its own
	spoiled   atomic.Int64         // packets that could not be decrypted
	in, out   atomic.Pointer[cipher]
	early     atomic.Int64             // packets before anybody was known to be there
	endpoint  atomic.Pointer[Endpoint] // nil where the side is RTP

	mu    sync.Mutex // of what was heard
	heard media.Reception
	last  time.Time
	clock uint32 // Hz
}

// peer is where a side wants to hear, and from where it may speak.
type peer struct {
	rtp, rtcp netip.AddrPort
	own       []netip.Addr // its addresses: in its description, and of its signalling
	settled   bool         // rtp is where it was heard from
}

// Open takes ports for both sides.
func (p *Ports) Open() (*Relay, error) {
	r := &Relay{begun: time.Now()}
	for i := range r.sides {
		c, err := p.take()
		if err != nil {
			if i > 0 {
				r.sides[0].close()
			}
			return nil, err
		}
		r.sides[i].pair, r.sides[i].clock = c, defaultClock
	}
	for i := range r.sides {
		go r.carry(Side(i), r.sides[i].rtp, true)
		go r.carry(Side(i), r.sides[i].rtcp, false)
	}
	return r, nil
}

const defaultClock = 8000

// At is where a side is to send its sound: our port for it.
func (r *Relay) At(s Side) netip.AddrPort {
	return netip.AddrPortFrom(r.sides[s].of.host, r.sides[s].port)
}

// Hears says where a side wants to hear, by its description, from which further
// address its signalling comes, and the clock of its sound in Hz (0 for 8000).
func (r *Relay) Hears(s Side, rtp netip.AddrPort, rtcp uint16, signalling netip.Addr, clock int) {
	side := &r.sides[s]
	now := &peer{rtp: rtp, rtcp: netip.AddrPortFrom(rtp.Addr(), rtcp), own: []netip.Addr{rtp.Addr(), signalling}}
	if before := side.peer.Load(); before != nil && before.settled && slices.Equal(before.own, now.own) {
		// The same side again, as after a hold: it is where it was heard.
		now.rtp, now.settled = before.rtp, true
	}
	if clock > 0 {
		side.mu.Lock()
		side.clock = uint32(clock)
		side.mu.Unlock()
	}
	side.peer.Store(now)
}

// Nobody forgets who is on a side, as when another far end is tried.
func (r *Relay) Nobody(s Side) {
	r.sides[s].peer.Store(nil)
	r.disconnect(s)
}

// maxPacket is what a packet may have: an Ethernet frame.
const maxPacket = 1500

// trailer is what SRTP and SRTCP add to a packet at most (RFC 3711): 4 octets of
// index and 10 of tag.
const trailer = 14

// carry passes what one socket of a side hears to the other side.
func (r *Relay) carry(from Side, conn *net.UDPConn, sound bool) {
	buffer, opened, sealed := make([]byte, maxPacket), make([]byte, maxPacket), make([]byte, maxPacket+trailer)
	near := &r.sides[from]
	for {
		n, source, err := conn.ReadFromUDPAddrPort(buffer)
		if err != nil {
			return // closed
		}
		if near.peer.Load() == nil {
			near.early.Add(1) // nobody said yet who is there
			continue
		}
		if !near.admits(netip.AddrPortFrom(source.Addr().Unmap(), source.Port()), sound) {
			near.elsewhere.Add(1)
			continue
		}
		packet := buffer[:n]
		if c := near.in.Load(); c != nil {
			if packet, err = c.turn(opened, packet, sound); err != nil {
				near.spoiled.Add(1)
				continue
			}
		}
		if sound && !near.count(packet, r.begun) {
			continue
		}
		r.pass(from, packet, sound, sealed)
	}
}

// admits tells whether a packet is from the side itself. What comes first from one
// of its addresses says where it really is, behind a translator of addresses too
// (symmetric RTP, RFC 4961); after that nothing else is it.
func (s *side) admits(source netip.AddrPort, sound bool) bool {
	p := s.peer.Load()
	if p == nil || !slices.Contains(p.own, source.Addr()) {
		return false
	}
	if !sound || p.settled {
		return !sound || source == p.rtp
	}
	now := *p
	now.rtp, now.settled = source, true
	if source != p.rtp && p.rtcp.Port() == p.rtp.Port()+1 {
		now.rtcp = netip.AddrPortFrom(source.Addr(), source.Port()+1)
	}
	return s.peer.CompareAndSwap(p, &now) || s.admits(source, sound)
}

// count counts an RTP packet (RFC 3550 section 5.1); false if it is none.
func (s *side) count(b []byte, begun time.Time) bool {
	if len(b) < 12 || b[0]>>6 != 2 {
		return false
	}
	now := time.Now()
	s.mu.Lock()
	defer s.mu.Unlock()
	arrival := uint32(uint64(now.Sub(begun)) * uint64(s.clock) / uint64(time.Second))
	s.heard.Packet(binary.BigEndian.Uint32(b[8:]), binary.BigEndian.Uint16(b[2:]), binary.BigEndian.Uint32(b[4:]), arrival)
	s.last = now
	return true
}

// Heard is what came from a side.
type Heard struct {
	Packets   int64
	Loss      media.Loss
	Jitter    time.Duration
	Elsewhere int64 // packets from other addresses, which were not passed on
	Early     int64 // packets before the side had said where it is, which were not either
	Spoiled   int64 // packets that could not be decrypted: changed, repeated, or of another key
	Last      time.Time
}

// Heard returns what came from a side so far.
func (r *Relay) Heard(s Side) Heard {
	side := &r.sides[s]
	side.mu.Lock()
	defer side.mu.Unlock()
	return Heard{
		Packets: side.heard.Received(), Loss: side.heard.Loss(), Elsewhere: side.elsewhere.Load(), Early: side.early.Load(), Spoiled: side.spoiled.Load(), Last: side.last,
		Jitter: time.Duration(side.heard.Jitter()) * time.Second / time.Duration(side.clock),
	}
}

// Close gives the ports back.
func (r *Relay) Close() {
	r.once.Do(func() {
		r.disconnect(Caller)
		r.disconnect(Called)
		for i := range r.sides {
			r.sides[i].close()
		}
	})
}
