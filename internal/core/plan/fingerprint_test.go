package plan_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
)

// What a check hangs on changes its fingerprint, and nothing else does.
func TestFingerprintsFollowWhatAnObjectGoesBy(t *testing.T) {
	p, err := demo.Plan()
	require.NoError(t, err)
	p.Tables[0].Rules[0].Match.When = plan.When{Calendar: "office", States: []string{"day"}}
	managers := plan.Key{Kind: plan.KindCallerGroup, ID: "managers"}
	crew := plan.Key{Kind: plan.KindCallerGroup, ID: "crew"}
	timed := plan.Key{Kind: plan.KindTable, ID: p.Tables[0].ID}
	plain := plan.Key{Kind: plan.KindTable, ID: p.Tables[1].ID}
	before := map[plan.Key]string{}
	for _, k := range []plan.Key{managers, crew, timed, plain} {
		before[k] = plan.NewIndex(p).Fingerprint(k)
		require.NotEmpty(t, before[k])
	}
	p.Calendars = slices.Clone(p.Calendars)
	p.Calendars[0].DefaultState = "closed"
	after := plan.NewIndex(p)
	assert.NotEqual(t, before[managers], after.Fingerprint(managers), "they may call abroad by that calendar")
	assert.NotEqual(t, before[timed], after.Fingerprint(timed), "a rule of it goes by the calendar")
	assert.Equal(t, before[crew], after.Fingerprint(crew))
	assert.Equal(t, before[plain], after.Fingerprint(plain))
	assert.Empty(t, after.Fingerprint(plan.Key{Kind: plan.KindTrunk, ID: "gone"}))
}
