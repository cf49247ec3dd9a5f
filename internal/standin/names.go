package standin

import (
	"fmt"
	"net"
	"strings"

	"github.com/miekg/dns"
)

// NameServer is a small name server on loopback for the names of far ends.
type NameServer struct {
	servers []*dns.Server
	zone    map[string][]dns.RR // by name and type
}

// NewNameServer reads records in the form of zone files (RFC 1035 section 5), one
// each.
func NewNameServer(records []string) (*NameServer, error) {
	n := &NameServer{zone: map[string][]dns.RR{}}
	for _, text := range records {
		r, err := dns.NewRR(text)
		if err != nil {
			return nil, fmt.Errorf("record %q: %w", text, err)
		}
		key := zoneKey(r.Header().Name, r.Header().Rrtype)
		n.zone[key] = append(n.zone[key], r)
	}
	return n, nil
}

func zoneKey(name string, kind uint16) string {
	return strings.ToLower(name) + " " + dns.TypeToString[kind]
}

// Start answers at an address, over UDP and TCP.
func (n *NameServer) Start(address string) error {
	conn, err := net.ListenPacket("udp", address)
	if err != nil {
		return fmt.Errorf("name server: %w", err)
	}
	listener, err := net.Listen("tcp", conn.LocalAddr().String())
	if err != nil {
		conn.Close()
		return fmt.Errorf("name server: %w", err)
	}
	n.servers = []*dns.Server{{PacketConn: conn, Handler: n}, {Listener: listener, Handler: n}}
	for _, s := range n.servers {
		started := make(chan struct{})
		s.NotifyStartedFunc = func() { close(started) }
		go func() { _ = s.ActivateAndServe() }()
		<-started
	}
	return nil
}

// Address is where it answers.
func (n *NameServer) Address() string { return n.servers[0].PacketConn.LocalAddr().String() }

// Stop answers no more.
func (n *NameServer) Stop() {
	for _, s := range n.servers {
		_ = s.Shutdown()
	}
}

// ServeDNS answers a question.
func (n *NameServer) ServeDNS(w dns.ResponseWriter, q *dns.Msg) {
	m := new(dns.Msg)
	m.SetReply(q)
	m.Authoritative = true
	if len(q.Question) == 1 {
		name, kind := q.Question[0].Name, q.Question[0].Qtype
		m.Answer = n.zone[zoneKey(name, kind)]
		for _, c := range n.zone[zoneKey(name, dns.TypeCNAME)] {
			m.Answer = append(m.Answer, c)
			if alias, ok := c.(*dns.CNAME); ok {
				m.Answer = append(m.Answer, n.zone[zoneKey(alias.Target, kind)]...)
			}
		}
		if len(m.Answer) == 0 {
			m.Rcode = dns.RcodeNameError
		}
	}
	_ = w.WriteMsg(m)
}
