package media_test

import (
	"encoding/binary"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"switchback.example/switchback/internal/live/media"
)

// Sound through the relay, beside a bare loop of the same system calls that reads
// and writes datagrams and looks at nothing.
//
//	go test ./internal/live/media -run '^$' -bench . -benchtime 1x

// wire is something between two ends of a call: where each is to send.
type wire struct {
	at    [2]netip.AddrPort
	close func()
}

// through opens something for two ends.
type through func(b *testing.B, a, c netip.AddrPort) wire

func relayed(ports *media.Ports) through {
	return func(b *testing.B, a, c netip.AddrPort) wire {
		r, err := ports.Open()
		if err != nil {
			b.Fatal(err)
		}
		r.Hears(media.Caller, a, 0, a.Addr(), 0)
		r.Hears(media.Called, c, 0, c.Addr(), 0)
		return wire{[2]netip.AddrPort{r.At(media.Caller), r.At(media.Called)}, r.Close}
	}
}

// bare is the loop without a relay.
func bare(b *testing.B, a, c netip.AddrPort) wire {
	left, right := bind(b, "127.1.45.1:0"), bind(b, "127.1.45.1:0")
	pass := func(from, to *net.UDPConn, at netip.AddrPort) {
		buffer := make([]byte, 1500)
		for {
			n, _, err := from.ReadFromUDPAddrPort(buffer)
			if err != nil {
				return
			}
			_, _ = to.WriteToUDPAddrPort(buffer[:n], at)
		}
	}
	go pass(left, right, c)
	go pass(right, left, a)
	return wire{[2]netip.AddrPort{address(left), address(right)}, func() { left.Close(); right.Close() }}
}

func bind(b *testing.B, at string) *net.UDPConn {
	conn, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(netip.MustParseAddrPort(at)))
	if err != nil {
		b.Fatal(err)
	}
	_ = conn.SetReadBuffer(1 << 20)
	return conn
}

func address(conn *net.UDPConn) netip.AddrPort { return conn.LocalAddr().(*net.UDPAddr).AddrPort() }

// packet writes an RTP packet of G.711 that carries when it left.
func packet(b []byte, n uint16) []byte {
	b[0], b[1] = 0x80, 8
	binary.BigEndian.PutUint16(b[2:], n)
	binary.BigEndian.PutUint32(b[4:], uint32(n)*160)
	binary.BigEndian.PutUint64(b[12:], uint64(time.Now().UnixNano()))
	return b
}

const packetBytes = 172

// brief takes the second of two with -short, by which every benchmark runs once in the
// tests to show that it still does; its figures then mean nothing.
func brief[T any](full, short T) T {
	if testing.Short() {
		return short
	}
	return full
}

// BenchmarkPackets is how many packets a second go through, of flows that each have
// a few on the way.
func BenchmarkPackets(b *testing.B) {
	const flows, window = 8, 16
	span := brief(5*time.Second, 200*time.Millisecond)
	for _, c := range []struct {
		name string
		open through
	}{{"bare", bare}, {"relay", relayed(media.NewPorts(netip.MustParseAddr("127.1.46.1"), 20000, 29999))}} {
		b.Run(c.name, func(b *testing.B) {
			for range b.N {
				var passed atomic.Int64
				var all sync.WaitGroup
				end := time.Now().Add(span)
				for range flows {
					from, to := bind(b, "127.1.47.1:0"), bind(b, "127.1.48.1:0")
					w := c.open(b, address(from), address(to))
					all.Go(func() {
						defer from.Close()
						defer to.Close()
						defer w.close()
						out, in := make([]byte, packetBytes), make([]byte, 1500)
						var n uint16
						for range window {
							_, _ = from.WriteToUDPAddrPort(packet(out, n), w.at[0])
							n++
						}
						for time.Now().Before(end) {
							_ = to.SetReadDeadline(time.Now().Add(time.Second))
							if _, err := to.Read(in); err != nil {
								continue
							}
							passed.Add(1)
							_, _ = from.WriteToUDPAddrPort(packet(out, n), w.at[0])
							n++
						}
					})
				}
				all.Wait()
				if passed.Load() == 0 {
					b.Fatal("nothing came through")
				}
				b.ReportMetric(float64(passed.Load())/span.Seconds(), "packets/s")
			}
		})
	}
}

// BenchmarkHeld holds calls at once, each with 50 packets a second each way, and
// says what was lost and how long packets took.
func BenchmarkHeld(b *testing.B) {
	span := brief(10*time.Second, 200*time.Millisecond)
	for _, calls := range []int{100, 200, brief(400, 50)} {
		for _, c := range []struct {
			name string
			open through
		}{{"bare", bare}, {"relay", relayed(media.NewPorts(netip.MustParseAddr("127.1.46.2"), 20000, 29999))}} {
			b.Run(fmt.Sprintf("%d-calls-%s", calls, c.name), func(b *testing.B) {
				for range b.N {
					hold(b, c.open, calls, span)
				}
			})
		}
	}
}

func hold(b *testing.B, open through, calls int, span time.Duration) {
	var mu sync.Mutex
	var delays []time.Duration
	var ends []*net.UDPConn
	var to []netip.AddrPort
	var hearing sync.WaitGroup
	var wires []wire
	for range calls {
		a, c := bind(b, "127.1.47.2:0"), bind(b, "127.1.48.2:0")
		w := open(b, address(a), address(c))
		wires, ends, to = append(wires, w), append(ends, a, c), append(to, w.at[0], w.at[1])
	}
	for _, conn := range ends {
		hearing.Go(func() {
			own := make([]time.Duration, 0, 600)
			in := make([]byte, 1500)
			for {
				n, err := conn.Read(in)
				if err != nil {
					break
				}
				if n == packetBytes {
					own = append(own, time.Duration(time.Now().UnixNano()-int64(binary.BigEndian.Uint64(in[12:]))))
				}
			}
			mu.Lock()
			defer mu.Unlock()
			delays = append(delays, own...)
		})
	}
	sent := 0
	out := make([]byte, packetBytes)
	begun := time.Now()
	for n := 0; time.Since(begun) < span; n++ {
		for i, conn := range ends { // spread over the 20 ms, as calls are
			if i%20 == 0 {
				time.Sleep(time.Until(begun.Add(time.Duration(n)*20*time.Millisecond + time.Duration(i)*20*time.Millisecond/time.Duration(len(ends)))))
			}
			if _, err := conn.WriteToUDPAddrPort(packet(out, uint16(n)), to[i]); err == nil {
				sent++
			}
		}
	}
	time.Sleep(500 * time.Millisecond)
	for _, conn := range ends {
		conn.Close()
	}
	hearing.Wait()
	for _, w := range wires {
		w.close()
	}
	slices.Sort(delays)
	b.ReportMetric(float64(sent)/span.Seconds(), "packets/s")
	b.ReportMetric(float64(sent-len(delays)), "lost")
	b.ReportMetric(float64(delays[len(delays)/2].Microseconds()), "median-us")
	b.ReportMetric(float64(delays[len(delays)*99/100].Microseconds()), "p99-us")
}
