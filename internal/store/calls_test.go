package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

var began = time.Date(2026, 11, 23, 12, 0, 0, 123_000_000, time.UTC)

func aCall(id, leg string) record.Call {
	return record.Call{
		ID: id, Switch: "quay", Revision: 3, Started: began,
		Legs:  []record.Leg{{Trunk: "quay-phones", CallID: leg, Remote: "127.0.20.1:5060"}},
		Trail: []decide.Step{{Kind: decide.StepEnded, Switch: "quay", Ended: &decide.Ended{Outcome: decide.Refused, Why: "naïve"}}}, Stamps: []int64{7},
	}
}

func TestCallsAreReplacedAndFound(t *testing.T) {
	s := storetest.New(t)
	c := aCall("call-1", "Leg-A")
	require.NoError(t, s.Save(ctx, nil, []record.Call{c}))
	c.Answered, c.Ended, c.Release = began.Add(time.Second), began.Add(3*time.Second), "the caller hung up"
	c.Legs = append(c.Legs, record.Leg{Trunk: "ostrel", CallID: "leg-b"})
	require.NoError(t, s.Save(ctx, nil, []record.Call{c}))

	got, err := s.Call(ctx, "call-1")
	require.NoError(t, err)
	assert.Equal(t, c, got)
	got, err = s.CallByLeg(ctx, "Leg-A")
	require.NoError(t, err)
	assert.Equal(t, "call-1", got.ID)
	_, err = s.CallByLeg(ctx, "leg-a")
	assert.ErrorIs(t, err, store.ErrNotFound, "Call-IDs are compared byte by byte (RFC 3261 section 20.8)")
	_, err = s.CallByLeg(ctx, "leg-b")
	assert.ErrorIs(t, err, store.ErrNotFound, "only the caller's leg finds the call")
	_, err = s.Call(ctx, "nobody")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestMessagesComeBackInOrderByteByByte(t *testing.T) {
	s := storetest.New(t)
	var messages []record.Message
	for i := range 450 { // more than one batch
		leg := "mine"
		if i%3 == 0 {
			leg = "other"
		}
		messages = append(messages, record.Message{
			Seq: int64(i), Switch: "quay", At: began.Add(time.Duration(i) * time.Microsecond), Out: i%2 == 0,
			Local: "127.0.10.1:5060", Remote: "127.0.20.1:5060", CallID: leg, Bytes: []byte{0, 0xff, byte(i), '\r', '\n'},
		})
	}
	messages = append(messages, record.Message{Seq: 450, Switch: "quay", At: began, CallID: string(make([]byte, 1000)), Bytes: []byte("x")})
	require.NoError(t, s.Save(ctx, messages, nil))
	got, err := s.Messages(ctx, aCall("call-1", "mine"))
	require.NoError(t, err)
	require.Len(t, got, 300)
	last := int64(-1)
	for _, m := range got {
		assert.Greater(t, m.Seq, last)
		last = m.Seq
		assert.Equal(t, messages[m.Seq], m)
	}
	none, err := s.Messages(ctx, record.Call{})
	require.NoError(t, err)
	assert.Empty(t, none)
}

func TestUnfinishedCallsAreClosed(t *testing.T) {
	s := storetest.New(t)
	done := aCall("done", "a")
	done.Ended = began.Add(time.Second)
	require.NoError(t, s.Save(ctx, nil, []record.Call{aCall("open", "b"), done}))
	n, err := s.Unfinished(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 1, n)
	list, err := s.Calls(ctx, 10)
	require.NoError(t, err)
	for _, c := range list {
		assert.False(t, c.Running(), c.ID)
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
