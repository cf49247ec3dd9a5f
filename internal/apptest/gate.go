package apptest

import (
	"io"
	"net"
	"sync"
	"testing"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"
)

// Gate stands between the application and its database: closed, it ends every
// connection and takes no new one, as when the database is away.
type Gate struct {
	t       testing.TB
	address string
	to      *mysql.Config // the database behind it

	mu       sync.Mutex
	listener net.Listener
	open     map[net.Conn]bool
}

// newGate returns a DSN that leads through a gate to the database of another.
func newGate(t testing.TB, dsn string) (string, *Gate) {
	cfg, err := mysql.ParseDSN(dsn)
	require.NoError(t, err)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	g := &Gate{t: t, address: listener.Addr().String(), to: cfg.Clone(), listener: listener, open: map[net.Conn]bool{}}
	go g.serve(listener)
	t.Cleanup(g.Close)
	cfg.Net, cfg.Addr = "tcp", g.address
	return cfg.FormatDSN(), g
}

// Close takes the database away.
func (g *Gate) Close() {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.listener.Close()
	for c := range g.open {
		c.Close()
	}
	clear(g.open)
}

// Open brings it back.
func (g *Gate) Open() {
	listener, err := net.Listen("tcp", g.address)
	require.NoError(g.t, err)
	g.mu.Lock()
	g.listener = listener
	g.mu.Unlock()
	go g.serve(listener)
}

func (g *Gate) serve(listener net.Listener) {
	for {
		client, err := listener.Accept()
		if err != nil {
			return
		}
		database, err := net.Dial(g.to.Net, g.to.Addr)
		if err != nil {
			client.Close()
			continue
		}
		g.mu.Lock()
		g.open[client], g.open[database] = true, true
		g.mu.Unlock()
		go pass(client, database)
		go pass(database, client)
	}
}

func pass(to, from net.Conn) {
	_, _ = io.Copy(to, from) // ends when either side is closed
	to.Close()
	from.Close()
}
