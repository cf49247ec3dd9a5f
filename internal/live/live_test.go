package live

import (
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/netip"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/standing"
)

func TestChannelsAreExactUnderConcurrency(t *testing.T) {
	trunks := NewTrunks(NewFeed(0))
	trunk := &plan.Trunk{ID: "ostrel", Channels: 30, Reserved: plan.Reserved{Emergency: 2, In: 5}}
	var mu sync.Mutex
	var out, emergency []Channel
	var all sync.WaitGroup
	for i := range 200 {
		all.Go(func() {
			if i < 4 {
				if c, _, ok := trunks.Reserve(trunk, Want{Out: true, Emergency: true}); ok {
					mu.Lock()
					defer mu.Unlock()
					emergency = append(emergency, c)
				}
				return
			}
			if c, _, ok := trunks.Reserve(trunk, Want{Out: true}); ok {
				mu.Lock()
				defer mu.Unlock()
				out = append(out, c)
			}
		})
	}
	all.Wait()
	assert.Len(t, emergency, 4, "an emergency call finds a channel as long as one is free")
	assert.LessOrEqual(t, len(out), 23)
	assert.GreaterOrEqual(t, len(out), 21, "30, less 5 for calls in, less 2 kept for emergency calls or 4 taken by them")
	_, why, ok := trunks.Reserve(trunk, Want{Out: true})
	assert.False(t, ok)
	assert.Contains(t, why, "kept")
	in, _, ok := trunks.Reserve(trunk, Want{})
	assert.True(t, ok, "calls in have theirs")
	in.Release()
	for _, c := range append(out, emergency...) {
		c.Release()
	}
	assert.Zero(t, trunks.State("ostrel").InUse)
	Channel{}.Release() // of a call that got none
}

func TestATrunkOutOfServiceComesBackAtItsTime(t *testing.T) {
	trunks := NewTrunks(NewFeed(0))
	now := time.Now()
	trunks.SetService(standing.Service{Trunk: "ostrel", Word: standing.Draining, Since: now, Until: now.Add(time.Minute), By: "engineer"})
	v, out := trunks.OutOfService("ostrel", now)
	assert.True(t, out)
	assert.Equal(t, standing.Draining, v.Word)
	_, out = trunks.OutOfService("ostrel", now.Add(time.Minute))
	assert.False(t, out)
}

// Each word says what was proved, and no more.
func TestWordsSayWhatWasProved(t *testing.T) {
	feed := NewFeed(0)
	trunks, r, now := NewTrunks(feed), NewRegistrations(feed), time.Now()
	by := func(registers string) plan.Trunk {
		one := []plan.Account{{ID: "a", User: "one"}, {ID: "b", User: "two"}}
		return plan.Trunk{ID: "t" + registers, Link: plan.Link{SIP: &plan.SIP{Registration: registers, InboundAccounts: one, OutboundAccounts: one}}}
	}
	nobody, they, we := by(""), by(plan.RegistrationInbound), by(plan.RegistrationOutbound)
	word := func(t plan.Trunk) standing.Word { return trunks.Judge(t, r, nil, now).Word }
	assert.Equal(t, standing.Unproven, word(nobody))
	trunks.Seen(nobody.ID, netip.MustParseAddrPort("127.0.30.1:5060"), now, "INVITE")
	assert.Equal(t, standing.SeenOnly, word(nobody))
	trunks.Watched(nobody.ID, now, true, time.Millisecond, "200 OK")
	assert.Equal(t, standing.Answers, word(nobody), "and never registered, since it need not")
	trunks.Watched(nobody.ID, now, false, 0, "none")
	trunks.Watched(nobody.ID, now, false, 0, "none")
	assert.Equal(t, standing.Failing, word(nobody))
	trunks.SetService(standing.Service{Trunk: nobody.ID, Word: standing.Off, By: "engineer", Why: "works"})
	assert.Equal(t, judge.State{Word: standing.Off, Cause: "works", Evidence: "set by engineer"}, trunks.Judge(nobody, r, nil, now))
	zone, err := time.LoadLocation("Asia/Kolkata")
	require.NoError(t, err)
	trunks.SetService(standing.Service{Trunk: nobody.ID, Word: standing.Off, By: "engineer", Until: time.Date(2030, 1, 2, 3, 4, 5, 0, time.UTC)})
	assert.Equal(t, "set by engineer, until 2030-01-02 08:34:05 IST", trunks.Judge(nobody, r, nil, now.In(zone)).Evidence, "in the zone of the switch, which it names")

	assert.Equal(t, standing.Failing, word(they))
	require.NoError(t, r.Bind(they.ID, "a", nil, []standing.Binding{{Trunk: they.ID, Account: "a", Contact: "sip:x", Source: "127.0.20.1:5060", Transport: "UDP", Refreshed: now, Until: now.Add(time.Minute)}}, 4, now))
	got := trunks.Judge(they, r, nil, now)
	assert.Equal(t, standing.Registered, got.Word)
	assert.Equal(t, "1 of 2 inbound accounts registered; missing: two", got.Cause)
	assert.Equal(t, standing.Failing, trunks.Judge(they, r, nil, now.Add(2*time.Minute)).Word, "it ran out")

	assert.Equal(t, standing.Unproven, word(we))
	r.SetOur(standing.OurRegistration{Trunk: we.ID, Account: "a", State: standing.OurRefused, Evidence: "403 Forbidden", Next: now})
	assert.Equal(t, standing.Unproven, word(we), "of one nothing is known yet")
	r.SetOur(standing.OurRegistration{Trunk: we.ID, Account: "b", State: standing.OurRefused, Evidence: "403 Forbidden", Next: now})
	assert.Equal(t, standing.Failing, word(we))
	for _, id := range []string{"a", "b"} {
		r.SetOur(standing.OurRegistration{Trunk: we.ID, Account: id, State: standing.OurRegistered, Until: now.Add(time.Minute)})
	}
	assert.Equal(t, standing.Registered, word(we))
	assert.Equal(t, standing.Failing, trunks.Judge(we, r, nil, now.Add(time.Hour)).Word)
}

func TestTheDayOfATrunk(t *testing.T) {
	now := time.Date(2026, 11, 23, 12, 0, 0, 0, time.UTC)
	at := func(hours float64) time.Time { return now.Add(-time.Duration(hours * float64(time.Hour))) }
	h := NewHistory([]standing.TrunkState{{Trunk: "a", At: at(30), Word: standing.Answers, Cause: ""}, {Trunk: "a", At: at(26), Word: standing.Failing, Cause: "no answer"}})
	for _, turn := range []standing.TrunkState{
		{Trunk: "a", At: at(18), Word: standing.Answers, Cause: ""}, {Trunk: "a", At: at(17), Word: standing.Answers, Cause: ""}, {Trunk: "a", At: at(12), Word: standing.Off, Cause: "works"}, {Trunk: "a", At: at(6), Word: standing.Answers, Cause: ""}, {Trunk: "a", At: at(3), Word: standing.Failing, Cause: "silent"},
		{Trunk: "a", At: at(2), Word: standing.Failing, Cause: "refused"},
	} {
		h.Observe(turn)
	}
	day := h.Day("a", now)
	require.Len(t, day, 6)
	assert.Equal(t, Span{at(24), at(18), standing.Failing, "no answer"}, day[0], "what it was when the day began")
	since, ok := h.Since("a")
	assert.True(t, ok)
	assert.Equal(t, at(3), since, "the word, whatever its cause")
	share, known := Availability(day)
	assert.True(t, known)
	assert.InDelta(t, 9.0/18, share, 1e-9, "6 h and 3 h of 18 in service")
	assert.Len(t, h.Fresh(), 5, "what changed nothing is not kept")
	assert.Empty(t, h.Fresh())
	_, known = Availability(h.Day("b", now))
	assert.False(t, known)
}

func TestAnsweringOfADay(t *testing.T) {
	trunks, now := NewTrunks(NewFeed(0)), time.Date(2026, 11, 23, 12, 7, 0, 0, time.UTC)
	trunks.Offered("a", now.Add(-25*time.Hour), true, time.Hour)
	trunks.Offered("a", now.Add(-23*time.Hour), true, 2*time.Second)
	trunks.Offered("a", now.Add(-time.Minute), true, 4*time.Second)
	trunks.Offered("a", now, false, time.Minute)
	ended, answered := now, now.Add(-30*time.Second)
	trunks.Over(record.Summary{TrunkOutID: "a", PostDialDelayMs: 800, Answered: &answered, Ended: &ended}, now)
	trunks.Over(record.Summary{TrunkOutID: "a", PostDialDelayMs: 1600}, now)
	trunks.Over(record.Summary{}, now) // it never left
	got := trunks.Day("a", now)
	assert.Equal(t, standing.Answering{Sent: 3, Answered: 2, Wait: 6 * time.Second, Ended: 1, Talk: 30 * time.Second, Rang: 2, Delay: 2400 * time.Millisecond}, got)
	assert.Equal(t, 1200*time.Millisecond, got.MeanDelay())
	assert.Equal(t, 30*time.Second, got.MeanTalk())
	share, known := got.Ratio()
	assert.True(t, known)
	assert.InDelta(t, 2.0/3, share, 1e-9)
	assert.Equal(t, 3*time.Second, got.MeanWait())
	_, known = trunks.Day("b", now).Ratio()
	assert.False(t, known)
}

func TestPeakOfChannels(t *testing.T) {
	trunks := NewTrunks(NewFeed(0))
	trunk := &plan.Trunk{ID: "a", Channels: 5}
	first, _, ok := trunks.Reserve(trunk, Want{Out: true})
	require.True(t, ok)
	second, _, ok := trunks.Reserve(trunk, Want{})
	require.True(t, ok)
	first.Release()
	second.Release()
	assert.Equal(t, 2, trunks.Day("a", time.Now()).Peak)
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
	assert.Equal(t, "no response to the last 3 calls; skipped until 12:00:30 UTC", why)
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

// What came of calls is counted by slots, of which those that may have changed are kept, and is
// the same after a restart.
func TestWhatCameOfCallsOutlastsTheProcess(t *testing.T) {
	began := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	trunks := NewTrunks(NewFeed(0))
	trunks.Offered("ostrel", began, true, 2*time.Second)
	trunks.Offered("ostrel", began.Add(time.Hour), false, 0)
	trunks.Offered("ostrel", began.Add(time.Hour), true, 4*time.Second)
	trunks.Over(record.Summary{TrunkOutID: "ostrel", PostDialDelayMs: 500}, began.Add(time.Hour))
	assert.Len(t, trunks.AnswersSince(began.Add(time.Hour)), 1, "only what can have changed")
	after := NewTrunks(NewFeed(0))
	after.RestoreAnswers(trunks.AnswersSince(time.Time{}))
	assert.Equal(t, standing.Answering{Sent: 3, Answered: 2, Wait: 6 * time.Second, Rang: 1, Delay: 500 * time.Millisecond}, after.Day("ostrel", began.Add(2*time.Hour)))
	assert.Equal(t, standing.Answering{}, after.Day("ostrel", began.Add(48*time.Hour)))
}
