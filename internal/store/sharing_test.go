package store_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
)

// An edit of one table leaves the rules of all others the same memory, those that the
// draft changed before too: what was made of them need not be made again.
func TestADraftSharesItsOtherTablesWithTheOneBefore(t *testing.T) {
	s, _ := withDemo(t)
	put(t, s, "outside", "first", "1x", "outside-emergency")
	before, err := s.Draft(ctx)
	require.NoError(t, err)
	put(t, s, "phones-out", "second", "3x", "")
	after, err := s.Draft(ctx)
	require.NoError(t, err)
	a, b := plan.NewIndex(before.Plan), plan.NewIndex(after.Plan)
	assert.True(t, plan.SameSlice(a.Tables["outside"].Rules, b.Tables["outside"].Rules), "edited before, and not since")
	assert.True(t, plan.SameSlice(a.Tables["carriers-in"].Rules, b.Tables["carriers-in"].Rules), "never edited")
	assert.False(t, plan.SameSlice(a.Tables["phones-out"].Rules, b.Tables["phones-out"].Rules))

	put(t, s, "outside", "first", "2x", "")
	changed, err := s.Draft(ctx)
	require.NoError(t, err)
	assert.Equal(t, "2x", plan.NewIndex(changed.Plan).Tables["outside"].Rules[0].Match.Called)
	require.NoError(t, s.DeleteObject(ctx, plan.KindRule, "outside-mobile"))
	without, err := s.Draft(ctx)
	require.NoError(t, err)
	assert.Len(t, plan.NewIndex(without.Plan).Tables["outside"].Rules, len(b.Tables["outside"].Rules)-1)
	require.NoError(t, s.MoveObject(ctx, plan.KindRule, "first", ""))
	moved, err := s.Draft(ctx)
	require.NoError(t, err)
	rules := plan.NewIndex(moved.Plan).Tables["outside"].Rules
	assert.Equal(t, "first", rules[len(rules)-1].ID)
}
