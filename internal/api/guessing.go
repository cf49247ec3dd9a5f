package api

import (
	"context"
	"net/netip"
	"slices"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
)

// signInLimits block those who guess passwords, as they do those who guess secrets of
// accounts.
var signInLimits = live.Limits{Failures: plan.DefaultFailures, Window: plan.DefaultWindowMinutes * time.Minute, For: plan.DefaultShutHours * time.Hour}

// ownPause is how long a wrong password from our own networks takes to be refused. They are
// never blocked, so that nobody can keep the engineers out from within; sign-ins from one
// of their addresses come one after the other, so that guessing stays slow.
const ownPause = time.Second

// own tells whether an address is in one of our own networks.
func (s *server) own(address string) bool {
	from, err := netip.ParseAddr(address)
	return err == nil && slices.ContainsFunc(s.OwnNetworks, func(p netip.Prefix) bool { return p.Contains(from.Unmap()) })
}

// wait is how long a source may not sign in; 0 if it may.
func (s *server) wait(address string) time.Duration {
	from, err := netip.ParseAddr(address)
	if err != nil {
		return 0
	}
	b, shut := s.SignIns.Blocked(from, time.Now(), s.own(address))
	if !shut {
		return 0
	}
	return time.Until(b.Until)
}

// wrongPassword counts one.
func (s *server) wrongPassword(ctx context.Context, address string) {
	from, err := netip.ParseAddr(address)
	if err != nil {
		return
	}
	own := s.own(address)
	_, shut := s.SignIns.Failed(from, "wrong password", time.Now(), signInLimits, own)
	s.Log.Warn("wrong password", "from", address, "shut", shut)
	if own {
		select {
		case <-time.After(ownPause):
		case <-ctx.Done():
		}
	}
}

// rightPassword forgets the wrong ones before it.
func (s *server) rightPassword(address string) {
	if from, err := netip.ParseAddr(address); err == nil {
		s.SignIns.Succeeded(from)
	}
}

// turns let sign-ins from one address come one after the other. The zero turns are ready.
type turns struct {
	mu   sync.Mutex
	list map[string]*turn
}

type turn struct {
	sync.Mutex
	waiting int
}

// take waits for the turn of an address, if it must, and returns what ends it.
func (t *turns) take(address string, must bool) (done func()) {
	if !must {
		return func() {}
	}
	t.mu.Lock()
	if t.list == nil {
		t.list = map[string]*turn{}
	}
	mine := t.list[address]
	if mine == nil {
		mine = &turn{}
		t.list[address] = mine
	}
	mine.waiting++
	t.mu.Unlock()
	mine.Lock()
	return func() {
		mine.Unlock()
		t.mu.Lock()
		defer t.mu.Unlock()
		if mine.waiting--; mine.waiting == 0 {
			delete(t.list, address)
		}
	}
}
