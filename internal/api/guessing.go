package api

import (
	"context"
	"net/netip"
	"slices"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
)

// signInLimits block those who guess passwords, as they do those who guess secrets of
// accounts.
var signInLimits = guard.Limits{Failures: plan.DefaultFailedAttempts, Window: plan.DefaultWindowMinutes * time.Minute, For: plan.DefaultBlockHours * time.Hour}

// ownPause is how long a wrong password from our own networks takes to be refused. They are
// never blocked, so that nobody can keep the engineers out from within; sign-ins from one
// of their addresses come one after the other, so that guessing stays slow.
const ownPause = time.Second

// passwords bounds how much work those who sign in can cause: a password costs 64 MB and a good
// part of a second of a core (argon2id), whoever sends it.
type passwords struct {
	slots chan struct{} // how many passwords are looked at, at once

	mu      sync.Mutex
	waiting map[string]int // sign-ins that run or wait, by address and by name
	turns   map[string]*sync.Mutex
}

const (
	// atOnce is how many passwords are looked at in one moment.
	atOnce = 2
	// mostWaiting is how many sign-ins with one name run or wait, and how many in all.
	mostWaiting, mostInAll = 8, 64
)

func newPasswords() *passwords {
	return &passwords{slots: make(chan struct{}, atOnce), waiting: map[string]int{}, turns: map[string]*sync.Mutex{}}
}

const everybody = "any address"

// enter takes a place for a sign-in, before anything is worked for it; ok is false if there is
// none, or if the source could use up its failures by what it has under way. Those from our
// own networks come one after the other.
func (c *passwords) enter(address, name string, room int, own bool) (done func(), ok bool) {
	keys := map[string]int{"address " + address: room, "name " + name: mostWaiting, everybody: mostInAll}
	if own {
		keys = map[string]int{"address " + address: mostInAll, everybody: 2 * mostInAll} // not kept out by strangers
	}
	c.mu.Lock()
	for key, most := range keys {
		if c.waiting[key] >= most {
			c.mu.Unlock()
			return nil, false
		}
	}
	for key := range keys {
		c.waiting[key]++
	}
	turn := &sync.Mutex{}
	if own {
		if c.turns[address] == nil {
			c.turns[address] = turn
		}
		turn = c.turns[address]
	}
	c.mu.Unlock()
	turn.Lock()
	return func() {
		turn.Unlock()
		c.mu.Lock()
		defer c.mu.Unlock()
		for key := range keys {
			if c.waiting[key]--; c.waiting[key] <= 0 {
				delete(c.waiting, key)
				delete(c.turns, address)
			}
		}
	}, true
}

// work waits for one of the slots for looking at a password; false if the asker is gone.
func (c *passwords) work(ctx context.Context) (done func(), ok bool) {
	select {
	case c.slots <- struct{}{}:
		return func() { <-c.slots }, true
	case <-ctx.Done():
		return nil, false
	}
}

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
	b, held := s.SignIns.Meet(from, time.Now(), s.own(address))
	if !held {
		return 0
	}
	return time.Until(b.Until)
}

// checkPassword looks at a name and a password from an address. What it says is for who
// signs in.
func (s *server) checkPassword(ctx context.Context, address, name, password string) error {
	if wait := s.wait(address); wait > 0 {
		return tooMany(wait)
	}
	own, room := s.own(address), 1
	if from, err := netip.ParseAddr(address); err == nil {
		room = max(1, signInLimits.Failures-s.SignIns.Count(from, time.Now(), signInLimits))
	}
	leave, ok := s.passwords.enter(address, name, room, own)
	if !ok {
		return tooMany(time.Second)
	}
	defer leave()
	done, ok := s.passwords.work(ctx)
	if !ok {
		return tooMany(time.Second)
	}
	right, err := s.Store.CheckPassword(ctx, name, password)
	done()
	if err != nil {
		return s.failed(err)
	}
	if !right {
		s.wrongPassword(ctx, address, name)
		return huma.Error401Unauthorized("the name or the password is wrong")
	}
	s.rightPassword(address, name)
	return nil
}

// wrongPassword counts one.
func (s *server) wrongPassword(ctx context.Context, address, name string) {
	from, err := netip.ParseAddr(address)
	if err != nil {
		return
	}
	own := s.own(address)
	out := s.SignIns.Failed(guard.Failure{From: from, Account: guard.Short(name), Why: "wrong password", Returned: true}, time.Now(), signInLimits,
		func(netip.Prefix) bool { return own })
	s.Log.Warn("wrong password", "from", address, "blocked", out.Blocked != nil)
	if own {
		select {
		case <-time.After(ownPause):
		case <-ctx.Done():
		}
	}
}

// rightPassword forgets the wrong ones before it.
func (s *server) rightPassword(address, name string) {
	if from, err := netip.ParseAddr(address); err == nil {
		s.SignIns.Succeeded(from, "", guard.Short(name))
	}
}
