package store_test

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/store"
)

// The tests of the API have its database in memory. Whatever two people do to a draft, in
// any order, both databases say the same of it: seeded edits, moves, imports, undos and
// go-lives, and after each the whole draft, its changes and who made them are compared.
func TestTheMemoryOfTheAPIsTestsAnswersAsTheDatabase(t *testing.T) {
	for seed := range uint64(2) {
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) {
			r := rand.New(rand.NewPCG(seed, 17))
			db, p := withDemo(t)
			m, err := apitest.NewMemory("Skerry Line")
			require.NoError(t, err)
			by := store.By(ctx, "")
			require.NoError(t, m.ReplaceDraft(by, p))
			d, err := m.Draft(by)
			require.NoError(t, err)
			_, err = m.GoLive(d.Version, "engineer", "a note")
			require.NoError(t, err)
			done := map[string]int{}
			for step := range 50 {
				who := []string{"engineer", "colleague"}[r.IntN(2)]
				what, do := anEdit(t, r, db)
				done[what]++
				wanted, got := do(store.By(ctx, who), db), do(store.By(ctx, who), m)
				require.Equal(t, kind(wanted), kind(got), "step %d, %s by %s", step, what, who)
				same(t, db, m, fmt.Sprintf("after step %d, %s by %s", step, what, who))
				if r.IntN(20) == 0 {
					d, err := db.Draft(ctx)
					require.NoError(t, err)
					of, err := m.Draft(ctx)
					require.NoError(t, err)
					wanted, err := db.GoLive(ctx, d.Version, who, what)
					require.NoError(t, err)
					got, err := m.GoLive(of.Version, who, what)
					require.NoError(t, err)
					got.Created = wanted.Created
					require.Equal(t, wanted, got)
				}
			}
			assert.Positive(t, done["undo"])
		})
	}
}

// kind is what an error says, without what tells nothing here.
func kind(err error) string {
	var stale *store.StaleError
	if errors.As(err, &stale) && stale.Current != nil {
		return "stale: " + string(stale.Current.Body)
	}
	return fmt.Sprint(err)
}

// anEdit draws an edit of the draft as it stands.
func anEdit(t *testing.T, r *rand.Rand, db api.Drafts) (string, func(ctx context.Context, d api.Drafts) error) {
	d, err := db.Draft(ctx)
	require.NoError(t, err)
	p := d.Plan
	objects, err := plan.Objects(p)
	require.NoError(t, err)
	objects = slices.DeleteFunc(objects, func(o plan.Object) bool { return o.Kind == plan.KindNumbers })
	o := objects[r.IntN(len(objects))]
	other := objects[r.IntN(len(objects))]
	table := p.Tables[r.IntN(len(p.Tables))]
	rule := plan.Rule{ID: fmt.Sprint("new-", r.IntN(5)), Name: "New", Note: fmt.Sprint(r.IntN(3)), Match: plan.Match{Called: "5xx"}, Then: plan.Then{RejectCause: 21}}
	put := plan.Object{Kind: plan.KindRule, ID: rule.ID, Name: rule.Name, Table: table.ID, Body: body(t, rule)}
	before := ""
	if len(table.Rules) > 0 && r.IntN(2) == 0 {
		before = table.Rules[r.IntN(len(table.Rules))].ID
	}
	switch r.IntN(12) {
	case 0, 1, 2:
		return "put a rule", func(ctx context.Context, d api.Drafts) error { return d.PutObject(ctx, put, before, nil) }
	case 3:
		return "put over what may be another", func(ctx context.Context, d api.Drafts) error {
			changed := o
			changed.Name += "!"
			return d.PutObject(ctx, changed, "", other.Body)
		}
	case 4:
		return "move", func(ctx context.Context, d api.Drafts) error { return d.MoveObject(ctx, o.Kind, o.ID, other.ID) }
	case 5:
		return "move in a table", func(ctx context.Context, d api.Drafts) error {
			if len(table.Rules) == 0 {
				return nil
			}
			return d.MoveObject(ctx, plan.KindRule, table.Rules[len(table.Rules)-1].ID, before)
		}
	case 6:
		return "delete", func(ctx context.Context, d api.Drafts) error {
			if o.Kind == plan.KindTable { // its rules would be left over, which the API prevents
				return nil
			}
			return d.DeleteObject(ctx, o.Kind, o.ID)
		}
	case 7:
		first := fmt.Sprintf("+44207946%04d", r.IntN(10000))
		return "edit numbers", func(ctx context.Context, d api.Drafts) error {
			return d.EditNumbers(ctx, func(p plan.Plan) (inventory.List, error) {
				return p.Numbers.With([]inventory.Number{{First: first, State: inventory.Spare}}, nil)
			})
		}
	case 8:
		return "import", func(ctx context.Context, d api.Drafts) error {
			fresh, err := demo.Plan()
			if err == nil {
				fresh.Tables[0].Rules = slices.Clone(fresh.Tables[0].Rules)
				slices.Reverse(fresh.Tables[0].Rules)
				err = d.ReplaceDraft(ctx, fresh)
			}
			return err
		}
	case 9:
		return "discard", func(ctx context.Context, d api.Drafts) error { return d.DiscardDraft(ctx) }
	}
	return "undo", func(ctx context.Context, d api.Drafts) error { return d.Undo(ctx) }
}

func body(t *testing.T, v any) json.RawMessage { return json.RawMessage(asJSON(t, v)) }

// same compares all that is said of a draft.
func same(t *testing.T, db, m api.Drafts, when string) {
	wanted, err := db.Draft(ctx)
	require.NoError(t, err)
	got, err := m.Draft(ctx)
	require.NoError(t, err)
	require.Equal(t, asJSON(t, wanted.Plan), asJSON(t, got.Plan), when)
	changes, n, _, err := db.Changes(ctx)
	require.NoError(t, err)
	others, of, _, err := m.Changes(ctx)
	require.NoError(t, err)
	require.ElementsMatch(t, changes, others, when)
	require.Equal(t, n, of, when)
	by, err := db.Authors(ctx)
	require.NoError(t, err)
	as, err := m.Authors(ctx)
	require.NoError(t, err)
	require.Equal(t, by, as, when)
	for _, who := range []string{"engineer", "colleague"} {
		n, err := db.Undoable(store.By(ctx, who))
		require.NoError(t, err)
		of, err := m.Undoable(store.By(ctx, who))
		require.NoError(t, err)
		require.Equal(t, n, of, when)
	}
}
