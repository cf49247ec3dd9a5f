package live

import (
	"container/list"
	"sync"
)

// Topic is what sort of thing changed.
type Topic string

// The topics. The id says which one changed: a trunk's, a call's; empty where
// there is only one.
const (
	TopicTrunk   Topic = "trunk"
	TopicCall    Topic = "call"
	TopicDraft   Topic = "draft"
	TopicPlan    Topic = "plan"
	TopicRecords Topic = "records"
	TopicStandIn Topic = "stand-in"
	TopicGate    Topic = "gate"
	TopicHours   Topic = "calendars"
	TopicTrial   Topic = "trial"
)

// News says that something changed, not how: who wants to know looks at it.
type News struct {
	Topic Topic  `json:"topic" enum:"trunk,call,draft,plan,records,stand-in,gate,calendars,trial"`
	ID    string `json:"id"`
}

// FeedMemory bounds how many different things the feed remembers as changed.
const FeedMemory = 5_000

// Feed tells what changed since a moment. It remembers of each thing only when
// it changed last, so that a thing that changes a thousand times is one piece of
// news to somebody who comes late. Tell never waits for anybody.
type Feed struct {
	mu     sync.Mutex
	seq    int64
	floor  int64 // news up to here may be forgotten
	order  *list.List
	of     map[News]*list.Element
	wake   chan struct{} // nil while nobody waits
	closed bool
}

type told struct {
	News
	seq int64
}

// NewFeed returns a feed whose sequence begins behind start. A later process
// must begin behind all that an earlier one told.
func NewFeed(start int64) *Feed {
	return &Feed{seq: start, floor: start, order: list.New(), of: map[News]*list.Element{}}
}

// Tell says that something changed.
func (f *Feed) Tell(topic Topic, id string) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.closed {
		return
	}
	f.seq++
	n := News{topic, id}
	if e := f.of[n]; e != nil {
		e.Value.(*told).seq = f.seq
		f.order.MoveToBack(e)
	} else {
		f.of[n] = f.order.PushBack(&told{n, f.seq})
	}
	if f.order.Len() > FeedMemory {
		oldest := f.order.Remove(f.order.Front()).(*told)
		delete(f.of, oldest.News)
		f.floor = oldest.seq
	}
	f.rouse()
}

// rouse wakes who waits; the lock is held.
func (f *Feed) rouse() {
	if f.wake != nil {
		close(f.wake)
		f.wake = nil
	}
}

// Since returns what changed after a point of the sequence, in the order of the
// last changes, and the point that this leads to. complete is false if the feed
// cannot say any more: then anything may have changed.
func (f *Feed) Since(seq int64) (news []News, now int64, complete bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if seq < f.floor || seq > f.seq {
		return nil, f.seq, false
	}
	for e := f.order.Back(); e != nil && e.Value.(*told).seq > seq; e = e.Prev() {
		news = append(news, e.Value.(*told).News)
	}
	for i, j := 0, len(news)-1; i < j; i, j = i+1, j-1 {
		news[i], news[j] = news[j], news[i]
	}
	return news, f.seq, true
}

// Changed returns a channel that is closed with the next news, and whether the
// feed still goes on.
func (f *Feed) Changed() (next <-chan struct{}, open bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.wake == nil {
		f.wake = make(chan struct{})
		if f.closed {
			close(f.wake)
		}
	}
	return f.wake, !f.closed
}

// Close ends the feed; who waits is woken.
func (f *Feed) Close() {
	f.mu.Lock()
	defer f.mu.Unlock()
	if !f.closed {
		f.closed = true
		f.rouse()
	}
}
