// Package media carries the sound of calls through a switch: ports, and between
// two of them a relay that counts what it hears.
//
// It never reads or writes a session description, and it decides nothing: the
// signalling (package live/sip) says where each side wants to hear.
package media

import (
	"errors"
	"fmt"
	"net"
	"net/netip"
	"sync"
)

// Ports are the UDP ports of a switch for sound. Each side of a call takes two: an
// even one for RTP, and the next for RTCP (RFC 3550 section 11). It is safe for
// concurrent use.
type Ports struct {
	host        netip.Addr
	first, last uint16

	mu      sync.Mutex
	next    uint16
	used    map[uint16]bool // the even ones
	refused int64
}

// NewPorts are those of an address from first to last; an odd first is rounded up.
func NewPorts(host netip.Addr, first, last uint16) *Ports {
	first += first % 2
	return &Ports{host: host, first: first, last: last, next: first, used: map[uint16]bool{}}
}

// Use is how many sides have ports, of how many that could, and how often none
// was left.
type Use struct {
	Used, All int
	Refused   int64
}

// Use returns it.
func (p *Ports) Use() Use {
	p.mu.Lock()
	defer p.mu.Unlock()
	return Use{len(p.used), p.all(), p.refused}
}

func (p *Ports) all() int { return (int(p.last) - int(p.first) + 1) / 2 }

// Host is the address that the ports are on.
func (p *Ports) Host() netip.Addr { return p.host }

// ErrUsedUp says that no port is left.
var ErrUsedUp = errors.New("all RTP ports are in use")

// pair is the sockets of one side.
type pair struct {
	rtp, rtcp *net.UDPConn
	port      uint16
	of        *Ports
}

// take binds the next free pair. Ports that another program holds are passed over.
func (p *Ports) take() (*pair, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for range p.all() {
		port := p.next
		if p.next += 2; p.next > p.last-1 || p.next < p.first {
			p.next = p.first
		}
		if p.used[port] {
			continue
		}
		rtp, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(netip.AddrPortFrom(p.host, port)))
		if err != nil {
			continue
		}
		rtcp, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(netip.AddrPortFrom(p.host, port+1)))
		if err != nil {
			rtp.Close()
			continue
		}
		p.used[port] = true
		return &pair{rtp, rtcp, port, p}, nil
	}
	p.refused++
	return nil, fmt.Errorf("%w: %d to %d of %s", ErrUsedUp, p.first, p.last, p.host)
}

func (c *pair) close() {
	c.rtp.Close()
	c.rtcp.Close()
	c.of.mu.Lock()
	defer c.of.mu.Unlock()
	delete(c.of.used, c.port)
}
