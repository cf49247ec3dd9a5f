package sip

import (
	"log/slog"
	"net"
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// deaf is a socket that counts what is sent and delivers nothing.
type deaf struct {
	net.PacketConn
	sent []string
}

func (d *deaf) WriteTo(b []byte, _ net.Addr) (int, error) {
	d.sent = append(d.sent, string(b))
	return len(b), nil
}

func (d *deaf) Close() error { return nil }

var peerAt = hopTo(netip.MustParseAddrPort("127.1.20.1:5060"), udp)

// openTap lets everything in.
type openTap struct{}

func (openTap) Admit(hop) (string, admission)                    { return "", known }
func (openTap) In(hop, string, admission, []byte, *wire.Message) {}
func (openTap) Out(hop, []byte, string)                          {}
func (openTap) Unreadable()                                      {}

func newTestLayer() (*layer, *deaf) {
	socket := &deaf{}
	l := newLayer(socket, netip.MustParseAddrPort("127.1.10.1:5060"), openTap{}, slog.New(slog.DiscardHandler))
	l.handle = func(t *inbound) { t.reply(486, "tag") }
	l.ack = func(*wire.Message, hop) {}
	return l, socket
}

const busyInvite = "INVITE sip:1@127.1.10.1 SIP/2.0\r\nVia: SIP/2.0/UDP 127.1.20.1:5060;branch=z9hG4bK1;rport\r\nFrom: <sip:2@a.example>;tag=f\r\nTo: <sip:1@b.example>\r\nCall-ID: c\r\nCSeq: 1 INVITE\r\n\r\n"

// Whatever comes, nothing panics, what is sent can be read, and nothing stays
// that no timer ends.
func FuzzLayerTakesWhateverComes(f *testing.F) {
	f.Add([]byte(busyInvite), []byte(strings.ReplaceAll(busyInvite, "INVITE", "ACK")))
	f.Add([]byte(strings.Replace(busyInvite, "CSeq: 1 ", "CSeq: 1\t", 1)), []byte(strings.Replace(busyInvite, "branch=z9hG4bK1", "branch=1", 1)))
	f.Add([]byte(strings.ReplaceAll(busyInvite, "INVITE", "CANCEL")), []byte("SIP/2.0 200 OK\r\nVia: SIP/2.0/UDP 127.1.10.1;branch=z9hG4bKx\r\nFrom: <sip:a@b.example>;tag=1\r\nTo: <sip:a@b.example>\r\nCall-ID: c\r\nCSeq: 1 INVITE\r\n\r\n"))
	f.Fuzz(func(t *testing.T, first, second []byte) {
		l, socket := newTestLayer()
		defer l.close()
		for _, b := range [][]byte{[]byte(busyInvite), first, second, first} {
			l.receive(b, peerAt)
		}
		for _, sent := range socket.sent {
			_, faults := wire.Read([]byte(sent))
			require.Empty(t, faults, "%q", sent)
		}
		for key, tx := range l.servers {
			require.True(t, tx.timers.giveUp != nil || tx.timers.linger != nil || tx.State == machine.Terminated, "%v stays for ever", key)
		}
	})
}

func TestAWhiteSpaceInTheCSeqIsOnlyThat(t *testing.T) {
	l, socket := newTestLayer()
	defer l.close()
	old := strings.NewReplacer("CSeq: 1 ", "CSeq: 1\t", "branch=z9hG4bK1", "branch=1").Replace(busyInvite)
	l.receive([]byte(old), peerAt)
	l.receive([]byte(old), peerAt)
	require.Len(t, socket.sent, 2)
	assert.Equal(t, socket.sent[0], socket.sent[1], "a repeat, also without the branch of RFC 3261 (section 17.2.3)")
	assert.Len(t, l.servers, 1)
}

func TestAClosedLayerLeavesNobodyWaiting(t *testing.T) {
	l, _ := newTestLayer()
	req := wire.NewRequest("OPTIONS", "sip:127.1.20.1")
	for _, f := range [][2]string{{"From", "<sip:a@b.example>;tag=1"}, {"To", "<sip:127.1.20.1>"}, {"Call-ID", "x"}, {"CSeq", "1 OPTIONS"}} {
		req.Add(f[0], f[1])
	}
	tx := l.begin(req, peerAt)
	over := make(chan *wire.Message)
	go func() { over <- tx.final(nil) }()
	l.close()
	assert.Nil(t, <-over)
}

func TestWhatIsNotAnsweredIsForgotten(t *testing.T) {
	l, socket := newTestLayer()
	defer l.close()
	l.handle = func(t *inbound) { t.forget() }
	l.receive([]byte(busyInvite), peerAt)
	assert.Empty(t, l.servers)
	assert.Empty(t, l.merged)
	assert.Empty(t, socket.sent)
}
