package store_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

func edit(t *testing.T, s *store.Store, put []inventory.Number, gone ...string) {
	require.NoError(t, s.EditNumbers(ctx, func(p plan.Plan) (inventory.List, error) { return p.Numbers.With(put, gone) }))
}

func someNumbers(n int) []inventory.Number {
	rows := make([]inventory.Number, n)
	for i := range rows {
		rows[i] = inventory.Number{First: fmt.Sprintf("+4420%08d", i*3), State: inventory.Active, Note: fmt.Sprint("row ", i)}
	}
	return rows
}

func numbersOf(t *testing.T, s *store.Store) []inventory.Number {
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	rows := []inventory.Number{}
	for n := range d.Plan.Numbers.All() {
		rows = append(rows, n)
	}
	return rows
}

// Edits of numbers are kept, told, undone, given up and made live as all others, and the
// pages that they do not touch are the same memory.
func TestNumbersInDraftAndLive(t *testing.T) {
	dsn := storetest.DSN(t)
	s, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	defer s.Close()
	_, err = s.Migrate(ctx)
	require.NoError(t, err)
	_, err = s.Begin(ctx, "Skerry Line")
	require.NoError(t, err)
	p, err := demo.Plan()
	require.NoError(t, err)
	_, err = s.Install(ctx, p, "test", "")
	require.NoError(t, err)
	start := numbersOf(t, s)
	put(t, s, "outside", "first", "1x", "outside-emergency") // another edit beside
	edit(t, s, someNumbers(3000))
	require.Len(t, numbersOf(t, s), 3000+len(start))
	changes, count, version, err := s.Changes(ctx)
	require.NoError(t, err)
	assert.Equal(t, 3001, count)
	assert.Len(t, changes, 1+plan.MaxNumberChanges, "the first are listed, all are counted")
	_, err = s.GoLive(ctx, version, "test", "numbers")
	require.NoError(t, err)
	revisions, err := s.Revisions(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, 3001, revisions[0].Changes)

	before, _, err := s.Live(ctx)
	require.NoError(t, err)
	changed := inventory.Number{First: "+442000000003", State: inventory.Spare}
	edit(t, s, []inventory.Number{changed}, "442000000006")
	after, err := s.Draft(ctx)
	require.NoError(t, err)
	same := 0
	for i, p := range after.Plan.Numbers.Pages() {
		if before.Numbers.Pages()[i] == p {
			same++
		}
	}
	assert.Equal(t, len(before.Numbers.Pages())-1, same)
	changes, count, _, err = s.Changes(ctx)
	require.NoError(t, err)
	assert.Equal(t, 2, count)
	assert.Equal(t, "442000000003 changed, 442000000006 removed", fmt.Sprintf("%s %s, %s %s", changes[0].ID, changes[0].What, changes[1].ID, changes[1].What))

	other, err := store.Open(ctx, dsn) // another process reads what this one wrote
	require.NoError(t, err)
	defer other.Close()
	assert.Equal(t, numbersOf(t, s), numbersOf(t, other))

	require.NoError(t, s.Undo(ctx))
	_, count, _, err = s.Changes(ctx)
	require.NoError(t, err)
	assert.Zero(t, count, "undone")
	edit(t, s, nil, "442000000009")
	require.NoError(t, s.DiscardDraft(ctx))
	assert.Len(t, numbersOf(t, s), 3000+len(start))

	// A document with the same rows changes nothing, whatever their pages are.
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	d.Plan.Numbers = inventory.New(numbersOf(t, s))
	require.NoError(t, s.ReplaceDraft(ctx, d.Plan))
	_, count, _, err = s.Changes(ctx)
	require.NoError(t, err)
	assert.Zero(t, count)
	first, err := s.Revision(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, len(start), first.Numbers.Len(), "a revision before has the numbers that it had")
}

func TestAnEditOfNumbersThatFailsWritesNothing(t *testing.T) {
	s, _ := withDemo(t)
	before := numbersOf(t, s)
	assert.Error(t, s.EditNumbers(ctx, func(p plan.Plan) (inventory.List, error) {
		return p.Numbers.With([]inventory.Number{{First: "0808", State: inventory.Active}}, nil)
	}))
	assert.Equal(t, before, numbersOf(t, s))
}
