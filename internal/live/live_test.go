package live

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/record"
)

func TestChannelsAreExactUnderConcurrency(t *testing.T) {
	trunks := NewTrunks(NewFeed(0))
	var got sync.Map
	var all sync.WaitGroup
	for i := range 200 {
		all.Go(func() {
			if trunks.Reserve("ostrel", 30) {
				got.Store(i, true)
			}
		})
	}
	all.Wait()
	count := 0
	got.Range(func(any, any) bool { count++; return true })
	assert.Equal(t, 30, count)
	trunks.Release("ostrel")
	assert.True(t, trunks.Reserve("ostrel", 30))
	assert.False(t, trunks.Reserve("ostrel", 30))
}

func TestWatchSaysWhatWasSeen(t *testing.T) {
	trunks := NewTrunks(NewFeed(0))
	at := time.Now()
	trunks.Watched("ostrel", at, true, 3*time.Millisecond, "200 OK")
	trunks.Watched("ostrel", at.Add(time.Second), true, time.Millisecond, "200 OK")
	w := trunks.State("ostrel").Watch
	assert.Equal(t, at, w.Since, "since it began to answer")
	trunks.Watched("ostrel", at.Add(2*time.Second), false, 0, "none")
	_, down := trunks.Down("ostrel")
	assert.False(t, down, "one miss may be a lost packet")
	trunks.Watched("ostrel", at.Add(3*time.Second), false, 0, "none")
	why, down := trunks.Down("ostrel")
	assert.True(t, down)
	assert.Equal(t, "2 OPTIONS in a row went unanswered", why)
	assert.Equal(t, at.Add(2*time.Second), trunks.State("ostrel").Watch.Since)
	_, down = trunks.Down("never-asked")
	assert.False(t, down)
}

// flaky is a sink that fails while it is told to.
type flaky struct {
	mu       sync.Mutex
	down     bool
	messages []int64
	calls    map[string]string
}

func (f *flaky) set(down bool) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.down = down
}

// Append is an archive that never fails.
func (f *flaky) Append(messages []record.Message) (places []record.Place, lost int) {
	for _, m := range messages {
		places = append(places, record.Place{Message: m})
	}
	return places, 0
}

func (f *flaky) Save(_ context.Context, messages []record.Place, calls []record.Call) error {
	f.mu.Lock()
	defer f.mu.Unlock()
	if f.down {
		return errors.New("the database is away")
	}
	for _, m := range messages {
		f.messages = append(f.messages, m.Seq)
	}
	for _, c := range calls {
		f.calls[c.ID] = c.Release
	}
	return nil
}

func quiet() *slog.Logger { return slog.New(slog.NewTextHandler(io.Discard, nil)) }

func TestRecorderWaitsForTheDatabaseAndLosesNothing(t *testing.T) {
	sink := &flaky{down: true, calls: map[string]string{}}
	r := NewRecorder(sink, sink, NewFeed(0), quiet())
	ctx, stop := context.WithCancel(context.Background())
	done := make(chan struct{})
	go func() { r.Run(ctx); close(done) }()
	for i := range 100 {
		r.Message(record.Message{Seq: int64(i)})
		r.Call(record.Call{ID: "a", Release: "first"})
		if i == 50 {
			require.Eventually(t, r.Failing, 5*time.Second, time.Millisecond)
		}
	}
	r.Call(record.Call{ID: "a", Release: "last"})
	sink.set(false)
	require.Eventually(t, func() bool { return !r.Failing() }, 5*time.Second, time.Millisecond)
	r.Message(record.Message{Seq: 100})
	stop()
	<-done
	want := make([]int64, 101)
	for i := range want {
		want[i] = int64(i)
	}
	assert.Equal(t, want, sink.messages, "in order, and what came last is saved at the stop")
	assert.Equal(t, "last", sink.calls["a"])
	assert.Zero(t, r.Lost())
}

func TestRecorderIsBoundedAndCountsWhatItLoses(t *testing.T) {
	sink := &flaky{down: true, calls: map[string]string{}}
	r := NewRecorder(sink, sink, NewFeed(0), quiet())
	for i := range RecorderQueue + 10 {
		r.Message(record.Message{Seq: int64(i)})
	}
	assert.EqualValues(t, 10, r.Lost())
	r.flush(context.Background())
	r.Message(record.Message{})
	r.flush(context.Background())
	assert.EqualValues(t, 11, r.Lost(), "what waits keeps its place")
}

func TestPlanSwap(t *testing.T) {
	var p Plan
	assert.Nil(t, p.Current())
	p.Swap(Running{Revision: 4})
	assert.EqualValues(t, 4, p.Current().Revision)
}

func TestRecorderKnowsWhatRunsWithoutTheDatabase(t *testing.T) {
	sink := &flaky{down: true, calls: map[string]string{}}
	feed := NewFeed(0)
	r := NewRecorder(sink, sink, feed, quiet())
	began := time.Now()
	r.Call(record.Call{ID: "b", Started: began.Add(time.Second)})
	r.Call(record.Call{ID: "a", Started: began})
	running := r.Running()
	require.Len(t, running, 2)
	assert.Equal(t, "a", running[0].ID, "the longest first")

	r.Call(record.Call{ID: "a", Started: began, Ended: began.Add(time.Minute)})
	r.flush(context.Background())
	assert.Len(t, r.Running(), 1)
	_, known := r.Recent("a")
	assert.True(t, known, "it is over, but in no database yet")
	news, at, _ := feed.Since(0)
	assert.Equal(t, []News{{TopicCall, "b"}, {TopicCall, "a"}, {TopicRecords, ""}}, news)

	sink.set(false)
	r.flush(context.Background())
	_, known = r.Recent("a")
	assert.False(t, known, "the database has it")
	_, known = r.Recent("b")
	assert.True(t, known, "it still runs")
	news, _, _ = feed.Since(at)
	assert.ElementsMatch(t, []News{{TopicCall, "b"}, {TopicCall, "a"}, {TopicRecords, ""}}, news)
}

func TestATrunkThatStaysSilentIsPassedOverForAWhile(t *testing.T) {
	trunks := NewTrunks(NewFeed(0))
	at := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	for range SilentUntilHeld - 1 {
		trunks.Silent("ostrel", at)
	}
	_, held := trunks.Held("ostrel", at)
	assert.False(t, held)
	trunks.Silent("ostrel", at)
	why, held := trunks.Held("ostrel", at)
	assert.True(t, held)
	assert.Equal(t, "the last 3 calls to it were met by silence; it is passed over until 12:00:30", why)
	_, held = trunks.Held("ostrel", at.Add(HoldFor))
	assert.False(t, held, "then a call probes it")
	trunks.Silent("ostrel", at.Add(HoldFor))
	_, held = trunks.Held("ostrel", at.Add(HoldFor+time.Second))
	assert.True(t, held, "and if that is met by silence too, it waits again")
	trunks.Responded("ostrel", at.Add(HoldFor), 0)
	_, held = trunks.Held("ostrel", at.Add(HoldFor+time.Second))
	assert.False(t, held)

	trunks.Responded("ostrel", at, 20*time.Second)
	_, held = trunks.Held("ostrel", at.Add(19*time.Second))
	assert.True(t, held)
	trunks.Responded("ostrel", at, 24*time.Hour)
	_, held = trunks.Held("ostrel", at.Add(MaxHold))
	assert.False(t, held, "nobody switches a trunk off for long by a header")
}

func TestACallWhoseRecordIsLostDoesNotSeemToRunForEver(t *testing.T) {
	sink := &flaky{calls: map[string]string{}}
	r := NewRecorder(sink, sink, NewFeed(0), quiet())
	began := time.Now()
	r.Call(record.Call{ID: "long", Started: began})
	r.flush(context.Background())
	sink.set(true)
	for i := range RecorderQueue {
		r.Call(record.Call{ID: fmt.Sprint(i), Started: began, Ended: began})
	}
	r.Call(record.Call{ID: "late", Started: began})
	running := r.Running()
	require.Len(t, running, 2, "what runs is shown, though its record is lost")
	r.Call(record.Call{ID: "late", Started: began, Ended: began})
	r.Call(record.Call{ID: "long", Started: began, Ended: began})
	assert.Empty(t, r.Running())
	assert.EqualValues(t, 3, r.Lost())
}
