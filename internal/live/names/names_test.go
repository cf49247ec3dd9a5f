package names_test

import (
	"context"
	"net"
	"testing"
	"time"

	"github.com/miekg/dns"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/targets"
	"switchback.example/switchback/internal/live/names"
	"switchback.example/switchback/internal/standin"
)

var ctx = context.Background()

func serve(t *testing.T, records ...string) *names.Resolver {
	n, err := standin.NewNameServer(records)
	require.NoError(t, err)
	require.NoError(t, n.Start("127.1.53.1:0"))
	t.Cleanup(n.Stop)
	return names.New(n.Address())
}

// RFC 3263 section 4.2: SRV where there is one, else addresses and the port of the
// transport; a name with a port has addresses alone.
func TestServersOfAName(t *testing.T) {
	r := serve(t,
		"_sip._udp.ostrel.example. 60 IN SRV 10 30 5060 a.ostrel.example.",
		"_sip._udp.ostrel.example. 60 IN SRV 20 0 5070 b.ostrel.example.",
		"_sips._tcp.ostrel.example. 60 IN SRV 1 1 5061 a.ostrel.example.",
		"a.ostrel.example. 120 IN A 127.0.30.1",
		"b.ostrel.example. 30 IN CNAME c.ostrel.example.",
		"c.ostrel.example. 90 IN A 127.0.30.2",
		"ostrel.example. 7 IN A 127.0.30.9",
		"six.example. 60 IN AAAA ::1",
		"none.example. 60 IN TXT nothing",
		"_sip._udp.refuses.example. 60 IN SRV 0 0 0 .",
		"_sip._udp.lost.example. 60 IN SRV 0 0 5060 nowhere.example.",
	)
	for _, c := range []struct {
		name, transport string
		want            []targets.Target
		keep            time.Duration
		err             string
	}{
		{"ostrel.example", "udp", []targets.Target{{Address: "127.0.30.1:5060", Priority: 10, Weight: 30}, {Address: "127.0.30.2:5070", Priority: 20}}, time.Minute, ""},
		{"ostrel.example", "tls", []targets.Target{{Address: "127.0.30.1:5061", Priority: 1, Weight: 1}}, time.Minute, ""},
		{"ostrel.example", "tcp", []targets.Target{{Address: "127.0.30.9:5060"}}, 7 * time.Second, ""},
		{"ostrel.example:5080", "udp", []targets.Target{{Address: "127.0.30.9:5080"}}, 7 * time.Second, ""},
		{"b.ostrel.example", "udp", []targets.Target{{Address: "127.0.30.2:5060"}}, 90 * time.Second, ""},
		{"six.example", "tls", []targets.Target{{Address: "[::1]:5061"}}, time.Minute, ""},
		{"none.example", "udp", nil, 0, "none.example has no address"},
		{"refuses.example", "udp", nil, 0, "the service is not there"},
		{"lost.example", "udp", nil, 0, "none of the servers that _sip._udp.lost.example names has an address"},
		{"ostrel.example:x", "udp", nil, 0, `invalid port "x"`},
	} {
		got, err := r.Find(ctx, c.name, c.transport)
		if c.err != "" {
			assert.ErrorContains(t, err, c.err)
			continue
		}
		require.NoError(t, err, c.name)
		assert.Equal(t, c.want, got.Targets, "%s %s", c.name, c.transport)
		assert.Equal(t, c.keep, got.Keep, "%s %s", c.name, c.transport)
	}
	_, err := names.New("").Find(ctx, "ostrel.example", "udp")
	assert.ErrorIs(t, err, names.ErrNoServer)
}

// A name server that is away, slow, refuses, or lies.
func TestABadNameServer(t *testing.T) {
	away := names.New("127.1.53.9:53")
	_, err := away.Find(ctx, "ostrel.example", "udp")
	assert.ErrorContains(t, err, "did not answer")

	slow, err := net.ListenPacket("udp", "127.1.53.2:0")
	require.NoError(t, err)
	defer slow.Close()
	short, cancel := context.WithTimeout(ctx, 200*time.Millisecond)
	defer cancel()
	_, err = names.New(slow.LocalAddr().String()).Find(short, "ostrel.example", "udp")
	assert.ErrorContains(t, err, "did not answer")

	for what, c := range map[string]struct {
		answer func(m *dns.Msg)
		want   string
	}{
		"refuses":          {func(m *dns.Msg) { m.Rcode = dns.RcodeRefused }, "said REFUSED"},
		"another question": {func(m *dns.Msg) { m.Question[0].Name = "penhallow.example." }, "answered another question"},
		"another name": {func(m *dns.Msg) {
			r, _ := dns.NewRR("penhallow.example. 60 IN A 127.0.31.1")
			m.Answer = []dns.RR{r}
		}, "has no address"},
		"an alias in a circle": {func(m *dns.Msg) {
			a, _ := dns.NewRR("ostrel.example. 60 IN CNAME x.example.")
			b, _ := dns.NewRR("x.example. 60 IN CNAME ostrel.example.")
			m.Answer = []dns.RR{a, b}
		}, "has no address"},
	} {
		t.Run(what, func(t *testing.T) {
			conn, err := net.ListenPacket("udp", "127.1.53.3:0")
			require.NoError(t, err)
			s := &dns.Server{PacketConn: conn, Handler: dns.HandlerFunc(func(w dns.ResponseWriter, q *dns.Msg) {
				m := new(dns.Msg)
				m.SetReply(q)
				c.answer(m)
				_ = w.WriteMsg(m)
			})}
			go func() { _ = s.ActivateAndServe() }()
			defer conn.Close()
			_, err = names.New(conn.LocalAddr().String()).Find(ctx, "ostrel.example:5060", "udp")
			assert.ErrorContains(t, err, c.want)
		})
	}
}
