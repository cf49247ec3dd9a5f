package store_test

import (
	"context"
	"encoding/json"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

var ctx = context.Background()

// withDemo returns a store in which the demo plan is live as revision 1.
func withDemo(t *testing.T) (*store.Store, plan.Plan) {
	s := storetest.New(t)
	fresh, err := s.Begin(ctx, "Skerry Line")
	require.NoError(t, err)
	require.True(t, fresh)
	p, err := demo.Plan()
	require.NoError(t, err)
	require.NoError(t, s.ReplaceDraft(ctx, p))
	goLive(t, s, 1)
	return s, p
}

func goLive(t *testing.T, s *store.Store, want int64) store.Revision {
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	r, err := s.GoLive(ctx, d.Version, "engineer", "a note")
	require.NoError(t, err)
	require.Equal(t, want, r.ID)
	return r
}

func asJSON(t *testing.T, v any) string {
	b, err := json.Marshal(v)
	require.NoError(t, err)
	return string(b)
}

func TestMigrateTwiceDoesNothing(t *testing.T) {
	s := storetest.New(t)
	n, err := s.Migrate(ctx)
	require.NoError(t, err)
	assert.Zero(t, n)
}

func TestBeginKeepsWhatIsThere(t *testing.T) {
	s, _ := withDemo(t)
	fresh, err := s.Begin(ctx, "another")
	require.NoError(t, err)
	assert.False(t, fresh)
}

func TestPlanComesBackAsItWentIn(t *testing.T) {
	s, p := withDemo(t)
	live, revision, err := s.Live(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 1, revision)
	assert.Equal(t, asJSON(t, p), asJSON(t, live))
}

func TestDraftAndLiveAreApart(t *testing.T) {
	s, p := withDemo(t)
	put(t, s, "outside", "outside-national", "0[12]xxxxxxxxx", "")
	live, _, err := s.Live(ctx)
	require.NoError(t, err)
	assert.Equal(t, asJSON(t, p), asJSON(t, live), "an edit does not touch the live plan")

	changes, _, _, err := s.Changes(ctx)
	require.NoError(t, err)
	require.Len(t, changes, 1)
	assert.Equal(t, "changed", changes[0].What)

	r := goLive(t, s, 2)
	assert.Equal(t, 1, r.Changes, "a go-live costs what the change costs")
	live, _, err = s.Live(ctx)
	require.NoError(t, err)
	assert.Equal(t, "0[12]xxxxxxxxx", live.Tables[1].Rules[1].Match.Called)
	changes, _, _, err = s.Changes(ctx)
	require.NoError(t, err)
	assert.Empty(t, changes)
}

// put writes a rule with a pattern into the draft.
func put(t *testing.T, s *store.Store, table, id, pattern, before string) {
	r := plan.Rule{ID: id, Name: "Rule " + id, Match: plan.Match{Called: pattern}, Then: plan.Then{Path: "national"}}
	require.NoError(t, s.PutObject(ctx, plan.Object{Kind: plan.KindRule, ID: id, Name: r.Name, Table: table, Body: json.RawMessage(asJSON(t, r))}, before, nil))
}

// order returns the ids of the rules of the draft's second table.
func order(t *testing.T, s *store.Store) []string {
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	var ids []string
	for _, r := range d.Plan.Tables[1].Rules {
		ids = append(ids, r.ID)
	}
	return ids
}

func TestOrderOfRules(t *testing.T) {
	s, _ := withDemo(t)
	put(t, s, "outside", "first", "1x", "outside-emergency")
	put(t, s, "outside", "last", "2x", "")
	put(t, s, "outside", "third", "3x", "outside-national")
	assert.Equal(t, []string{"first", "outside-emergency", "third", "outside-national", "outside-mobile", "outside-freephone", "outside-abroad", "outside-premium", "outside-service", "outside-wrong", "last"}, order(t, s))

	require.NoError(t, s.MoveObject(ctx, plan.KindRule, "last", "first"))
	require.NoError(t, s.MoveObject(ctx, plan.KindRule, "third", ""))
	require.NoError(t, s.DeleteObject(ctx, plan.KindRule, "outside-premium"))
	want := []string{"last", "first", "outside-emergency", "outside-national", "outside-mobile", "outside-freephone", "outside-abroad", "outside-service", "outside-wrong", "third"}
	assert.Equal(t, want, order(t, s))
	goLive(t, s, 2)
	assert.Equal(t, want, order(t, s))
}

func TestManyRulesBetweenTwo(t *testing.T) {
	s, _ := withDemo(t)
	var want []string
	for i := range 60 { // more halvings than a gap has room for
		id := fmt.Sprintf("new-%02d", i)
		put(t, s, "outside", id, "1x", "outside-emergency")
		want = append(want, id)
	}
	assert.Equal(t, want, order(t, s)[:60], "each stands directly before the rule that it was put before")
}

func TestUndoneEditIsNoChange(t *testing.T) {
	s, p := withDemo(t)
	rule := p.Tables[1].Rules[1]
	put(t, s, "outside", rule.ID, "0x.", "")
	o := plan.Object{Kind: plan.KindRule, ID: rule.ID, Name: rule.Name, Table: "outside", Body: json.RawMessage(asJSON(t, rule))}
	require.NoError(t, s.PutObject(ctx, o, "", nil))
	put(t, s, "outside", "new", "1x", "")
	require.NoError(t, s.DeleteObject(ctx, plan.KindRule, "new"))
	changes, _, _, err := s.Changes(ctx)
	require.NoError(t, err)
	assert.Empty(t, changes)
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	r, err := s.GoLive(ctx, d.Version, "engineer", "")
	require.NoError(t, err)
	assert.Zero(t, r.Changes)
}

func TestDiscard(t *testing.T) {
	s, p := withDemo(t)
	put(t, s, "outside", "new", "1x", "")
	require.NoError(t, s.DeleteObject(ctx, plan.KindPath, "abroad"))
	require.NoError(t, s.DiscardDraft(ctx))
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	assert.Equal(t, asJSON(t, p), asJSON(t, d.Plan))
}

func TestGoLiveOfADraftThatMovedIsRefused(t *testing.T) {
	s, p := withDemo(t)
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	put(t, s, "outside", "new", "1x", "")
	_, err = s.GoLive(ctx, d.Version, "engineer", "")
	assert.ErrorIs(t, err, store.ErrDraftMoved)
	live, revision, err := s.Live(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 1, revision)
	assert.Equal(t, asJSON(t, p), asJSON(t, live))
}

func TestOfTwoGoLivesAtTheSameTimeOneWins(t *testing.T) {
	s, _ := withDemo(t)
	put(t, s, "outside", "new", "1x", "")
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	results := make(chan error, 4)
	for range 4 {
		go func() {
			_, err := s.GoLive(ctx, d.Version, "engineer", "")
			results <- err
		}()
	}
	won := 0
	for range 4 {
		if err := <-results; err == nil {
			won++
		} else {
			assert.ErrorIs(t, err, store.ErrDraftMoved)
		}
	}
	assert.Equal(t, 1, won)
	list, err := s.Revisions(ctx, 10)
	require.NoError(t, err)
	assert.Len(t, list, 2)
	assert.Equal(t, "a note", list[1].Note)
}

func TestUnknownObjects(t *testing.T) {
	s, _ := withDemo(t)
	assert.ErrorIs(t, s.DeleteObject(ctx, plan.KindRule, "nobody"), store.ErrNotFound)
	assert.ErrorIs(t, s.MoveObject(ctx, plan.KindRule, "nobody", ""), store.ErrNotFound)
	assert.ErrorIs(t, s.MoveObject(ctx, plan.KindRule, "outside-mobile", "nobody"), store.ErrNotFound)
	assert.ErrorIs(t, s.PutObject(ctx, plan.Object{Kind: plan.KindRule, ID: "x", Table: "nowhere", Body: json.RawMessage("{}")}, "", nil), store.ErrNotFound)
	_, err := s.Object(ctx, plan.KindRule, "nobody")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestAnEmptyStoreHasNoPlan(t *testing.T) {
	s := storetest.New(t)
	_, _, err := s.Live(ctx)
	assert.ErrorIs(t, err, store.ErrNotFound)
	_, err = store.Open(ctx, "nonsense")
	assert.ErrorContains(t, err, "DSN")
	_, err = store.Open(ctx, "a:b@tcp(127.0.0.1:9)/x")
	assert.ErrorContains(t, err, "127.0.0.1:9 cannot be reached")
}

func TestRevisionsAreKeptAndBroughtBack(t *testing.T) {
	s, first := withDemo(t)
	put(t, s, "outside", "outside-national", "0[12]xxxxxxxxx", "")
	require.NoError(t, s.DeleteObject(ctx, plan.KindRule, "outside-premium"))
	put(t, s, "outside", "new", "5x", "outside-emergency")
	goLive(t, s, 2)
	second, _, err := s.Live(ctx)
	require.NoError(t, err)
	require.NoError(t, s.MoveObject(ctx, plan.KindRule, "new", ""))
	goLive(t, s, 3)

	for id, want := range map[int64]plan.Plan{1: first, 2: second} {
		got, err := s.Revision(ctx, id)
		require.NoError(t, err)
		assert.Equal(t, asJSON(t, want), asJSON(t, got), "revision %d", id)
	}
	none, err := s.Revision(ctx, 0)
	require.NoError(t, err)
	assert.Empty(t, none.Trunks)
	_, err = s.Revision(ctx, 4)
	assert.ErrorIs(t, err, store.ErrNotFound)

	require.NoError(t, s.ReplaceDraft(ctx, second))
	r := goLive(t, s, 4)
	live, _, err := s.Live(ctx)
	require.NoError(t, err)
	assert.Equal(t, asJSON(t, second), asJSON(t, live))
	assert.LessOrEqual(t, r.Changes, 7, "only the list whose order changed is written")
}

func TestReplacingTheDraftByItselfChangesNothing(t *testing.T) {
	s, p := withDemo(t)
	require.NoError(t, s.ReplaceDraft(ctx, p))
	assert.Zero(t, goLive(t, s, 2).Changes)
}

func TestTheSecondSaveOfAStaleRowIsRefused(t *testing.T) {
	s, p := withDemo(t)
	rule := p.Tables[1].Rules[1]
	was := json.RawMessage(asJSON(t, rule))
	save := func(pattern string, was json.RawMessage) error {
		changed := rule
		changed.Match.Called = pattern
		return s.PutObject(ctx, plan.Object{Kind: plan.KindRule, ID: rule.ID, Name: rule.Name, Table: "outside", Body: json.RawMessage(asJSON(t, changed))}, "", was)
	}
	require.NoError(t, save("01x.", was))
	err := save("02x.", was)
	var stale *store.StaleError
	require.ErrorAs(t, err, &stale)
	assert.Contains(t, string(stale.Current.Body), "01x.")
	o, err := s.Object(ctx, plan.KindRule, rule.ID)
	require.NoError(t, err)
	assert.Contains(t, string(o.Body), "01x.", "nothing of the second save was written")
	require.NoError(t, save("02x.", stale.Current.Body), "against what stands there now it is no longer stale")
	require.NoError(t, s.DeleteObject(ctx, plan.KindRule, rule.ID))
	err = save("03x.", was)
	require.ErrorAs(t, err, &stale)
	assert.Nil(t, stale.Current)
}
