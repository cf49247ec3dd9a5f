package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/store/storetest"
)

func TestBlocksOfTheTwoGatesAreKeptApart(t *testing.T) {
	s := storetest.New(t)
	b := guard.Block{Source: "127.0.99.1", Since: began, Until: began.Add(time.Hour), Why: "wrong password"}
	require.NoError(t, s.SaveBlock(ctx, "sign-in", b, false))
	calls, err := s.Blocks(ctx, "calls", began)
	require.NoError(t, err)
	assert.Empty(t, calls)
	got, err := s.Blocks(ctx, "sign-in", began)
	require.NoError(t, err)
	assert.Equal(t, []guard.Block{b}, got)
	require.NoError(t, s.SaveBlock(ctx, "calls", b, false))
	require.NoError(t, s.SaveBlock(ctx, "sign-in", b, true))
	calls, err = s.Blocks(ctx, "calls", began)
	require.NoError(t, err)
	assert.Len(t, calls, 1)
	late, err := s.Blocks(ctx, "calls", began.Add(2*time.Hour))
	require.NoError(t, err)
	assert.Empty(t, late, "it is over")
}

func TestWhatCameOfCallsIsKeptBySlot(t *testing.T) {
	s := storetest.New(t)
	trunks := live.NewTrunks(live.NewFeed(0))
	trunks.Offered("ostrel", began, true, 2*time.Second)
	trunks.Offered("ostrel", began.Add(time.Hour), false, 0)
	require.NoError(t, s.SaveAnswers(ctx, trunks.AnswersSince(time.Time{})))
	trunks.Offered("ostrel", began.Add(time.Hour), true, 4*time.Second)
	later := trunks.AnswersSince(began.Add(time.Hour))
	assert.Len(t, later, 1, "only what can have changed")
	require.NoError(t, s.SaveAnswers(ctx, later))

	kept, err := s.Answers(ctx, began.Add(-time.Hour))
	require.NoError(t, err)
	after := live.NewTrunks(live.NewFeed(0))
	after.RestoreAnswers(kept)
	assert.Equal(t, live.Answering{Sent: 3, Answered: 2, Wait: 6 * time.Second}, after.Day("ostrel", began.Add(2*time.Hour)))
	assert.Equal(t, live.Answering{}, after.Day("ostrel", began.Add(48*time.Hour)))
	require.NoError(t, s.ForgetAnswers(ctx, began.Add(30*time.Minute)))
	kept, err = s.Answers(ctx, time.Time{})
	require.NoError(t, err)
	assert.Len(t, kept, 1)
}
