package store_test

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

var began = time.Date(2026, 11, 23, 12, 0, 0, 123_000_000, time.UTC)

func aCall(id, leg string) record.Call {
	return record.Call{
		ID: id, Switch: "quay", Revision: 3, Started: began,
		Legs:  []record.Leg{record.Leg{Trunk: "quay-phones", Remote: "127.0.20.1:5060"}.Named("sip", leg)},
		Trail: []trail.Step{{Kind: trail.StepEnded, Switch: "quay", Ended: &trail.Ended{Outcome: trail.Refused, Why: "naïve"}}}, Stamps: []int64{7},
	}
}

func TestCallsAreReplacedAndFound(t *testing.T) {
	s := storetest.New(t)
	c := aCall("call-1", "Leg-A")
	require.NoError(t, s.Save(ctx, nil, []record.Call{c}))
	c.Answered, c.Ended, c.Release = began.Add(time.Second), began.Add(3*time.Second), "the caller hung up"
	c.Legs = append(c.Legs, record.Leg{Trunk: "ostrel"}.Named("sip", "leg-b"))
	require.NoError(t, s.Save(ctx, nil, []record.Call{c}))

	got, err := s.Call(ctx, "call-1")
	require.NoError(t, err)
	assert.Equal(t, c, got)
	got, err = s.CallByLeg(ctx, record.LegID("smoke", "Leg-A"), record.LegID("sip", "Leg-A"))
	require.NoError(t, err)
	assert.Equal(t, "call-1", got.ID)
	_, err = s.CallByLeg(ctx, record.LegID("sip", "leg-a"))
	assert.ErrorIs(t, err, store.ErrNotFound, "Call-IDs are compared byte by byte (RFC 3261 section 20.8)")
	_, err = s.CallByLeg(ctx, record.LegID("sip", "leg-b"))
	assert.ErrorIs(t, err, store.ErrNotFound, "only the caller's leg finds the call")
	_, err = s.Call(ctx, "nobody")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestOneCallOverSeveralSwitchesIsFoundByItsSession(t *testing.T) {
	s := storetest.New(t)
	first, second, other := aCall("call-1", "leg-a"), aCall("call-2", "leg-b"), aCall("call-3", "leg-c")
	first.Session, second.Session = "0123456789abcdef0123456789abcdef", "0123456789abcdef0123456789abcdef"
	second.Started, second.Switch = began.Add(time.Second), "cape"
	require.NoError(t, s.Save(ctx, nil, []record.Call{second, first, other}))
	got, err := s.Session(ctx, first.Session)
	require.NoError(t, err)
	require.Len(t, got, 2)
	assert.Equal(t, []string{"call-1", "call-2"}, []string{got[0].ID, got[1].ID}, "in the order in which it passed them")
	got, err = s.Session(ctx, "")
	require.NoError(t, err)
	assert.Empty(t, got, "calls recorded without one have nothing in common")
}

func TestPlacesOfMessagesComeBackInOrderAndExpire(t *testing.T) {
	s := storetest.New(t)
	var places []record.Place
	for i := range 1200 { // more than one batch
		leg := record.LegID("sip", "mine")
		if i%3 == 0 {
			leg = record.LegID("sip", "other")
		}
		places = append(places, record.Place{
			Message: record.Message{Seq: int64(i), Switch: "quay", At: began.Add(time.Duration(i) * time.Microsecond), Out: i%2 == 0, Local: "127.0.10.1:5060", Remote: "127.0.20.1:5060", Leg: leg, Protocol: "sip", Carriage: "udp"},
			Segment: int64(1 + i/600), Offset: int64(100 * i), Length: 99,
		})
	}
	require.NoError(t, s.Save(ctx, places, nil))
	require.NoError(t, s.Save(ctx, places[:1], nil), "once more, after an error that came late")
	c := aCall("call-1", "mine")
	want := slices.DeleteFunc(slices.Clone(places), func(p record.Place) bool { return p.Leg != c.Legs[0].ID })
	got, err := s.Messages(ctx, c)
	require.NoError(t, err)
	assert.Equal(t, want, got)
	last, err := s.LastSegment(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 2, last)

	require.NoError(t, s.ForgetSegments(ctx, 2))
	got, err = s.Messages(ctx, c)
	require.NoError(t, err)
	assert.Equal(t, slices.DeleteFunc(want, func(p record.Place) bool { return p.Segment == 1 }), got)

	old, running := aCall("old", "leg-old"), aCall("running", "leg-running")
	old.Ended = began.Add(time.Minute)
	require.NoError(t, s.Save(ctx, nil, []record.Call{old, running}))
	require.NoError(t, s.ForgetCalls(ctx, began.Add(time.Hour)))
	_, err = s.Call(ctx, "old")
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = s.Call(ctx, "running")
	assert.NoError(t, err, "a call that runs is not forgotten")
}

func TestUnfinishedCallsAreClosed(t *testing.T) {
	s := storetest.New(t)
	done := aCall("done", "a")
	done.Ended = began.Add(time.Second)
	require.NoError(t, s.Save(ctx, nil, []record.Call{aCall("open", "b"), done}))
	n, err := s.Unfinished(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
	list, err := s.FindCalls(ctx, record.Query{}, 10)
	require.NoError(t, err)
	require.Len(t, list, 2)
	for _, c := range list {
		whole, err := s.Call(ctx, c.ID)
		require.NoError(t, err)
		assert.Equal(t, record.Summarize(whole), c, "what lists show is what the record says")
		assert.False(t, c.Running, c.ID)
	}
}

func TestPasswords(t *testing.T) {
	s := storetest.New(t)
	require.NoError(t, s.SetUser(ctx, "engineer", "first"))
	require.NoError(t, s.SetUser(ctx, "engineer", "second"))
	for _, c := range []struct {
		name, password string
		want           bool
	}{{"engineer", "second", true}, {"engineer", "first", false}, {"Engineer", "second", false}, {"nobody", "second", false}, {"nobody", "no such user", false}} {
		ok, err := s.CheckPassword(ctx, c.name, c.password)
		require.NoError(t, err)
		assert.Equal(t, c.want, ok, "%s %s", c.name, c.password)
	}
	var hash string
	require.NoError(t, s.DB().QueryRow(`SELECT password_hash FROM users`).Scan(&hash))
	assert.Contains(t, hash, "$argon2id$")
	assert.NotContains(t, hash, "second")
}
