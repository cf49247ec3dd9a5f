package store_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/store"
)

// Every kind of edit is done and undone: the draft must be what it was, step by
// step.
func TestUndoTakesEditsBackInOrder(t *testing.T) {
	s, p := withDemo(t)
	assert.ErrorIs(t, s.Undo(ctx), store.ErrNothingToUndo, "a go-live ends what can be undone")
	other := p
	other.Tables = p.Tables[:2]
	edits := []func() error{
		func() error { put(t, s, "outside", "new", "1x", "outside-emergency"); return nil },
		func() error { put(t, s, "outside", "new", "2x", ""); return nil },
		func() error { return s.MoveObject(ctx, plan.KindRule, "outside-premium", "new") },
		func() error { return s.DeleteObject(ctx, plan.KindRule, "outside-mobile") },
		func() error { return s.DeleteObject(ctx, plan.KindRule, "new") },
		func() error { return s.DiscardDraft(ctx) },
		func() error { put(t, s, "outside", "outside-mobile", "07x.", ""); return nil },
		func() error { return s.ReplaceDraft(ctx, other) },
	}
	var states []string
	for _, edit := range edits {
		states = append(states, draftText(t, s))
		require.NoError(t, edit())
	}
	n, err := s.Undoable(ctx)
	require.NoError(t, err)
	assert.Equal(t, len(edits), n)
	for i := len(states) - 1; i >= 0; i-- {
		require.NoError(t, s.Undo(ctx))
		require.Equal(t, states[i], draftText(t, s), "after undoing edit %d", i)
	}
	assert.ErrorIs(t, s.Undo(ctx), store.ErrNothingToUndo)
	changes, _, _, err := s.Changes(ctx)
	require.NoError(t, err)
	assert.Empty(t, changes)
}

func draftText(t *testing.T, s *store.Store) string {
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	return asJSON(t, d.Plan)
}

func TestAFailedEditLeavesNothingToUndo(t *testing.T) {
	s, _ := withDemo(t)
	require.Error(t, s.DeleteObject(ctx, plan.KindRule, "nobody"))
	n, err := s.Undoable(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
}

func TestUndoIsBounded(t *testing.T) {
	s, _ := withDemo(t)
	for i := range store.MaxUndo + 5 {
		before := ""
		if i%2 == 0 {
			before = "outside-emergency"
		}
		require.NoError(t, s.MoveObject(ctx, plan.KindRule, "outside-premium", before))
	}
	n, err := s.Undoable(ctx)
	require.NoError(t, err)
	assert.Equal(t, store.MaxUndo, n)
}

// Each undoes their own: the edit of another stays, and one that another went on from
// cannot be undone.
func TestEachUndoesTheirOwn(t *testing.T) {
	s, _ := withDemo(t)
	alda, brann := store.By(ctx, "alda"), store.By(ctx, "brann")
	before := draftText(t, s)
	require.NoError(t, s.DeleteObject(alda, plan.KindRule, "outside-premium"))
	require.NoError(t, s.DeleteObject(brann, plan.KindRule, "outside-mobile"))

	who, err := s.Authors(ctx)
	require.NoError(t, err)
	assert.Equal(t, map[plan.Key]string{{Kind: plan.KindRule, ID: "outside-premium"}: "alda", {Kind: plan.KindRule, ID: "outside-mobile"}: "brann"}, who)
	for who, want := range map[string]int{"alda": 1, "brann": 1, "": 0} {
		n, err := s.Undoable(store.By(ctx, who))
		require.NoError(t, err)
		assert.Equal(t, want, n, who)
	}
	assert.ErrorIs(t, s.Undo(store.By(ctx, "cerys")), store.ErrNothingToUndo)
	require.NoError(t, s.Undo(alda), "though it was not the last")
	assert.Contains(t, draftText(t, s), "outside-premium")
	assert.NotContains(t, draftText(t, s), "outside-mobile", "what the other did stays")
	require.NoError(t, s.Undo(brann))
	assert.Equal(t, before, draftText(t, s))
}

func TestAnEditThatAnotherWentOnFromCannotBeUndone(t *testing.T) {
	s, p := withDemo(t)
	alda, brann := store.By(ctx, "alda"), store.By(ctx, "brann")
	for name, later := range map[string]func() error{
		"the same rule": func() error { return s.DeleteObject(brann, plan.KindRule, "outside-mobile") },
		"all of it":     func() error { return s.ReplaceDraft(brann, p) },
	} {
		t.Run(name, func(t *testing.T) {
			require.NoError(t, s.MoveObject(alda, plan.KindRule, "outside-mobile", "outside-emergency"))
			require.NoError(t, later())
			after := draftText(t, s)
			var overtaken *store.OvertakenError
			require.ErrorAs(t, s.Undo(alda), &overtaken)
			assert.Equal(t, "brann", overtaken.Who)
			assert.Equal(t, after, draftText(t, s))
			require.NoError(t, s.Undo(brann))
			require.NoError(t, s.Undo(alda))
		})
	}
}
