package sip_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"log/slog"
	"net"
	"runtime"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/emiago/sipgo"
	libsip "github.com/emiago/sipgo/sip"

	"switchback.example/switchback/internal/archive"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/live/sip"
)

// Calls through the switch, beside the library's bare forwarding loop and a direct
// call, all in one process. The generator writes text to plain sockets, so that it
// costs all of them the same.
//
//	go test ./internal/live/sip -run '^$' -bench Load -benchtime 1x -timeout 30m

// generator places calls and answers them.
type generator struct {
	caller, callee *net.UDPConn
	to             net.Addr // where calls go
	mu             sync.Mutex
	calls          map[string]*placedCall
	next           atomic.Int64
	hold           bool // answered calls are held
	lost, repeats  atomic.Int64
}

type placedCall struct {
	sent     time.Time
	last     atomic.Pointer[[]byte] // what waits for an answer
	answered chan time.Duration
	over     chan struct{}
}

const callerAt, calleeAt, middleAt = "127.1.20.1:5060", "127.1.30.1:5060", "127.1.10.1:5060"

func newGenerator(b *testing.B, to string) *generator {
	bind := func(address string) *net.UDPConn {
		at, err := net.ResolveUDPAddr("udp", address)
		if err != nil {
			b.Fatal(err)
		}
		conn, err := net.ListenUDP("udp", at)
		if err != nil {
			b.Fatal(err)
		}
		_ = conn.SetReadBuffer(8 << 20)
		b.Cleanup(func() { conn.Close() })
		return conn
	}
	at, err := net.ResolveUDPAddr("udp", to)
	if err != nil {
		b.Fatal(err)
	}
	g := &generator{caller: bind(callerAt), callee: bind(calleeAt), to: at, calls: map[string]*placedCall{}}
	go g.answer()
	go g.hear()
	return g
}

// field returns a header's value; lines end in CR LF.
func field(m []byte, name string) string {
	i := bytes.Index(m, []byte("\r\n"+name+": "))
	if i < 0 {
		return ""
	}
	rest := m[i+len(name)+4:]
	return string(rest[:bytes.IndexByte(rest, '\r')])
}

func uriIn(value string) string {
	_, rest, _ := strings.Cut(value, "<")
	uri, _, _ := strings.Cut(rest, ">")
	return uri
}

// answer plays the called side.
func (g *generator) answer() {
	buffer := make([]byte, 65_536)
	for {
		n, from, err := g.callee.ReadFrom(buffer)
		if err != nil {
			return
		}
		m := buffer[:n]
		if bytes.HasPrefix(m, []byte("ACK")) {
			continue
		}
		var out strings.Builder
		out.WriteString("SIP/2.0 200 OK\r\n")
		for _, line := range strings.Split(string(m[:bytes.Index(m, []byte("\r\n\r\n"))]), "\r\n")[1:] {
			switch name, _, _ := strings.Cut(line, ":"); name {
			case "Via", "From", "Call-ID", "CSeq", "Record-Route":
				out.WriteString(line + "\r\n")
			case "To":
				if !strings.Contains(line, ";tag=") {
					line += ";tag=callee"
				}
				out.WriteString(line + "\r\n")
			}
		}
		if bytes.HasPrefix(m, []byte("INVITE")) {
			fmt.Fprintf(&out, "Contact: <sip:%s>\r\nContent-Type: application/sdp\r\nContent-Length: %d\r\n\r\n%s", calleeAt, len(answer), answer)
		} else {
			out.WriteString("Content-Length: 0\r\n\r\n")
		}
		_, _ = g.callee.WriteTo([]byte(out.String()), from)
	}
}

func (g *generator) request(method, uri, id, to, branch string, cseq int, routes, body string) []byte {
	text := fmt.Sprintf("%s %s SIP/2.0\r\nVia: SIP/2.0/UDP %s;branch=z9hG4bK%s;rport\r\nMax-Forwards: 70\r\nFrom: <sip:2001@%s>;tag=c\r\nTo: %s\r\nCall-ID: %s\r\nCSeq: %d %s\r\n%sContact: <sip:2001@%s>\r\n",
		method, uri, callerAt, branch, callerAt, to, id, cseq, method, routes, callerAt)
	if body != "" {
		text += "Content-Type: application/sdp\r\n"
	}
	text += fmt.Sprintf("Content-Length: %d\r\n\r\n%s", len(body), body)
	_, _ = g.caller.WriteTo([]byte(text), g.to)
	return []byte(text)
}

// repeat sends again what is not answered within T1, as every user agent does.
func (g *generator) repeat(c *placedCall, done <-chan struct{}) {
	tick := time.NewTicker(500 * time.Millisecond)
	defer tick.Stop()
	for range 20 {
		select {
		case <-done:
			return
		case <-tick.C:
			if last := c.last.Load(); last != nil {
				g.repeats.Add(1)
				_, _ = g.caller.WriteTo(*last, g.to)
			}
		}
	}
}

// hear plays the calling side: it acknowledges answers, and hangs up at once unless
// calls are held.
func (g *generator) hear() {
	buffer := make([]byte, 65_536)
	for {
		n, from, err := g.caller.ReadFrom(buffer)
		if err != nil {
			return
		}
		m := buffer[:n]
		id := field(m, "Call-ID")
		switch {
		case bytes.HasPrefix(m, []byte("BYE")): // the switch ends a call
			reply := "SIP/2.0 200 OK\r\n"
			for _, name := range []string{"Via", "From", "To", "Call-ID", "CSeq"} {
				reply += name + ": " + field(m, name) + "\r\n"
			}
			_, _ = g.caller.WriteTo([]byte(reply+"Content-Length: 0\r\n\r\n"), from)
			continue
		case !bytes.HasPrefix(m, []byte("SIP/2.0 200")):
			continue
		}
		g.mu.Lock()
		c := g.calls[id]
		g.mu.Unlock()
		if c == nil {
			continue
		}
		to, target := field(m, "To"), uriIn(field(m, "Contact"))
		routes := ""
		if r := field(m, "Record-Route"); r != "" {
			routes = "Route: " + r + "\r\n"
		}
		if strings.HasSuffix(field(m, "CSeq"), "INVITE") {
			select {
			case c.answered <- time.Since(c.sent):
			default: // repeated
			}
			g.request("ACK", target, id, to, id+"a", 1, routes, "")
			c.last.Store(nil)
			if !g.hold {
				bye := g.request("BYE", target, id, to, id+"b", 2, routes, "")
				c.last.Store(&bye)
			}
			continue
		}
		g.mu.Lock()
		delete(g.calls, id)
		g.mu.Unlock()
		close(c.over)
	}
}

// place begins a call.
func (g *generator) place() *placedCall {
	id := fmt.Sprintf("load%d", g.next.Add(1))
	c := &placedCall{sent: time.Now(), answered: make(chan time.Duration, 1), over: make(chan struct{})}
	g.mu.Lock()
	g.calls[id] = c
	g.mu.Unlock()
	invite := g.request("INVITE", "sip:901914980850@"+g.to.String(), id, "<sip:901914980850@"+g.to.String()+">", id, 1, "", offer)
	c.last.CompareAndSwap(nil, &invite)
	go g.repeat(c, c.over)
	return c
}

// patienceForCalls is when a call that is not over counts as lost.
const patienceForCalls = 10 * time.Second

// most measures how many calls a second go through with so many at one time.
func (g *generator) most(d time.Duration, atOnce int) float64 {
	var done atomic.Int64
	var all sync.WaitGroup
	end := time.Now().Add(d)
	for range atOnce {
		all.Go(func() {
			for time.Now().Before(end) {
				c := g.place()
				select {
				case <-c.over:
					done.Add(1)
				case <-time.After(patienceForCalls):
					g.lost.Add(1)
				}
			}
		})
	}
	began := time.Now()
	all.Wait()
	return float64(done.Load()) / time.Since(began).Seconds()
}

// delays measures the time from INVITE to answer at a rate.
func (g *generator) delays(d time.Duration, rate float64) (list []time.Duration) {
	var mu sync.Mutex
	var all sync.WaitGroup
	tick := time.NewTicker(time.Duration(float64(time.Second) / rate))
	defer tick.Stop()
	for end := time.Now().Add(d); time.Now().Before(end); <-tick.C {
		c := g.place()
		all.Go(func() {
			select {
			case after := <-c.answered:
				mu.Lock()
				defer mu.Unlock()
				list = append(list, after)
			case <-time.After(patienceForCalls):
				g.lost.Add(1)
			}
		})
	}
	all.Wait()
	slices.Sort(list)
	return list
}

// loadSwitch runs the demo's quay switch with room for many calls.
func loadSwitch(b *testing.B, recording bool) (trunks *live.Trunks) {
	text := strings.ReplaceAll(string(demo.Document()), "127.0.", "127.1.")
	p, err := document.Read(strings.NewReader(text))
	if err != nil {
		b.Fatal(err)
	}
	for i := range p.Trunks {
		t := &p.Trunks[i]
		t.Channels = 10_000
		if t.Media.Encryption == "" {
			t.Media.Path = plan.MediaDirect
		}
		t.Link.SIP.OptionsIntervalSeconds, t.Link.SIP.Registration, t.Link.SIP.OutboundAccounts, t.Link.SIP.InboundAccounts = 0, "", nil, nil
		if t.ID == "quay-phones" {
			t.Link.SIP.RemoteAddress, t.Link.SIP.TrustedAddresses = callerAt, []string{"127.1.20.1"}
		}
	}
	snapshot, problems := decide.Compile(p)
	if len(problems) > 0 {
		b.Fatal(problems)
	}
	feed := live.NewFeed(0)
	current := &live.Plan{}
	current.Swap(live.Running{Snapshot: snapshot, Revision: 1})
	trunks = live.NewTrunks(feed)
	quiet := slog.New(slog.DiscardHandler)
	folder := ""
	if recording {
		folder = b.TempDir()
	}
	kept, err := archive.Open(folder, archive.DefaultLimits(), quiet)
	if err != nil {
		b.Fatal(err)
	}
	recorder := live.NewRecorder(kept, nowhere{}, feed, quiet)
	ctx, stop := context.WithCancel(context.Background())
	recorded := make(chan struct{})
	go func() { recorder.Run(ctx); close(recorded) }()
	registrations := live.NewRegistrations(feed)
	control := call.New(call.Config{Switch: "quay", Plan: current, Trunks: trunks, Registrations: registrations, Recorder: recorder, Log: quiet})
	a, err := sip.Start(sip.Config{
		Switch: "quay", Address: middleAt, Control: control, Plan: current, Trunks: trunks, Recorder: recorder, Log: quiet,
		Secrets: live.NewSecrets(nil), Registrations: registrations, Gate: live.NewGate(feed),
	})
	if err != nil {
		b.Fatal(err)
	}
	control.Carry(plan.ProtocolSIP, a.Carrier())
	b.Cleanup(func() {
		ending, over := context.WithTimeout(context.Background(), 10*time.Second)
		defer over()
		control.Stop(ending)
		a.Stop(ending)
		stop()
		<-recorded
		kept.Close()
		if lost := recorder.Lost(); lost > 0 {
			b.ReportMetric(float64(lost), "recordings-lost")
		}
	})
	return trunks
}

// nowhere is an index that takes everything at once: a database is not measured
// here.
type nowhere struct{}

func (nowhere) Save(context.Context, []record.Place, []record.Call) error { return nil }

// loadLibrary runs the library's bare forwarding loop in the middle.
func loadLibrary(b *testing.B) {
	quiet := slog.New(slog.NewTextHandler(io.Discard, nil))
	ua, err := sipgo.NewUA(sipgo.WithUserAgentTransactionLayerOptions(libsip.WithTransactionLayerLogger(quiet)), sipgo.WithUserAgentTransportLayerOptions(libsip.WithTransportLayerLogger(quiet)))
	if err != nil {
		b.Fatal(err)
	}
	server, err := sipgo.NewServer(ua, sipgo.WithServerLogger(quiet))
	if err != nil {
		b.Fatal(err)
	}
	client, err := sipgo.NewClient(ua, sipgo.WithClientLogger(quiet), sipgo.WithClientHostname("127.1.10.1"), sipgo.WithClientPort(5060), sipgo.WithClientConnectionAddr(middleAt))
	if err != nil {
		b.Fatal(err)
	}
	forward := func(req *libsip.Request, tx libsip.ServerTransaction) {
		req.SetDestination(calleeAt)
		down, err := client.TransactionRequest(context.Background(), req, sipgo.ClientRequestAddVia, sipgo.ClientRequestAddRecordRoute)
		if err != nil {
			return
		}
		defer down.Terminate()
		for {
			select {
			case res, ok := <-down.Responses():
				if !ok {
					return
				}
				res.SetDestination(req.Source())
				res.RemoveHeader("Via")
				if err := tx.Respond(res); err != nil || res.StatusCode >= 200 {
					return
				}
			case <-down.Done():
				return
			}
		}
	}
	server.OnInvite(forward)
	server.OnBye(forward)
	server.OnAck(func(req *libsip.Request, _ libsip.ServerTransaction) {
		req.SetDestination(calleeAt)
		_ = client.WriteRequest(req, sipgo.ClientRequestAddVia)
	})
	conn, err := net.ListenPacket("udp", middleAt)
	if err != nil {
		b.Fatal(err)
	}
	go server.ServeUDP(conn)
	time.Sleep(200 * time.Millisecond)
	b.Cleanup(func() { ua.Close(); conn.Close() })
}

const atOnce = 100

// brief takes the second of two with -short, by which every benchmark runs once in the
// tests to show that it still does; its figures then mean nothing.
func brief[T any](full, short T) T {
	if testing.Short() {
		return short
	}
	return full
}

// loadFor is how long calls are placed.
func loadFor() time.Duration { return brief(10*time.Second, 300*time.Millisecond) }

func BenchmarkLoadThroughput(b *testing.B) {
	for _, c := range []struct {
		name  string
		to    string
		start func(b *testing.B)
	}{
		{"direct", calleeAt, func(*testing.B) {}},
		{"library", middleAt, loadLibrary},
		{"switch", middleAt, func(b *testing.B) { loadSwitch(b, false) }},
		{"switch-recording", middleAt, func(b *testing.B) { loadSwitch(b, true) }},
	} {
		b.Run(c.name, func(b *testing.B) {
			c.start(b)
			g := newGenerator(b, c.to)
			g.most(loadFor()/10, atOnce) // warm
			for range b.N {
				b.ReportMetric(mostly(b, g), "calls/s")
				b.ReportMetric(float64(g.lost.Load()), "lost")
				b.ReportMetric(float64(g.repeats.Load()), "repeats")
			}
		})
	}
}

// mostly is how many calls a second were answered; none at all is a failure.
func mostly(b *testing.B, g *generator) float64 {
	rate := g.most(loadFor(), atOnce)
	if rate == 0 {
		b.Fatal("no call was answered")
	}
	return rate
}

// BenchmarkLoadDelay measures what the switch adds to the time until the answer,
// at half of what it carries.
func BenchmarkLoadDelay(b *testing.B) {
	rate := 0.0
	report := func(b *testing.B, list []time.Duration) {
		b.ReportMetric(float64(list[len(list)/2].Microseconds()), "median-us")
		b.ReportMetric(float64(list[len(list)*99/100].Microseconds()), "p99-us")
	}
	b.Run("switch-recording", func(b *testing.B) {
		loadSwitch(b, true)
		g := newGenerator(b, middleAt)
		rate = g.most(brief(3*time.Second, 300*time.Millisecond), atOnce) / 2
		for range b.N {
			b.ReportMetric(rate, "calls/s")
			report(b, g.delays(loadFor(), rate))
		}
	})
	b.Run("direct", func(b *testing.B) {
		g := newGenerator(b, calleeAt)
		for range b.N {
			report(b, g.delays(loadFor(), rate))
		}
	})
}

// BenchmarkLoadHeld holds 2,000 calls at once, and measures what each costs once
// its transactions are over.
func BenchmarkLoadHeld(b *testing.B) {
	held := brief(2000, 50)
	for range b.N {
		trunks := loadSwitch(b, true)
		g := newGenerator(b, middleAt)
		g.hold = true
		before := heap()
		for range held {
			c := g.place()
			select {
			case <-c.answered:
			case <-time.After(patienceForCalls):
				g.lost.Add(1)
			}
		}
		b.ReportMetric(float64(heap()-before)/float64(held), "B/call-at-once")
		time.Sleep(brief(35*time.Second, 100*time.Millisecond)) // the transactions' timers
		b.ReportMetric(float64(heap()-before)/float64(held), "B/call")
		b.ReportMetric(float64(trunks.State("ostrel").InUse), "held")
		b.ReportMetric(float64(g.lost.Load()), "lost")
	}
}

func heap() int64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return int64(m.HeapAlloc) + int64(m.StackInuse)
}

// BenchmarkLoadSoak carries calls for ten minutes, and says what grew.
func BenchmarkLoadSoak(b *testing.B) {
	for range b.N {
		loadSwitch(b, true)
		g := newGenerator(b, middleAt)
		g.delays(brief(60*time.Second, 300*time.Millisecond), soakRate) // until late transactions come and go evenly
		bytes, routines := heap(), runtime.NumGoroutine()
		n := len(g.delays(brief(10*time.Minute, 300*time.Millisecond), soakRate))
		b.ReportMetric(float64(n), "calls")
		b.ReportMetric(float64(heap()-bytes)/float64(bytes), "heap-growth")
		b.ReportMetric(float64(runtime.NumGoroutine()-routines), "goroutines-more")
		b.ReportMetric(float64(g.lost.Load()), "lost")
	}
}

// soakRate is in calls a second.
const soakRate = 300
