// Package names finds the servers that a far end's name stands for (RFC 3263): by
// SRV, and else by addresses. It asks one name server, keeps what it said for as
// long as it said, and keeps on using it while the name server is away.
//
// It never decides which server is tried, and no call waits for it.
package names

import (
	"context"
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"strings"
	"time"

	"github.com/miekg/dns"

	"switchback.example/switchback/internal/core/targets"
)

// Resolver asks a name server. It is safe for concurrent use.
type Resolver struct {
	server string // address and port
}

// New returns a resolver that asks a server at an address and port; empty asks
// nobody, and every name is unknown.
func New(server string) *Resolver { return &Resolver{server} }

// Limits of what is believed.
const (
	// Patience is how long the name server may take for one question.
	Patience = 2 * time.Second
	// MinKept and MaxKept bound how long an answer is kept, whatever it says.
	MinKept = 5 * time.Second
	MaxKept = time.Hour
	// MaxTargets bounds the servers of one name.
	MaxTargets = 16
)

// Found is what a name stands for.
type Found struct {
	Targets []targets.Target
	Keep    time.Duration // how long it may be used
}

// ErrNoServer says that no name server is set.
var ErrNoServer = errors.New("no name server is set")

// Find finds the servers of a name for a transport: udp, tcp or tls. A name with a
// port behind a colon is looked up by its addresses alone (RFC 3263 section 4.2).
func (r *Resolver) Find(ctx context.Context, name, transport string) (Found, error) {
	if r == nil || r.server == "" {
		return Found{}, ErrNoServer
	}
	host, port, hasPort := strings.Cut(name, ":")
	if hasPort {
		n, err := strconv.ParseUint(port, 10, 16)
		if err != nil || n == 0 {
			return Found{}, fmt.Errorf("invalid port %q", port)
		}
		return r.byAddress(ctx, host, uint16(n))
	}
	service := map[string]string{"udp": "_sip._udp.", "tcp": "_sip._tcp.", "tls": "_sips._tcp."}[transport]
	found, err := r.byService(ctx, service+host)
	if err != nil || len(found.Targets) > 0 {
		return found, err
	}
	if transport == "tls" {
		return r.byAddress(ctx, host, 5061)
	}
	return r.byAddress(ctx, host, 5060)
}

// byService finds servers by SRV; none, without an error, if the name has no such
// record.
func (r *Resolver) byService(ctx context.Context, name string) (Found, error) {
	answer, err := r.ask(ctx, name, dns.TypeSRV)
	if err != nil {
		return Found{}, err
	}
	out := Found{Keep: MaxKept}
	for _, record := range answer.Answer {
		srv, ok := record.(*dns.SRV)
		if !ok || !strings.EqualFold(srv.Hdr.Name, dns.Fqdn(name)) {
			continue // of another name: nobody asked
		}
		if srv.Target == "." {
			return Found{}, fmt.Errorf("%s says that the service is not there (RFC 2782)", name)
		}
		out.keep(srv.Hdr.Ttl)
		addresses, err := r.addresses(ctx, srv.Target, answer.Extra)
		if err != nil {
			continue // another of its servers may have one
		}
		out.keep(uint32(addresses.keep / time.Second))
		for _, a := range addresses.list {
			if len(out.Targets) < MaxTargets {
				out.Targets = append(out.Targets, targets.Target{
					Address: netip.AddrPortFrom(a, srv.Port).String(), Priority: int(srv.Priority), Weight: int(srv.Weight),
				})
			}
		}
	}
	if len(answer.Answer) > 0 && len(out.Targets) == 0 {
		return Found{}, fmt.Errorf("none of the servers that %s names has an address", name)
	}
	return out, nil
}

func (f *Found) keep(seconds uint32) {
	f.Keep = max(MinKept, min(f.Keep, time.Duration(seconds)*time.Second))
}

func (r *Resolver) byAddress(ctx context.Context, host string, port uint16) (Found, error) {
	addresses, err := r.addresses(ctx, host, nil)
	if err != nil {
		return Found{}, err
	}
	out := Found{Keep: MaxKept}
	out.keep(uint32(addresses.keep / time.Second))
	for _, a := range addresses.list {
		if len(out.Targets) < MaxTargets {
			out.Targets = append(out.Targets, targets.Target{Address: netip.AddrPortFrom(a, port).String()})
		}
	}
	return out, nil
}

type addresses struct {
	list []netip.Addr
	keep time.Duration
}

// addresses finds those of a host: of what came along with an answer for it, else
// by asking.
func (r *Resolver) addresses(ctx context.Context, host string, along []dns.RR) (out addresses, err error) {
	if out = addressesIn(along, host); len(out.list) > 0 {
		return out, nil
	}
	for _, kind := range []uint16{dns.TypeA, dns.TypeAAAA} {
		answer, err := r.ask(ctx, host, kind)
		if err != nil {
			return out, err
		}
		if out = addressesIn(answer.Answer, host); len(out.list) > 0 {
			return out, nil
		}
	}
	return out, fmt.Errorf("%s has no address", host)
}

// addressesIn are the addresses that records give a host, over its aliases.
func addressesIn(records []dns.RR, host string) addresses {
	out := addresses{keep: MaxKept}
	names := map[string]bool{strings.ToLower(dns.Fqdn(host)): true}
	for range records { // an alias may stand behind what it leads to
		for _, record := range records {
			if c, ok := record.(*dns.CNAME); ok && names[strings.ToLower(c.Hdr.Name)] {
				names[strings.ToLower(c.Target)] = true
			}
		}
	}
	for _, record := range records {
		if !names[strings.ToLower(record.Header().Name)] {
			continue
		}
		var a netip.Addr
		switch v := record.(type) {
		case *dns.A:
			a, _ = netip.AddrFromSlice(v.A)
		case *dns.AAAA:
			a, _ = netip.AddrFromSlice(v.AAAA)
		}
		if a = a.Unmap(); a.IsValid() {
			out.list = append(out.list, a)
			out.keep = min(out.keep, time.Duration(record.Header().Ttl)*time.Second)
		}
	}
	return out
}

// ask asks one question, over UDP and, where the answer was cut short, over TCP. An
// answer to another question is no answer.
func (r *Resolver) ask(ctx context.Context, name string, kind uint16) (*dns.Msg, error) {
	q := new(dns.Msg)
	q.SetQuestion(dns.Fqdn(name), kind)
	var last error
	for _, network := range []string{"udp", "tcp"} {
		client := dns.Client{Net: network, Timeout: Patience}
		answer, _, err := client.ExchangeContext(ctx, q, r.server)
		switch {
		case err != nil:
			last = fmt.Errorf("the name server %s did not answer: %w", r.server, err)
		case len(answer.Question) != 1 || answer.Question[0].Qtype != kind || !strings.EqualFold(answer.Question[0].Name, dns.Fqdn(name)):
			return nil, fmt.Errorf("the name server %s answered another question", r.server)
		case answer.Rcode == dns.RcodeNameError:
			return &dns.Msg{}, nil // there is no such name, and so no such record
		case answer.Rcode != dns.RcodeSuccess:
			return nil, fmt.Errorf("the name server %s said %s", r.server, dns.RcodeToString[answer.Rcode])
		case !answer.Truncated:
			return answer, nil
		}
		if err != nil && network == "udp" {
			return nil, last // silence is not mended by asking again
		}
	}
	return nil, last
}
