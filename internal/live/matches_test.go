package live

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestRuleMatchesOfADayOutlastTheProcess(t *testing.T) {
	now := time.Date(2026, 11, 23, 12, 30, 0, 0, time.UTC)
	r := NewRuleMatches(nil)
	r.Note([]string{"mobile"}, now.Add(-25*time.Hour))
	r.Note([]string{"mobile", "national"}, now.Add(-2*time.Hour))
	kept := r.Changed() // an hour that is kept before the next one begins
	r.Note([]string{"mobile"}, now)
	r.Note([]string{"mobile"}, now)
	calls, last := r.Of("mobile", now)
	assert.EqualValues(t, 3, calls, "what is older than a day does not count")
	assert.Equal(t, now, last)
	calls, last = r.Of("never", now)
	assert.Zero(t, calls)
	assert.True(t, last.IsZero())

	changed := r.Changed()
	assert.Len(t, changed, 1, "only what can have changed")
	assert.Empty(t, r.Changed())
	r.Again(changed)
	assert.Equal(t, changed, r.Changed())

	after := NewRuleMatches(append(kept, changed...))
	calls, last = after.Of("mobile", now)
	assert.EqualValues(t, 3, calls)
	assert.Equal(t, now, last)
	calls, _ = after.Of("national", now.Add(48*time.Hour))
	assert.Zero(t, calls)
}
