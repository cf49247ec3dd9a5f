package sip_test

import (
	"fmt"
	"math/rand/v2"
	"net"
	"net/netip"
	"os"
	"runtime"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/ipv4"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/livetest"
)

// flood sends datagrams from ever new addresses of the loopback network, as many a second
// as asked, until it is stopped; sent counts them.
func flood(t testing.TB, to string, perSecond int, write func(i int, from net.IP) []byte) (sent *atomic.Int64, stop func()) {
	conn, err := net.ListenPacket("udp4", "127.1.64.1:0")
	require.NoError(t, err)
	at, err := net.ResolveUDPAddr("udp4", to)
	require.NoError(t, err)
	out := ipv4.NewPacketConn(conn)
	sent = &atomic.Int64{}
	over := make(chan struct{})
	var all sync.WaitGroup
	all.Go(func() {
		tick := time.NewTicker(5 * time.Millisecond)
		defer tick.Stop()
		for i := 0; ; {
			select {
			case <-over:
				return
			case <-tick.C:
			}
			for range max(1, perSecond/200) {
				i++
				from := net.IPv4(127, byte(2+i>>16&0x3f), byte(i>>8), byte(1+i&0x7f))
				if _, err := out.WriteTo(write(i, from), &ipv4.ControlMessage{Src: from}, at); err == nil {
					sent.Add(1)
				}
			}
		}
	})
	return sent, func() { close(over); all.Wait(); conn.Close() }
}

func invitation(i int, from net.IP) []byte {
	text := strings.ReplaceAll(request("INVITE", "901914980850", fmt.Sprintf("flood%d", i), "", fmt.Sprintf("fl%d", i), offer), "127.1.20.1", from.String())
	return []byte(livetest.Wire(text))
}

// Known trunks come first: while strangers send from ever new addresses as fast as they
// can, every call that may goes through, what the flood cost is counted, and nobody is blocked.
func TestCallsGoThroughBesideAFlood(t *testing.T) {
	f := start(t, nil)
	sent, stop := flood(t, livetest.SwitchAt(), 5000, invitation)
	for i := range 25 {
		id := fmt.Sprintf("beside%d", i)
		_, ok := f.answered(t, id)
		f.phones.Send(request("BYE", "901914980850", id, tagOf(ok.Header("To")), id+"bye", ""))
		f.phones.Expect("SIP/2.0 200")
		bye := f.ostrel.Expect("BYE")
		f.ostrel.Send(bye.Reply("200 OK", "", ""))
		f.WaitEnd(t, id)
		time.Sleep(20 * time.Millisecond)
	}
	stop()
	assert.Len(t, f.Calls(), 25)
	assert.Greater(t, sent.Load(), int64(1000))
	by := f.Agent.UnknownBy()
	assert.Positive(t, by[sip.MetDropped]+by[sip.MetCrowded])
	assert.Empty(t, f.Gate.Blocks(time.Now()))
	_, all := f.Strangers.List(time.Time{}, 1)
	assert.LessOrEqual(t, all, live.MaxStrangers)
}

// inUse is what the heap holds, and what the process has of the machine's memory (Linux), in
// bytes, after what is garbage has gone.
func inUse(t *testing.T) (heap, resident int64) {
	runtime.GC()
	debug.FreeOSMemory()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	if text, err := os.ReadFile("/proc/self/statm"); err == nil {
		pages, err := strconv.ParseInt(strings.Fields(string(text))[1], 10, 64)
		require.NoError(t, err)
		resident = pages * int64(os.Getpagesize())
	}
	return int64(m.HeapAlloc), resident
}

// What strangers may make the switch keep, in bytes, with some room for what the test itself
// uses. The race detector keeps a multiple of its own, so that it bounds the heap alone.
const heapBound, residentBound = 40 << 20, 64 << 20

// Everything kept about strangers has a length and a number: line ends without end, messages
// that never become whole, names of 60 kB, sources, blocks and nonces without number.
func TestStrangersCannotFillMemory(t *testing.T) {
	f := startRegistering(t, nil)
	f.enrol(t)
	heapBefore, before := inUse(t)
	long := strings.Repeat("x", 60_000)
	sent, stop := flood(t, livetest.SwitchAt(), 2000, func(i int, from net.IP) []byte {
		text := register("1", fmt.Sprintf("m%d", i), `Authorization: Digest username="`+long[:50_000]+`", realm="quay", nonce="x", uri="sip:a", response="y"`)
		return []byte(livetest.Wire(strings.ReplaceAll(text, "127.1.20.1", from.String())))
	})
	var all sync.WaitGroup
	for i := range 40 {
		all.Go(func() {
			from := net.IPv4(127, 1, byte(100+i), 7)
			conn, err := (&net.Dialer{LocalAddr: &net.TCPAddr{IP: from}, Timeout: time.Second}).Dial("tcp", "127.1.10.1:5060")
			if err != nil {
				return
			}
			defer conn.Close()
			piece := []byte(strings.Repeat("\r\n", 20_000))
			if i%2 == 0 {
				piece = []byte("INVITE sip:a SIP/2.0\r\nSubject: " + long)
			}
			_ = conn.SetWriteDeadline(time.Now().Add(2 * time.Second))
			for range 50 {
				if _, err := conn.Write(piece); err != nil {
					return // it was ended
				}
			}
		})
	}
	r := rand.New(rand.NewPCG(1, 1))
	for i := range 3 * guard.MaxFailing { // who really answers challenges, from addresses without number
		a := netip.AddrFrom4([4]byte{10, byte(i >> 16), byte(i >> 8), byte(i)})
		for range 1 + r.IntN(6) {
			f.Gate.Failed(guard.Failure{From: a, Why: long, Account: long[:r.IntN(5000)+i%1000], Returned: true}, time.Now(),
				guard.Limits{Failures: 5, Window: time.Minute, For: time.Hour}, func(netip.Prefix) bool { return false })
		}
		f.Strangers.Note(a, live.Stranger{Switch: "quay", Method: long, Called: long, From: long, Agent: long, Answer: long})
	}
	all.Wait()
	stop()
	assert.Greater(t, sent.Load(), int64(500))
	f.phones.Send(register("9", "still"))
	f.phones.Expect("SIP/2.0 401") // it is awake
	var heap, after int64
	require.Eventually(t, func() bool {
		heap, after = inUse(t)
		return heap-heapBefore < heapBound && (raceDetector || after-before < residentBound)
	}, 20*time.Second, 500*time.Millisecond, "heap %d, resident %d", heap-heapBefore, after-before)
	t.Logf("heap: %d MiB before, %d after; resident: %d MiB before, %d after", heapBefore>>20, heap>>20, before>>20, after>>20)
}

// Strangers have connections of their own number, and trunks always find room; bytes that
// never make a message keep none open.
func TestStrangersTakeNoConnectionsFromTrunks(t *testing.T) {
	f := start(t, nil)
	var open []net.Conn
	defer func() {
		for _, c := range open {
			c.Close()
		}
	}()
	for i := range sip.MaxStreamsStrange + 300 {
		from := net.IPv4(127, 1, byte(64+i>>5), byte(1+i&31))
		conn, err := (&net.Dialer{LocalAddr: &net.TCPAddr{IP: from}, Timeout: time.Second}).Dial("tcp", "127.1.10.1:5060")
		if err == nil {
			_, _ = conn.Write([]byte("INV"))
			open = append(open, conn)
		}
	}
	require.Greater(t, len(open), sip.MaxStreamsStrange)
	phones := livetest.Dial(t, "127.0.20.1:0")
	phones.Send(overTCP(request("OPTIONS", "2001", "room", "", "room", "")))
	phones.Expect("SIP/2.0 200")
	f.answered(t, "beside")
	// A byte now and then is no message: all of them are ended in the time for a whole one.
	for _, c := range open[len(open)-20:] {
		_ = c.SetReadDeadline(time.Now().Add(15 * time.Second))
		_, _ = c.Write([]byte("I"))
		_, err := c.Read(make([]byte, 1))
		require.Error(t, err)
		var late net.Error
		require.False(t, asTimeout(err, &late), "it is still open")
	}
}

func asTimeout(err error, to *net.Error) bool {
	e, ok := err.(net.Error) //nolint:errorlint // as the net package gives it
	*to = e
	return ok && e.Timeout()
}
