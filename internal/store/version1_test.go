package store_test

import (
	"context"
	"database/sql"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

// version1Database is the demo's database as the commit before version 2 left it: two revisions, a
// draft with two edits, an override and calls. Its messages, people and secrets are left out.
func version1Database(t *testing.T) (*store.Store, *sql.DB) {
	dsn := storetest.Empty(t)
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	t.Cleanup(func() { db.Close() })
	text, err := io.ReadAll(calltest.Version1(t, "demo.sql.gz"))
	require.NoError(t, err)
	for _, statement := range strings.Split(string(text), ";\n") {
		if strings.TrimSpace(statement) != "" {
			_, err := db.Exec(statement)
			require.NoError(t, err, "%.200s", statement)
		}
	}
	return open(t, dsn), db
}

func open(t *testing.T, dsn string) *store.Store {
	s, err := store.Open(context.Background(), dsn)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

func TestADatabaseOfVersion1ComesUpUnharmed(t *testing.T) {
	s, db := version1Database(t)
	// A message of each leg, which the copy of the database leaves out.
	_, err := db.Exec(`INSERT INTO messages (segment, place, length, switch_id, seq, at, outbound, local_addr, remote_addr, leg_call_id)
		SELECT 1, 100 * ROW_NUMBER() OVER (), 99, c.switch_id, ROW_NUMBER() OVER (), c.started_at, 0, '127.0.10.1:5060', '127.0.20.1:5060', l.leg_call_id
		FROM call_legs l JOIN calls c ON c.id = l.call_id`)
	require.NoError(t, err)
	_, err = s.Migrate(ctx)
	require.NoError(t, err)

	want, err := document.Read(calltest.Version1(t, "live.json.gz"))
	require.NoError(t, err)
	live, revision, err := s.Live(ctx)
	require.NoError(t, err)
	assert.EqualValues(t, 2, revision)
	assert.JSONEq(t, asJSON(t, want), asJSON(t, live))

	wantDraft, err := document.Read(calltest.Version1(t, "draft.json.gz"))
	require.NoError(t, err)
	d, err := s.Draft(ctx)
	require.NoError(t, err)
	assert.JSONEq(t, asJSON(t, wantDraft), asJSON(t, d.Plan))
	changes, _, err := plan.Diff(live, d.Plan)
	require.NoError(t, err)
	assert.Len(t, changes, 2)

	// The revision before differs from the live one in what was changed there.
	before, err := s.Revision(ctx, 1)
	require.NoError(t, err)
	changes, _, err = plan.Diff(before, live)
	require.NoError(t, err)
	require.Len(t, changes, 1)
	assert.Equal(t, plan.Key{Kind: plan.KindTrunk, ID: "ostrel"}, plan.Key{Kind: changes[0].Kind, ID: changes[0].ID})

	overrides, err := s.Overrides(ctx, time.Time{})
	require.NoError(t, err)
	require.Len(t, overrides, 1)

	require.NoError(t, s.SummarizeCalls(ctx))
	calls, err := s.FindCalls(ctx, record.Query{}, 10)
	require.NoError(t, err)
	require.Len(t, calls, 3)
	for _, listed := range calls {
		c, err := s.Call(ctx, listed.ID)
		require.NoError(t, err)
		assert.Equal(t, record.Summarize(c), listed)
		require.NotEmpty(t, c.Trail)
		assert.NotEmpty(t, c.Trail[0].Received.Called.Format, c.ID)
		require.NotEmpty(t, c.Legs)
		for _, leg := range c.Legs {
			assert.NotEmpty(t, leg.Key, c.ID)
			assert.Equal(t, record.LegID("sip", leg.Key), leg.ID, "the migration names legs as the product does")
		}
		found, err := s.CallByLeg(ctx, c.Legs[0].ID)
		require.NoError(t, err)
		assert.Equal(t, c.ID, found.ID)
		messages, err := s.Messages(ctx, c)
		require.NoError(t, err)
		assert.Len(t, messages, len(c.Legs), c.ID)
	}

	author := store.By(ctx, "engineer")
	require.NoError(t, s.Undo(author))
	require.NoError(t, s.Undo(author))
	d, err = s.Draft(ctx)
	require.NoError(t, err)
	assert.JSONEq(t, asJSON(t, live), asJSON(t, d.Plan), "what was edited before the upgrade is undone after it")

	n, err := s.Migrate(ctx)
	require.NoError(t, err)
	assert.Zero(t, n, "an upgrade is done once")
}

// An old row that says the same as a new one is the same row, so that no change is seen in it.
func TestAnUpgradedRowIsWrittenAsANewOne(t *testing.T) {
	s, db := version1Database(t)
	_, err := s.Migrate(ctx)
	require.NoError(t, err)
	live, _, err := s.Live(ctx)
	require.NoError(t, err)
	require.NoError(t, s.ReplaceDraft(ctx, live))
	var rows int
	require.NoError(t, db.QueryRow(`SELECT COUNT(*) FROM draft_rows`).Scan(&rows))
	assert.Zero(t, rows)
}

// A row that does not fit its version stops the upgrade with its name and the place in it, and
// nothing of the plan is changed.
func TestAnUnknownFieldStopsTheUpgrade(t *testing.T) {
	s, db := version1Database(t)
	_, err := db.Exec(`UPDATE plan_rows SET body = JSON_INSERT(body, '$.in.colour', 'red') WHERE kind = 'trunk' AND id = 'tamarack'`)
	require.NoError(t, err)
	_, err = s.Migrate(ctx)
	assert.ErrorContains(t, err, "upgrade plan_rows: trunk tamarack")
	assert.ErrorContains(t, err, "/in/colour: there is no such field here")
	var upgraded int
	require.NoError(t, db.QueryRow(`SELECT COUNT(*) FROM plan_rows WHERE version = 2`).Scan(&upgraded))
	assert.Zero(t, upgraded)
	_, err = db.Exec(`UPDATE plan_rows SET body = JSON_REMOVE(body, '$.in.colour') WHERE kind = 'trunk' AND id = 'tamarack'`)
	require.NoError(t, err)
	_, err = s.Migrate(ctx)
	require.NoError(t, err, "once it is mended, the upgrade goes on")
}

// A field that this version does not know is no reason to lose it: the plan is not read.
func TestAnUnknownFieldOfTheLivePlanIsRefused(t *testing.T) {
	dsn := storetest.DSN(t)
	s := open(t, dsn)
	_, err := s.Migrate(ctx)
	require.NoError(t, err)
	_, err = s.Begin(ctx, "Skerry Line")
	require.NoError(t, err)
	p, err := demo.Plan()
	require.NoError(t, err)
	_, err = s.Install(ctx, p, "engineer", "")
	require.NoError(t, err)
	_, err = s.DB().Exec(`UPDATE plan_rows SET body = JSON_INSERT(body, '$.colour', 'red') WHERE kind = 'trunk' AND id = 'tamarack'`)
	require.NoError(t, err)
	_, _, err = open(t, dsn).Live(ctx)
	assert.ErrorContains(t, err, "trunk tamarack")
	assert.ErrorContains(t, err, "colour")
}
