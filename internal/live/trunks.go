package live

import (
	"fmt"
	"maps"
	"net/netip"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/standing"
)

// Trunks keeps the state of the moment of every trunk: channels in use, what
// was last seen, whether it answers. It is safe for concurrent use.
type Trunks struct {
	mu    sync.Mutex
	state map[string]*trunkState
	named map[netip.Addr]string // trunks, by the addresses of their names
	shown map[netip.AddrPort]judge.Shown
	feed  *Feed
}

type trunkState struct {
	use      plan.Use
	service  standing.Service
	day      day
	lastSeen time.Time
	lastWhat string
	watch    judge.Watch
	calls    judge.CallCounts
	silent   int // calls in a row that were met by silence
	sources  map[netip.Addr]judge.Sighting
	rate     guard.Rate
	held     judge.Hold
	clock    standing.Clock
	lastIn   time.Time // when a call came in last
	lookup   judge.Lookup
	lastOut  time.Time      // when a call that we sent was answered last
	refused  judge.Refusals // of its far end, by us
	unproven judge.Refusals // of our credential, by it
	strays   []Stray
}

// SilentUntilHeld is how many calls in a row must be met by silence before the
// trunk is passed over for HoldFor; the first call after that probes it.
const (
	SilentUntilHeld = 3
	HoldFor         = 30 * time.Second
	// MaxHold bounds what a far end may ask for by Retry-After.
	MaxHold = 5 * time.Minute
)

// NewTrunks returns an empty state: no trunk was seen yet. Changes are told to
// the feed.
func NewTrunks(feed *Feed) *Trunks {
	return &Trunks{state: map[string]*trunkState{}, named: map[netip.Addr]string{}, shown: map[netip.AddrPort]judge.Shown{}, feed: feed}
}

func (t *Trunks) of(id string) *trunkState {
	s := t.state[id]
	if s == nil {
		s = &trunkState{}
		t.state[id] = s
	}
	return s
}

// State returns what is known of a trunk.
func (t *Trunks) State(id string) judge.TrunkState {
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	return judge.TrunkState{InUse: s.use.Total(), Use: s.use, Service: s.inService(time.Now()), LastSeen: s.lastSeen, LastWhat: s.lastWhat, Watch: s.watch, Calls: s.calls, Held: s.held, LastIn: s.lastIn, LastOut: s.lastOut, Lookup: s.lookup, Refused: s.refused, Unproven: s.unproven, Sources: maps.Clone(s.sources)}
}

// Channel is a channel of a trunk that a call has taken; Release gives it back.
type Channel struct {
	t              *Trunks
	id             string
	out, emergency bool
}

// Want is what a call wants a channel for.
type Want struct {
	Out       bool // from us to the far end
	Emergency bool
	Anyway    bool // whatever the limits say: no limit of ours ends an emergency call
}

// Reserve takes a channel for a call, as the trunk's limits admit it (the model's
// formula); without one, why says what is lacking. Every channel must be released
// once.
func (t *Trunks) Reserve(trunk *plan.Trunk, want Want) (c Channel, why string, ok bool) {
	out, emergency := want.Out, want.Emergency
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(trunk.ID)
	if !want.Anyway && !trunk.Reserved.Admits(trunk.Channels, s.use, out, emergency) {
		return Channel{}, fmt.Sprintf("%s (%d in, %d out, of %d)", trunk.Reserved.Lacking(trunk.Channels, s.use, out), s.use.In, s.use.Out, trunk.Channels), false
	}
	c = Channel{t, trunk.ID, out, emergency}
	c.count(&s.use, 1)
	s.day.used(time.Now(), s.use.Total())
	t.feed.Tell(TopicTrunk, trunk.ID)
	return c, "", true
}

func (c Channel) count(u *plan.Use, by int) {
	if c.out {
		u.Out += by
	} else {
		u.In += by
	}
	if c.emergency {
		u.Emergency += by
	}
}

// Release gives the channel back.
func (c Channel) Release() {
	if c.t == nil {
		return
	}
	c.t.mu.Lock()
	defer c.t.mu.Unlock()
	c.count(&c.t.of(c.id).use, -1)
	c.t.feed.Tell(TopicTrunk, c.id)
}

// RefusedThere notes that we refused a request of the far end, which showed a wrong
// credential; RightThere that it showed a right one.
func (t *Trunks) RefusedThere(id string, at time.Time, why, from string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.of(id).refused.Add(at, why, from)
	t.feed.Tell(TopicTrunk, id)
}

// RightThere is told of a credential that was right.
func (t *Trunks) RightThere(id string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.of(id).refused = judge.Refusals{}
}

// CredentialRefused notes that the far end refused a credential of ours; an answer to a
// call shows that it takes it.
func (t *Trunks) CredentialRefused(id string, at time.Time, evidence string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.of(id).unproven.Add(at, evidence, "")
	t.feed.Tell(TopicTrunk, id)
}

// Told makes the screens look at a trunk again.
func (t *Trunks) Told(id string) { t.feed.Tell(TopicTrunk, id) }

// SetService takes a trunk out of service, or puts it back with an empty word.
func (t *Trunks) SetService(v standing.Service) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.of(v.Trunk).service = v
	t.feed.Tell(TopicTrunk, v.Trunk)
}

// IsOff tells whether a trunk is to be left alone altogether.
func (t *Trunks) IsOff(id string, now time.Time) bool {
	v, out := t.OutOfService(id, now)
	return out && v.Word == standing.Off
}

// OutOfService says why a trunk takes no new call, if it does not.
func (t *Trunks) OutOfService(id string, now time.Time) (v standing.Service, out bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	v = t.of(id).inService(now)
	return v, v.Word != ""
}

// inService is the service of the trunk at a time: one that has an end is over
// then.
func (s *trunkState) inService(now time.Time) standing.Service {
	if !s.service.Until.IsZero() && !now.Before(s.service.Until) {
		return standing.Service{}
	}
	return s.service
}

// InTime counts a call that begins, and is false if there were as many as allowed
// in this second.
func (t *Trunks) InTime(id string, at time.Time, most int) bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	if s.rate.Take(at, most) {
		return true
	}
	s.calls.TooFast++
	return false
}

// maxSightings bounds the addresses of one trunk that are remembered.
const maxSightings = 256

// Seen notes that a message came from an address of the trunk's far end.
func (t *Trunks) Seen(id string, from netip.AddrPort, at time.Time, what string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	s.lastSeen, s.lastWhat = at, what
	if s.sources == nil || len(s.sources) >= maxSightings {
		s.sources = map[netip.Addr]judge.Sighting{}
	}
	s.sources[from.Addr()] = judge.Sighting{At: at, What: what}
	t.feed.Tell(TopicTrunk, id)
}

// Watched notes the outcome of asking the far end.
func (t *Trunks) Watched(id string, at time.Time, answers bool, round time.Duration, evidence string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	w := &t.of(id).watch
	if w.Asked.IsZero() || w.Answers != answers {
		w.Since = at
	}
	w.Asked, w.Answers, w.Evidence = at, answers, evidence
	t.feed.Tell(TopicTrunk, id)
	w.RoundMs = float64(round.Microseconds()) / 1000
	if w.Misses++; answers {
		w.Misses = 0
	}
}

// Down says why no call should be offered to the trunk, if so.
func (t *Trunks) Down(id string) (why string, down bool) {
	w := t.State(id).Watch
	if w.Misses < judge.MissesUntilDown {
		return "", false
	}
	return fmt.Sprintf("%d OPTIONS in a row went unanswered", w.Misses), true
}

// Silent notes that a call got no answer at all, or only 100.
func (t *Trunks) Silent(id string, at time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	if s.silent++; s.silent >= SilentUntilHeld {
		s.held = judge.Hold{Until: at.Add(HoldFor), Why: fmt.Sprintf("no response to the last %d calls", s.silent)}
		t.feed.Tell(TopicTrunk, id)
	}
}

// Responded notes that the far end said something to a call. With a time that it
// asked for (Retry-After of a 503, RFC 3261 section 21.5.4) it is passed over
// for so long; without, it is not held any more.
func (t *Trunks) Responded(id string, at time.Time, retryAfter time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	before := s.held
	s.silent, s.held = 0, judge.Hold{}
	if retryAfter > 0 {
		s.held = judge.Hold{Until: at.Add(min(retryAfter, MaxHold)), Why: fmt.Sprintf("it asked to be left alone for %s", min(retryAfter, MaxHold))}
	}
	if s.held != before {
		t.feed.Tell(TopicTrunk, id)
	}
}

// Held says why the trunk is passed over at a time, if it is.
func (t *Trunks) Held(id string, at time.Time) (why string, held bool) {
	h := t.State(id).Held
	if !at.Before(h.Until) {
		return "", false
	}
	return fmt.Sprintf("%s; skipped until %s", h.Why, clock(h.Until, at)), true
}

// Offered counts a call that was sent to the trunk, and what came of it.
func (t *Trunks) Offered(id string, at time.Time, answered bool, after time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	s.day.add(at, answered, after)
	if answered {
		s.unproven = judge.Refusals{}
		s.lastOut = at
		s.calls.Answered++
	} else {
		s.calls.Failed++
	}
	t.feed.Tell(TopicTrunk, id)
}

// Day is what came of the calls that were sent to a trunk in the last 24 hours.
func (t *Trunks) Day(id string, now time.Time) standing.Answering {
	t.mu.Lock()
	defer t.mu.Unlock()
	a := t.of(id).day.sum(now)
	a.Peak = max(a.Peak, t.of(id).use.Total())
	return a
}

// Over counts a call that ended, at the trunk that it was sent to last.
func (t *Trunks) Over(c record.Summary, now time.Time) {
	if c.TrunkOutID == "" {
		return
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	t.of(c.TrunkOutID).day.over(now, time.Duration(c.PostDialDelayMs)*time.Millisecond, time.Duration(c.Seconds(now)*float64(time.Second)))
}

// AnswersSince returns what came of calls in the slots of the day that a time from
// then on falls into, so that it outlasts the process.
func (t *Trunks) AnswersSince(from time.Time) (list []standing.AnswerSlot) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for id, s := range t.state {
		list = append(list, s.day.slots(id, from)...)
	}
	return list
}

// RestoreAnswers takes what a process before this one kept.
func (t *Trunks) RestoreAnswers(list []standing.AnswerSlot) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for _, a := range list {
		t.of(a.Trunk).day.restore(a)
	}
}

// CameIn counts a call that came from the trunk.
func (t *Trunks) CameIn(id string, at time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	s := t.of(id)
	s.lastIn = at
	s.calls.In++
	t.feed.Tell(TopicTrunk, id)
}

// Count changes the trunk's counters.
func (t *Trunks) Count(id string, change func(*judge.CallCounts)) {
	t.mu.Lock()
	defer t.mu.Unlock()
	change(&t.of(id).calls)
	t.feed.Tell(TopicTrunk, id)
}
