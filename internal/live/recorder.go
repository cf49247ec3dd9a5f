package live

import (
	"context"
	"errors"
	"log/slog"
	"slices"
	"sync"
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/core/record"
)

// Archive keeps the bytes of messages, and says where; what it cannot keep is
// lost. It must not hold on to the list.
type Archive interface {
	Append(messages []record.Message) (places []record.Place, lost int)
}

// Index keeps where messages lie, and call records. It may be slow or fail;
// calls never wait for it. It must not hold on to the lists.
type Index interface {
	Save(ctx context.Context, messages []record.Place, calls []record.Call) error
}

// RecorderQueue bounds how many messages wait for the archive, how many for the
// index, and how many calls. What comes past it is lost and counted.
const RecorderQueue = 20_000

// recorderPause is how long the recorder gathers before it saves.
const recorderPause = 40 * time.Millisecond

// Recorder takes messages and call records off the call's path and saves them
// in batches, in order. Of a call that changed several times only the newest
// record is saved.
type Recorder struct {
	archive Archive
	index   Index
	feed    *Feed
	log     *slog.Logger

	mu       sync.Mutex
	messages []record.Message
	spare    []record.Message // an empty queue, to be filled next
	places   []record.Place   // of the archive, not in the index yet; only flush uses them
	calls    map[string]*record.Call
	order    []string                // of calls, by first change
	recent   map[string]*record.Call // that run, or are not in the index yet
	over     func(record.Call)
	lost     atomic.Int64
	failing  atomic.Bool
}

// NewRecorder returns a recorder; Run must be started.
func NewRecorder(archive Archive, index Index, feed *Feed, log *slog.Logger) *Recorder {
	return &Recorder{archive: archive, index: index, feed: feed, log: log, calls: map[string]*record.Call{}, recent: map[string]*record.Call{}}
}

// Message records one message. It never blocks for long.
func (r *Recorder) Message(m record.Message) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.messages) >= RecorderQueue {
		r.lost.Add(1)
		return
	}
	r.messages = append(r.messages, m)
}

// Call records the present state of a call. The trail in it must not be
// changed any more, only be appended to.
func (r *Recorder) Call(c record.Call) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if _, waiting := r.calls[c.ID]; !waiting {
		if len(r.order) >= RecorderQueue {
			r.lost.Add(1)
			r.keepRecent(&c)
			return
		}
		r.order = append(r.order, c.ID)
	}
	r.calls[c.ID], r.recent[c.ID] = &c, &c
	r.feed.Tell(TopicCall, c.ID)
}

// OnOver sets what is told of each call that is over, once. It is set before calls run.
func (r *Recorder) OnOver(tell func(record.Call)) { r.over = tell }

// Over tells that a call is over, whose last state was recorded.
func (r *Recorder) Over(c record.Call) {
	if r.over != nil {
		r.over(c)
	}
}

// keepRecent notes the state of a call whose record is lost: while it runs it is
// still shown, and one that is over must not seem to run for ever.
func (r *Recorder) keepRecent(c *record.Call) {
	if c.Running() {
		r.recent[c.ID] = c
	} else {
		delete(r.recent, c.ID)
	}
	r.feed.Tell(TopicCall, c.ID)
}

// Recent returns a call that runs or is not in the index yet.
func (r *Recorder) Recent(id string) (record.Call, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if c := r.recent[id]; c != nil {
		return *c, true
	}
	return record.Call{}, false
}

// RecentByLeg is Recent for the call whose caller's leg has a key in its protocol.
func (r *Recorder) RecentByLeg(key string) (record.Call, bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, c := range r.recent {
		if len(c.Legs) > 0 && c.Legs[0].Key == key {
			return *c, true
		}
	}
	return record.Call{}, false
}

// Running returns the calls that run, the longest first.
func (r *Recorder) Running() []record.Call {
	r.mu.Lock()
	defer r.mu.Unlock()
	out := []record.Call{}
	for _, c := range r.recent {
		if c.Running() {
			out = append(out, *c)
		}
	}
	slices.SortFunc(out, func(a, b record.Call) int { return a.Started.Compare(b.Started) })
	return out
}

// Lost returns how many messages and calls could not be kept.
func (r *Recorder) Lost() int64 { return r.lost.Load() }

// Failing tells whether the last save failed; what waits is tried again.
func (r *Recorder) Failing() bool { return r.failing.Load() }

// Run saves until the context ends, and what waits then once more.
func (r *Recorder) Run(ctx context.Context) {
	tick := time.NewTicker(recorderPause)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			last, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			r.flush(last)
			return
		case <-tick.C:
			r.flush(ctx)
		}
	}
}

func (r *Recorder) flush(ctx context.Context) {
	messages, calls := r.take()
	if len(messages) > 0 {
		places, lost := r.archive.Append(messages)
		r.lost.Add(int64(lost))
		r.wait(places)
		r.reuse(messages)
	}
	if len(r.places) == 0 && len(calls) == 0 {
		return
	}
	err := r.index.Save(ctx, r.places, calls)
	if err == nil {
		clear(r.places)
		r.places = r.places[:0]
		r.saved(calls)
		if r.failing.Swap(false) {
			r.feed.Tell(TopicRecords, "")
		}
		return
	}
	r.putBack(calls)
	first := !r.failing.Swap(true)
	if first {
		r.feed.Tell(TopicRecords, "")
	}
	if first && !errors.Is(err, context.Canceled) {
		r.log.Error("call records wait: the database does not take them", "error", err, "messages", len(r.places), "calls", len(calls))
	}
}

// saved forgets calls that are over and in the index now, unless they changed
// again meanwhile, and says that there is more to see of all.
func (r *Recorder) saved(calls []record.Call) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, c := range calls {
		if _, waiting := r.calls[c.ID]; !waiting && !c.Running() {
			delete(r.recent, c.ID)
		}
		r.feed.Tell(TopicCall, c.ID)
	}
}

// wait puts places behind those that wait for the index. Past the bound the
// message stays in its segment, but no call leads to it.
func (r *Recorder) wait(places []record.Place) {
	room := max(0, RecorderQueue-len(r.places))
	if over := len(places) - room; over > 0 {
		r.lost.Add(int64(over))
		places = places[:room]
	}
	r.places = append(r.places, places...)
}

func (r *Recorder) take() (messages []record.Message, calls []record.Call) {
	r.mu.Lock()
	defer r.mu.Unlock()
	messages, r.messages, r.spare = r.messages, r.spare, nil
	calls = make([]record.Call, 0, len(r.order))
	for _, id := range r.order {
		calls = append(calls, *r.calls[id])
	}
	r.order = nil
	clear(r.calls)
	return messages, calls
}

// reuse takes a queue back whose messages are written.
func (r *Recorder) reuse(messages []record.Message) {
	clear(messages)
	r.mu.Lock()
	defer r.mu.Unlock()
	r.spare = messages[:0]
}

// putBack returns calls that could not be saved to the front of the queue.
func (r *Recorder) putBack(calls []record.Call) {
	r.mu.Lock()
	defer r.mu.Unlock()
	newer := r.order
	r.order = nil
	for _, c := range calls {
		if _, newer := r.calls[c.ID]; !newer {
			r.calls[c.ID] = &c
			r.order = append(r.order, c.ID)
		}
	}
	r.order = append(r.order, newer...)
}
