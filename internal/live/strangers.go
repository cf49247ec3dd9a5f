package live

import (
	"container/list"
	"net/netip"
	"slices"
	"strings"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/guard"
)

// Stranger is a source whose requests belonged to no trunk, and what it sent last.
type Stranger struct {
	Switch string
	Source string // the address
	Port   uint16 // of the last message
	By     string // its transport
	Count  int64
	Floods int64 // of them, dropped unread since it sent more than its share
	First  time.Time
	Last   time.Time
	Method string // of the last request
	Called string // what it called: the Request-URI
	From   string // who it says it is: the URI of From
	Agent  string // what it calls itself
	Answer string // what it got
}

// Bounds of what is kept of strangers: how many, and of each text how much.
const (
	MaxStrangers    = 1000
	maxStrangerText = 120
)

// Strangers are the sources that belong to no trunk. The one that was heard of longest ago
// goes first where there are too many. It is safe for concurrent use.
type Strangers struct {
	mu    sync.Mutex
	order list.List // of *Stranger, the latest in front
	known map[strangerKey]*list.Element
	tried Attempts
}

type strangerKey struct {
	sw   string
	from netip.Addr
}

// NewStrangers returns none.
func NewStrangers() *Strangers { return &Strangers{known: map[strangerKey]*list.Element{}} }

// Note counts a message of a stranger. A nil Strangers notes nothing.
func (s *Strangers) Note(from netip.Addr, now Stranger) {
	if s == nil {
		return
	}
	for _, text := range []*string{&now.Method, &now.Called, &now.From, &now.Agent, &now.Answer} {
		*text = guard.Short(*text)
	}
	s.tried.Note(now.Last, now.Agent, userOf(now.Called))
	from = from.Unmap()
	now.Source, now.Count, now.First = from.String(), 1, now.Last
	key := strangerKey{now.Switch, from}
	s.mu.Lock()
	defer s.mu.Unlock()
	if e := s.known[key]; e != nil {
		before := e.Value.(*Stranger) //nolint:forcetypeassert // only those are put in
		now.Count, now.First, now.Floods = before.Count+1, before.First, before.Floods
		*before = now
		s.order.MoveToFront(e)
		return
	}
	if s.order.Len() >= MaxStrangers {
		last := s.order.Remove(s.order.Back()).(*Stranger) //nolint:forcetypeassert // only those are put in
		if addr, err := netip.ParseAddr(last.Source); err == nil {
			delete(s.known, strangerKey{last.Switch, addr})
		}
	}
	s.known[key] = s.order.PushFront(&now)
}

// Flooded counts a message that was dropped unread, since its source sends more than its share.
func (s *Strangers) Flooded(sw string, from netip.Addr, by string, port uint16, at time.Time) {
	if s == nil {
		return
	}
	s.mu.Lock()
	e := s.known[strangerKey{sw, from.Unmap()}]
	if e != nil {
		x := e.Value.(*Stranger) //nolint:forcetypeassert // only those are put in
		x.Count, x.Floods, x.Last = x.Count+1, x.Floods+1, at
		s.order.MoveToFront(e)
	}
	s.mu.Unlock()
	if e != nil {
		s.tried.Note(at, "", "")
	} else {
		s.Note(from, Stranger{Switch: sw, Port: port, By: by, Last: at, Floods: 1, Answer: "nothing"})
	}
}

// userOf is the user part of a Request-URI, without its parameters: what was called.
func userOf(uri string) string {
	_, rest, _ := strings.Cut(uri, ":")
	user, _, ok := strings.Cut(rest, "@")
	if !ok && !strings.HasPrefix(uri, "tel:") {
		return ""
	}
	user, _, _ = strings.Cut(user, ";")
	user, _, _ = strings.Cut(user, ":")
	return user
}

// Attempted is what they attempted, over time, by user agent and by target.
func (s *Strangers) Attempted(now time.Time, most int) AttemptHistory {
	if s == nil {
		return AttemptHistory{Slots: []AttemptCount{}, Agents: []Tally{}, Targets: []Tally{}}
	}
	return s.tried.History(now, most)
}

// Forget drops a source, since it is known now.
func (s *Strangers) Forget(sw string, from netip.Addr) {
	if s == nil {
		return
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	key := strangerKey{sw, from.Unmap()}
	if e := s.known[key]; e != nil {
		s.order.Remove(e)
		delete(s.known, key)
	}
}

// List returns up to most strangers since a time, the latest first, and how many there are.
func (s *Strangers) List(since time.Time, most int) (out []Stranger, all int) {
	if s == nil {
		return []Stranger{}, 0
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	out = []Stranger{}
	for e := s.order.Front(); e != nil; e = e.Next() {
		one := *e.Value.(*Stranger) //nolint:forcetypeassert // only those are put in
		if one.Last.Before(since) {
			continue
		}
		if all++; len(out) < most {
			out = append(out, one)
		}
	}
	return slices.Clip(out), all
}
