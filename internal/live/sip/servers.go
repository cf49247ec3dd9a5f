package sip

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/targets"
	"switchback.example/switchback/internal/live"
)

// A far end of several servers (RFC 3263 section 4.3): the next is tried where one
// is silent, takes no connection or has no service.

// ways are the servers to try for a call by a trunk, those last that failed a
// moment ago. The error says why there is none.
func (a *Agent) ways(t *plan.Trunk, called string) ([]way, error) {
	first, err := a.way(t, called)
	if err != nil || len(t.SIP.Targets) == 0 {
		return []way{first}, err
	}
	list := []way{first}
	for _, target := range targets.Order(targetsOf(t.SIP), rand.IntN) {
		addr, err := netip.ParseAddrPort(target.Address)
		if err != nil { // validated
			continue
		}
		w := first
		w.hop.AddrPort = addr
		if t.SIP.Domain == "" {
			w.host = target.Address
		}
		list = append(list, w)
	}
	now := time.Now()
	slices.SortStableFunc(list, func(x, y way) int { return order(a.failedLately(x, now)) - order(a.failedLately(y, now)) })
	return list, nil
}

func order(last bool) int {
	if last {
		return 1
	}
	return 0
}

func targetsOf(s plan.SIP) []targets.Target {
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

// unserved tells whether a report is one after which the far end's next server may
// do better.
func unserved(r decide.Report) bool {
	if r.Progress {
		return false
	}
	switch r.Kind {
	case decide.ReportNoResponse, decide.ReportUnreachable, decide.ReportOnlyTrying:
		return true
	case decide.ReportRefused:
		return r.Status == 503
	}
	return false
}
