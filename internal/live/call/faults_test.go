package call_test

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/livetest"
)

// Two thousand calls between two switches over SIP whose datagrams are lost, repeated and
// overtaken, placed by phones that answer, refuse, hold, transfer, hang up and give up as a seed
// says. At the end nothing is held anywhere.

const (
	faultCalls = 2000
	faultSeed  = 20261130
)

// lossy is a socket of which one datagram in ten is lost, one in ten comes twice, and one in ten
// late.
type lossy struct {
	net.PacketConn
	came chan datagram
	over chan struct{}
	once sync.Once
}

type datagram struct {
	bytes []byte
	from  net.Addr
}

func newLossy(conn net.PacketConn) net.PacketConn {
	l := &lossy{PacketConn: conn, came: make(chan datagram, 10_000), over: make(chan struct{})}
	go l.read(rand.New(rand.NewPCG(faultSeed, 1)))
	return l
}

func (l *lossy) read(r *rand.Rand) {
	defer l.once.Do(func() { close(l.over) })
	for {
		b := make([]byte, 65_536)
		n, from, err := l.PacketConn.ReadFrom(b)
		if err != nil {
			return
		}
		d := datagram{b[:n:n], from}
		switch r.IntN(10) {
		case 0: // lost
		case 1:
			l.put(d)
			l.put(d)
		case 2:
			time.AfterFunc(time.Duration(r.IntN(30))*time.Millisecond, func() { l.put(d) })
		default:
			l.put(d)
		}
	}
}

func (l *lossy) put(d datagram) {
	select {
	case l.came <- d:
	case <-l.over:
	}
}

// ReadFrom implements net.PacketConn.
func (l *lossy) ReadFrom(b []byte) (int, net.Addr, error) {
	select {
	case d := <-l.came:
		return copy(b, d.bytes), d.from, nil
	case <-l.over:
		return 0, nil, net.ErrClosed
	}
}

// crowd are the phones of one switch, which do as a seed says.
type crowd struct {
	mu      sync.Mutex
	r       *rand.Rand
	carrier *text
	others  []string // whom they transfer to
	legs    map[string]bool
	tired   bool // they hang up, and pick up nothing
	placed  int
}

// hear is a line for a phone. What follows from it is said a little later.
func (c *crowd) hear(line string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	words := strings.Fields(line)
	leg, verb := words[0], words[1]
	later := func(most int, said string) {
		time.AfterFunc(time.Duration(c.r.IntN(most)+1)*time.Millisecond, func() { c.carrier.hear(leg + " " + said) })
	}
	const media = " PCMA@127.1.9.9:4000"
	chance := c.r.IntN(12)
	switch verb {
	case "setup":
		c.legs[leg] = true
		switch {
		case c.tired || chance == 0:
			later(5, "release 17")
		case chance == 1:
			later(5, "redirect "+c.others[c.r.IntN(len(c.others))])
		case chance == 2: // nobody is there
		case chance < 6:
			later(5, "connect"+media)
		default:
			later(5, "ringing")
			later(60, "connect"+media)
		}
	case "connect", "accept", "refuse", "glare":
		switch {
		case chance < 4:
			later(100, "change"+media+"/sendonly")
		case chance == 4:
			later(50, "transfer "+c.others[c.r.IntN(len(c.others))])
		default:
			later(200, "release 16")
		}
	case "ringing", "proceeding":
		if chance == 0 {
			later(30, "release 16") // gives up
		}
	case "change":
		later(10, []string{"accept" + media, "accept" + media, "refuse", "glare"}[chance%4])
	case "release":
		delete(c.legs, leg)
	}
}

// place begins a call.
func (c *crowd) place(called string) {
	c.mu.Lock()
	c.tired = false
	c.placed++
	leg := fmt.Sprint("p", c.placed)
	c.legs[leg] = true
	c.mu.Unlock()
	c.carrier.hear(leg + " setup " + called + " 2001 PCMA@127.1.9.8:4000")
}

// Held is how many legs there are.
func (t *text) Held() int {
	t.mu.Lock()
	defer t.mu.Unlock()
	return len(t.legs)
}

// hangUp has every phone hang up.
func (c *crowd) hangUp() {
	c.mu.Lock()
	c.tired = true
	var list []string
	for leg := range c.legs {
		list = append(list, leg)
	}
	c.mu.Unlock()
	for _, leg := range list {
		c.carrier.hear(leg + " release 16")
	}
}

func joined(p *plan.Plan) {
	for i := range p.Trunks {
		t := &p.Trunks[i]
		t.Channels, t.Overlap.Enabled = 1000, false
		switch t.ID {
		case "quay-cape":
			t.Link.SIP = &plan.SIP{RemoteAddress: livetest.Address("127.0.12.1:5060"), TrustedAddresses: []string{livetest.Address("127.0.12.1")}}
		case "cape-quay":
			t.Link.SIP = &plan.SIP{RemoteAddress: livetest.Address("127.0.10.1:5060"), TrustedAddresses: []string{livetest.Address("127.0.10.1")}}
		case "quay-phones", "cape-phones":
			t.Services.Forwarding = true
		}
	}
	for i := range p.Paths {
		p.Paths[i].Timers = plan.Timers{NoResponseMs: 4000, Only100Ms: 5000, RingingMs: 3000}
	}
}

func TestFaultsOnTheWayHoldNothing(t *testing.T) {
	t1 := 100 * time.Millisecond
	b := livetest.Start(t, livetest.Setup{
		Change: joined, T1: t1, Wire: newLossy, Also: []string{"cape"}, Without: []string{"quay-phones", "cape-phones", "ostrel", "penhallow", "harbourbox", "island-phones", "tamarack", "deskline"},
		Protocol: func(trunk *plan.Trunk) string {
			if strings.HasSuffix(trunk.ID, "-phones") {
				return protocol
			}
			return trunk.Protocol()
		},
	})
	newCrowd := func(control *call.Control, trunk string, seed uint64, others ...string) *crowd {
		c := &crowd{r: rand.New(rand.NewPCG(faultSeed, seed)), legs: map[string]bool{}, others: others}
		c.carrier = newText(control, b.Plan, trunk, false, c.hear)
		return c
	}
	quay := newCrowd(b.Control, "quay-phones", 2, "2005", "844102")
	cape := newCrowd(b.Others[0].Control, "cape-phones", 3, "4105", "822002")
	held := func() error {
		var all []error
		for _, s := range append(b.Others, b.Station) {
			if n := s.Control.Running(); n > 0 {
				all = append(all, fmt.Errorf("%d calls run on %s", n, s.Control.Switch))
			}
			if d, tx := s.Agent.Held(); d+tx > 0 {
				all = append(all, fmt.Errorf("%d dialogs and %d transactions on %s", d, tx, s.Control.Switch))
			}
			if n := s.Control.Ports().Used; n > 0 {
				all = append(all, fmt.Errorf("%d ports on %s", n, s.Control.Switch))
			}
		}
		for _, trunk := range []string{"quay-cape", "cape-quay", "quay-phones", "cape-phones"} {
			if n := b.Trunks.State(trunk).InUse; n > 0 {
				all = append(all, fmt.Errorf("%d channels of %s", n, trunk))
			}
		}
		for _, c := range []*crowd{quay, cape} {
			if n := c.carrier.Held(); n > 0 {
				all = append(all, fmt.Errorf("%d legs of %s", n, c.carrier.trunk))
			}
		}
		return errors.Join(all...)
	}
	run := func(calls int) {
		for i := range calls {
			// As many at one time as a slow machine carries.
			for wait := 0; wait < 60 && b.Control.Running()+b.Others[0].Control.Running() > 200; wait++ {
				time.Sleep(time.Millisecond)
			}
			if i%2 == 0 {
				quay.place("844101")
			} else {
				cape.place("822001")
			}
			time.Sleep(time.Duration(quay.pause()) * time.Millisecond)
		}
		quay.hangUp()
		cape.hangUp()
		for deadline := time.Now().Add(90 * time.Second); held() != nil && time.Now().Before(deadline); {
			time.Sleep(50 * time.Millisecond)
		}
		require.NoError(t, held())
	}
	run(20) // until all that stays for good is there
	routines := runtime.NumGoroutine()
	run(faultCalls)
	assert.Eventually(t, func() bool { return runtime.NumGoroutine() <= routines+2 }, 10*time.Second, 50*time.Millisecond, "goroutines")
	answered := 0
	for _, c := range b.Calls() {
		if !c.Answered.IsZero() {
			answered++
		}
		require.False(t, c.Running(), c.ID)
	}
	assert.Greater(t, answered, faultCalls/50, "some came to something, however slow the machine is")
}

// pause is how long to wait until the next call.
func (c *crowd) pause() int {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.r.IntN(8)
}
