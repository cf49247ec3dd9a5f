package store_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/standing"
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
	slot := func(after time.Duration, sent, answered int, wait time.Duration) standing.AnswerSlot {
		return standing.AnswerSlot{Trunk: "ostrel", At: began.Add(after).Truncate(time.Second), Answering: standing.Answering{Sent: sent, Answered: answered, Wait: wait, Ended: answered, Talk: 3 * wait, Rang: sent, Delay: wait / 2, Peak: sent + 1}}
	}
	require.NoError(t, s.SaveAnswers(ctx, []standing.AnswerSlot{slot(0, 1, 1, 2*time.Second), slot(time.Hour, 1, 0, 0)}))
	require.NoError(t, s.SaveAnswers(ctx, []standing.AnswerSlot{slot(time.Hour, 2, 1, 4*time.Second)}), "one that goes on takes its own place")
	kept, err := s.Answers(ctx, began.Add(-time.Hour))
	require.NoError(t, err)
	assert.ElementsMatch(t, []standing.AnswerSlot{slot(0, 1, 1, 2*time.Second), slot(time.Hour, 2, 1, 4*time.Second)}, kept)
	require.NoError(t, s.ForgetAnswers(ctx, began.Add(30*time.Minute)))
	kept, err = s.Answers(ctx, time.Time{})
	require.NoError(t, err)
	assert.Len(t, kept, 1)
}

func TestRuleMatchesAreKeptByTheHour(t *testing.T) {
	s := storetest.New(t)
	match := func(rule string, hours int, calls int64) standing.RuleMatch {
		at := began.Truncate(time.Hour).Add(time.Duration(hours) * time.Hour)
		return standing.RuleMatch{Rule: rule, Hour: at, Calls: calls, Last: at.Add(time.Minute)}
	}
	require.NoError(t, s.SaveRuleMatches(ctx, nil))
	require.NoError(t, s.SaveRuleMatches(ctx, []standing.RuleMatch{match("mobile", 0, 1), match("mobile", 1, 1), match("national", 0, 4)}))
	require.NoError(t, s.SaveRuleMatches(ctx, []standing.RuleMatch{match("mobile", 1, 3)}))
	require.NoError(t, s.ForgetRuleMatches(ctx, began))
	kept, err := s.RuleMatches(ctx, time.Time{})
	require.NoError(t, err)
	assert.Equal(t, []standing.RuleMatch{match("mobile", 1, 3)}, kept)
}
