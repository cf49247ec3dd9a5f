package livetest

import (
	"net"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	wire "switchback.example/switchback/internal/core/wire/sip"
)

// connection is a peer on TCP.
type connection struct {
	net.Conn
	framer wire.Framer
}

// Dial connects to the switch from an address of the demo's far end, moved to the
// tests' net; port 0 is any.
func Dial(t testing.TB, demoAddress string) *Peer {
	from, err := net.ResolveTCPAddr("tcp", Address(demoAddress))
	require.NoError(t, err)
	conn, err := (&net.Dialer{LocalAddr: from}).Dial("tcp", SwitchAt())
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	return &Peer{t, &connection{Conn: conn}, map[string]bool{}}
}

// Door is where a far end takes connections.
type Door struct {
	t testing.TB
	net.Listener
}

// Listen takes connections at an address of the demo's far end.
func Listen(t testing.TB, demoAddress string) Door {
	l, err := net.Listen("tcp", Address(demoAddress))
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	return Door{t, l}
}

// Connected waits for the switch to connect.
func (d Door) Connected() *Peer {
	require.NoError(d.t, d.Listener.(*net.TCPListener).SetDeadline(time.Now().Add(patience)))
	conn, err := d.Accept()
	require.NoError(d.t, err, "the switch did not connect")
	d.t.Cleanup(func() { conn.Close() })
	return &Peer{d.t, &connection{Conn: conn}, map[string]bool{}}
}

// Close hangs the connection up; a peer on UDP leaves its address.
func (p *Peer) Close() {
	switch l := p.line.(type) {
	case *connection:
		l.Close()
	case datagrams:
		l.Close()
	}
}

func (c *connection) send(b []byte) error {
	_, err := c.Write(b)
	return err
}

func (c *connection) next(until time.Time) ([]byte, error) {
	if err := c.SetReadDeadline(until); err != nil {
		return nil, err
	}
	b := make([]byte, 65_536)
	for {
		if whole, _, err := c.framer.Next(); err != nil || whole != nil {
			return whole, err
		}
		n, err := c.Read(b)
		if err != nil {
			return nil, err
		}
		c.framer.Add(b[:n])
	}
}

// Raw sends bytes as they are.
func (p *Peer) Raw(b []byte) { require.NoError(p.t, p.line.send(b)) }
