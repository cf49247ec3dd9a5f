package livetest

import (
	"net"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	wire "switchback.example/switchback/internal/core/wire/sip"
)

// Peer is a far end made of a bare socket: it sends the text that a test
// writes and reads what comes, with no SIP code between.
type Peer struct {
	t    testing.TB
	line line
	seen map[string]bool // messages that Expect has met
}

// line carries whole messages.
type line interface {
	send(b []byte) error
	// next returns the next message, or fails when none comes in time.
	next(until time.Time) ([]byte, error)
}

// Received is a message as a peer read it.
type Received struct {
	wire.Head
	Text string
}

// NewPeer binds an address of the demo's far end, moved to the tests' net.
func NewPeer(t testing.TB, demoAddress string) *Peer {
	addr, err := net.ResolveUDPAddr("udp", Address(demoAddress))
	require.NoError(t, err)
	conn, err := net.ListenUDP("udp", addr)
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	return &Peer{t, datagrams{conn}, map[string]bool{}}
}

// datagrams is a peer on UDP.
type datagrams struct{ *net.UDPConn }

func (d datagrams) send(b []byte) error {
	to, err := net.ResolveUDPAddr("udp", SwitchAt())
	if err != nil {
		return err
	}
	_, err = d.WriteToUDP(b, to)
	return err
}

func (d datagrams) next(until time.Time) ([]byte, error) {
	if err := d.SetReadDeadline(until); err != nil {
		return nil, err
	}
	b := make([]byte, 65_536)
	n, _, err := d.ReadFromUDP(b)
	return b[:n], err
}

// SwitchAt is where the tests' switch listens.
func SwitchAt() string { return Address("127.0.10.1:5060") }

// Send sends text to the switch, with line ends as on the wire.
func (p *Peer) Send(text string) { require.NoError(p.t, p.line.send([]byte(Wire(text)))) }

// Wire turns line ends into CR LF.
func Wire(text string) string {
	return strings.ReplaceAll(strings.ReplaceAll(text, "\r\n", "\n"), "\n", "\r\n")
}

// Read returns the next message, or fails the test when none comes.
func (p *Peer) Read() Received {
	m, ok := p.read(patience)
	require.True(p.t, ok, "nothing came")
	return m
}

// Expect reads on to the message with this start (INVITE, SIP/2.0 200 …).
// Provisional answers and repetitions of what it met before are passed over;
// anything else is a failure.
func (p *Peer) Expect(start string) Received {
	for {
		m := p.Read()
		again := p.seen[m.Text]
		p.seen[m.Text] = true
		if strings.HasPrefix(m.StartLine, start) && !again {
			return m
		}
		require.True(p.t, again || m.Status > 0 && m.Status < 200, "%s came while %s was expected:\n%s", m.StartLine, start, m.Text)
	}
}

// Expect2 is Expect for two messages that may come in either order.
func (p *Peer) Expect2(first, second string) (a, b Received) {
	p.t.Helper()
	for a.Text == "" || b.Text == "" {
		m := p.Read()
		switch {
		case a.Text == "" && strings.HasPrefix(m.Text, first):
			a = m
		case b.Text == "" && strings.HasPrefix(m.Text, second):
			b = m
		default:
			require.True(p.t, p.seen[m.Text] || m.Status > 0 && m.Status < 200, "%s came while %s and %s were expected", m.Text, first, second)
		}
		p.seen[m.Text] = true
	}
	return a, b
}

// Silent tells whether nothing comes for a while.
func (p *Peer) Silent(d time.Duration) bool {
	_, came := p.read(d)
	return !came
}

func (p *Peer) read(d time.Duration) (Received, bool) {
	b, err := p.line.next(time.Now().Add(d))
	if err != nil {
		return Received{}, false
	}
	head, err := wire.ReadHead(b)
	require.NoError(p.t, err, "the switch sent what cannot be read: %q", b)
	return Received{head, string(b)}, true
}

// Header returns the value of a header that stands once; empty if it is
// missing.
func (m Received) Header(name string) string {
	for _, line := range strings.Split(m.Text, "\r\n") {
		if k, v, ok := strings.Cut(line, ":"); ok && strings.EqualFold(k, name) {
			return strings.TrimSpace(v)
		}
	}
	return ""
}

// Body returns what stands behind the empty line.
func (m Received) Body() string {
	_, body, _ := strings.Cut(m.Text, "\r\n\r\n")
	return body
}

// Reply builds the response to a request, as RFC 3261 section 8.2.6 copies its
// headers; more are header lines and a body after an empty line.
func (m Received) Reply(status, toTag, more string) string {
	lines := []string{"SIP/2.0 " + status}
	for _, line := range strings.Split(strings.SplitN(m.Text, "\r\n\r\n", 2)[0], "\r\n")[1:] {
		name, _, _ := strings.Cut(line, ":")
		switch strings.ToLower(name) {
		case "via", "from", "call-id", "cseq":
			lines = append(lines, line)
		case "to":
			if toTag != "" && !strings.Contains(line, ";tag=") {
				line += ";tag=" + toTag
			}
			lines = append(lines, line)
		}
	}
	head, body, _ := strings.Cut(more, "\n\n")
	if head != "" {
		lines = append(lines, head)
	}
	body = Wire(body)
	lines = append(lines, "Content-Length: "+strconv.Itoa(len(body)), "", body)
	return strings.Join(lines, "\n")
}

// Parse reads a message as a peer does; what cannot be read has an empty head.
func Parse(b []byte) Received {
	head, _ := wire.ReadHead(b)
	return Received{head, string(b)}
}
