package sip

import (
	"context"
	"fmt"
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/targets"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/names"
)

// A far end of several servers (RFC 3263 section 4.3): the next is tried where one
// is silent, takes no connection or has no service.

// ways are the servers to try for a call by a trunk: first the one at which we are
// registered, those last that failed a moment ago. The error says why there is none.
func (a *Agent) ways(t *plan.Trunk, called string) ([]way, error) {
	list, err := a.servers(t, called)
	for i := range list {
		list[i] = list[i].through(t.Link.SIP)
		list[i].as = t.Link.SIP.PublicName
	}
	return list, err
}

func (a *Agent) servers(t *plan.Trunk, called string) ([]way, error) {
	if t.Link.SIP.DNSName != "" {
		return a.named(t)
	}
	first, err := a.way(t, called)
	if err != nil || len(t.Link.SIP.Targets) == 0 {
		return []way{first}, err
	}
	list := []way{first}
	for _, target := range targets.Order(targetsOf(t.Link.SIP), rand.IntN) {
		addr, err := netip.ParseAddrPort(target.Address)
		if err != nil { // validated
			continue
		}
		w := first
		w.hop.AddrPort = addr
		if t.Link.SIP.RequestDomain == "" {
			w.host = target.Address
		}
		list = append(list, w)
	}
	return a.inOrder(t, list), nil
}

// inOrder puts the server first at which we are registered, since a far end may take
// calls of an account there alone, and those last that failed a moment ago.
func (a *Agent) inOrder(t *plan.Trunk, list []way) []way {
	now, registered := time.Now(), a.Registrations.OurServer(t.ID)
	rank := func(w way) int { return 2*order(a.failedLately(w, now)) + order(w.AddrPort.String() != registered) }
	slices.SortStableFunc(list, func(x, y way) int { return rank(x) - rank(y) })
	return list
}

// named are the servers that a trunk's name stood for when it was looked up last.
func (a *Agent) named(t *plan.Trunk) ([]way, error) {
	l := a.Trunks.State(t.ID).Lookup
	var list []way
	for _, target := range targets.Order(l.Targets, rand.IntN) {
		addr, err := netip.ParseAddrPort(target.Address)
		if err != nil { // it was parsed before
			continue
		}
		w := way{hop: hopTo(addr, transportOf(t.Link.SIP.Transport)), host: hostOf(t.Link.SIP)}
		if w.name = t.Link.SIP.TLSServerName; w.name == "" {
			w.name, _, _ = strings.Cut(t.Link.SIP.DNSName, ":")
		}
		list = append(list, w)
	}
	if len(list) == 0 {
		why := l.Err
		if why == "" {
			why = "it was not looked up yet"
		}
		return nil, fmt.Errorf("%s: DNS name %s not resolved: %s", t.Name, t.Link.SIP.DNSName, why)
	}
	return a.inOrder(t, list), nil
}

// hostOf is the name by which a far end is asked for.
func hostOf(s *plan.SIP) string {
	for _, name := range []string{s.RequestDomain, s.DNSName, s.RemoteAddress} {
		if name != "" {
			return name
		}
	}
	return ""
}

// lookUpDue looks names up that are due. The watching goroutine alone calls it; no
// call waits for it.
func (a *Agent) lookUpDue(run *live.Running) {
	for _, t := range run.Snapshot.Plan().Trunks {
		if t.Switch != a.Switch || t.Link.SIP.DNSName == "" || a.lookingUp[t.ID] || time.Now().Before(a.Trunks.State(t.ID).Lookup.Next) {
			continue
		}
		a.lookingUp[t.ID] = true
		a.work.Begin()
		go func() {
			defer a.work.End()
			a.Trunks.LookedUp(t.ID, a.lookUp(t.Link.SIP))
			select {
			case a.lookedUp <- t.ID:
			case <-a.ctx.Done():
			}
		}()
	}
}

// lookUpAgain is how soon a name is looked up again that could not be.
const lookUpAgain = 5 * time.Second

func (a *Agent) lookUp(s *plan.SIP) judge.Lookup {
	ctx, cancel := context.WithTimeout(a.ctx, 4*names.Patience)
	defer cancel()
	transport := s.Transport
	if transport == "" {
		transport = "udp"
	}
	found, err := a.Names.Find(ctx, s.DNSName, transport)
	now := time.Now()
	if err != nil {
		return judge.Lookup{At: now, Next: now.Add(lookUpAgain), Err: err.Error()}
	}
	return judge.Lookup{Targets: found.Targets, At: now, Next: now.Add(found.Keep)}
}

// order is 1 for what comes last.
func order(last bool) int {
	if last {
		return 1
	}
	return 0
}

func targetsOf(s *plan.SIP) []targets.Target {
	out := make([]targets.Target, len(s.Targets))
	for i, t := range s.Targets {
		out[i] = targets.Target{Address: t.Address, Priority: t.Priority, Weight: t.Weight}
	}
	return out
}

// failedLately tells whether a server is tried last for a while.
func (a *Agent) failedLately(w way, now time.Time) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	return now.Before(a.failing[w.AddrPort])
}

// noteServer remembers how a server behaved.
func (a *Agent) noteServer(w way, failed bool) {
	a.mu.Lock()
	defer a.mu.Unlock()
	if !failed {
		delete(a.failing, w.AddrPort)
		return
	}
	if len(a.failing) >= maxFailing {
		clear(a.failing)
	}
	a.failing[w.AddrPort] = time.Now().Add(live.HoldFor)
}

// maxFailing bounds the servers that are remembered as failing.
const maxFailing = 1000
