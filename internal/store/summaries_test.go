package store_test

import (
	"cmp"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/store/storetest"
)

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }

// anyCall is a record with every part that a search looks at.
func anyCall(r *rand.Rand, n int) record.Call {
	number := func() numbering.Written {
		list := []string{"9", "2001", "02079460123", "+442079460123", "442079460123", "91", "5550123", "18005550123"}
		return numbering.Written{Number: digits.MustNumber(pick(r, list...))}
	}
	ref := func() trail.Ref {
		id := pick(r, "ostrel", "penhallow", "quay-phones")
		return trail.Ref{Kind: "trunk", ID: id, Name: "Trunk " + id}
	}
	c := record.Call{
		ID: fmt.Sprintf("call-%04d", n), Switch: pick(r, "quay", "cape"), Started: began.Add(time.Duration(r.IntN(200)) * time.Minute),
		Legs:   []record.Leg{record.Leg{Trunk: "ostrel"}.Named("sip", fmt.Sprint("a", n)), record.Leg{Trunk: "ostrel", RangMs: int64(r.IntN(2) * 900), Media: &record.Audio{Codec: "PCMA"}}.Named("sip", fmt.Sprint("b", n))},
		Stamps: []int64{},
		Trail:  []trail.Step{{Kind: trail.StepReceived, Received: &trail.Received{Trunk: ref(), Called: number(), Caller: number()}}},
	}
	if r.IntN(3) > 0 {
		c.Trail = append(c.Trail, trail.Step{Kind: trail.StepSent, Sent: &trail.Sent{Trunk: ref(), Called: number()}})
	}
	switch outcome := pick(r, trail.Answered, trail.Refused, trail.Failed, trail.Abandoned, ""); outcome {
	case "":
	case trail.Answered:
		c.Answered = c.Started.Add(time.Duration(r.IntN(5000)) * time.Millisecond)
		c.ReleasedBy = pick(r, record.SideCalling, record.SideCalled)
		fallthrough
	default:
		c.Trail = append(c.Trail, trail.Step{Kind: trail.StepEnded, Ended: &trail.Ended{Outcome: outcome, Cause: cause.Cause{Q850: pick[cause.Q850](r, 16, 17, 34), SIP: pick(r, 486, 503)}}})
		c.Ended = cmp.Or(c.Answered, c.Started).Add(time.Duration(r.IntN(100)) * time.Second)
	}
	return c
}

func anyQuery(r *rand.Rand, calls []record.Call) (q record.Query) {
	maybe := func(set func()) {
		if r.IntN(4) == 0 {
			set()
		}
	}
	maybe(func() {
		q.Number, _ = record.ParseNumberQuery(pick(r, "0123", "2001", "442*", "02079460123", "*946*", "999", "123"))
	})
	maybe(func() { q.Trunk = pick(r, "ostrel", "penhallow", "none") })
	maybe(func() { q.Switch = pick(r, "quay", "cape") })
	maybe(func() { q.Outcomes = []string{"failed", pick(r, "refused", "answered", "running")} })
	maybe(func() { q.Outcomes = []string{pick(r, "failed", "answered")} })
	maybe(func() { q.Q850 = pick(r, 16, 17, 34) })
	maybe(func() { q.SIP = 503 })
	maybe(func() { q.Since = began.Add(time.Duration(r.IntN(100)) * time.Minute) })
	maybe(func() { q.Until = began.Add(time.Duration(60+r.IntN(140)) * time.Minute) })
	maybe(func() { q.AtLeast = time.Duration(r.IntN(40)) * time.Second })
	maybe(func() { q.LessThan = time.Duration(20+r.IntN(80)) * time.Second })
	maybe(func() { q.After = record.CursorOf(record.Summarize(pick(r, calls...))) })
	return q
}

// Campaign: whatever is asked for, the database finds what the rule of the core finds, in its
// order; pages put together are the whole; and the volume counts each call once.
func TestSearchFindsWhatTheRuleFinds(t *testing.T) {
	s := storetest.New(t)
	r := rand.New(rand.NewPCG(18, 1))
	var calls []record.Call
	for n := range 300 {
		calls = append(calls, anyCall(r, n))
	}
	for part := range slices.Chunk(calls, 50) {
		require.NoError(t, s.Save(ctx, nil, part))
	}
	require.NoError(t, s.Save(ctx, nil, calls[:20]), "a call that is saved again is listed once")
	found := 0
	for n := range 150 {
		q := anyQuery(r, calls)
		want := []record.Summary{}
		for _, c := range calls {
			if sum := record.Summarize(c); q.Matches(sum) {
				want = append(want, sum)
			}
		}
		slices.SortFunc(want, func(a, b record.Summary) int { return record.CursorOf(a).Compare(record.CursorOf(b)) })
		found += len(want)

		var got []record.Summary
		page := q
		for {
			list, err := s.FindCalls(ctx, page, 40)
			require.NoError(t, err)
			got = append(got, list...)
			if len(list) < 40 {
				break
			}
			page.After = record.CursorOf(list[len(list)-1])
		}
		require.Equal(t, len(want), len(got), "query %d: %+v", n, q)
		for i := range want {
			require.Equal(t, want[i], got[i], "query %d: %+v", n, q)
		}

		spans, err := s.CallVolume(ctx, q, 15*time.Minute)
		require.NoError(t, err)
		counted := 0
		for _, v := range spans {
			counted += v.Answered + v.Abandoned + v.Failed + v.Running
		}
		assert.Equal(t, len(want), counted, "query %d: %+v", n, q)
	}
	require.Greater(t, found, 1000, "the queries find something")
}

func TestManyCallsWithOneNumberAreFoundToo(t *testing.T) {
	s := storetest.New(t)
	r := rand.New(rand.NewPCG(18, 2))
	var calls []record.Call
	for n := range 2_100 { // more than are read by the index of numbers
		c := anyCall(r, n)
		c.Legs, c.Trail = c.Legs[:1], c.Trail[:1]
		c.Trail[0].Received.Called.Number = digits.MustNumber("2001")
		calls = append(calls, c)
	}
	for part := range slices.Chunk(calls, 300) {
		require.NoError(t, s.Save(ctx, nil, part))
	}
	for _, text := range []string{"2001", "200*", "*001*"} {
		q, err := record.ParseNumberQuery(text)
		require.NoError(t, err)
		list, err := s.FindCalls(ctx, record.Query{Number: q}, 3_000)
		require.NoError(t, err)
		assert.Len(t, list, len(calls), text)
	}
}

func TestForgottenCallsAreNotListed(t *testing.T) {
	s := storetest.New(t)
	old := aCall("old", "a")
	old.Ended = began.Add(time.Second)
	require.NoError(t, s.Save(ctx, nil, []record.Call{old, aCall("open", "b")}))
	require.NoError(t, s.ForgetCalls(ctx, began.Add(time.Hour)))
	list, err := s.FindCalls(ctx, record.Query{}, 10)
	require.NoError(t, err)
	require.Len(t, list, 1)
	assert.Equal(t, "open", list[0].ID)
	var numbers int
	require.NoError(t, s.DB().QueryRow(`SELECT COUNT(*) FROM call_numbers WHERE id = 'old'`).Scan(&numbers))
	assert.Zero(t, numbers)
}
