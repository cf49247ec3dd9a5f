package live

import (
	"fmt"
	"math/rand/v2"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A seeded flood over two days: no attempt within the last day is lost, none before it is
// counted, and what is kept stays bounded whatever is sent.
func TestAttemptsOfADayAreCounted(t *testing.T) {
	var a Attempts
	r := rand.New(rand.NewPCG(18, 18))
	at := time.Date(2026, 3, 1, 0, 0, 0, 0, time.UTC)
	type attempt struct {
		at     time.Time
		target string
	}
	var all []attempt
	for range 20_000 {
		at = at.Add(time.Duration(r.IntN(17)) * time.Second)
		target := fmt.Sprint(r.IntN(30))
		all = append(all, attempt{at, target})
		a.Note(at, fmt.Sprintf("agent %d", r.IntN(5000)), target)
	}
	var want, got int64
	targets := map[string]int64{}
	for _, one := range all {
		if at.Sub(one.at.Truncate(AttemptSlot)) < AttemptsFor {
			want++
			targets[one.target]++
		}
	}
	h := a.History(at, 10)
	for i, s := range h.Slots {
		got += s.Count
		require.True(t, i == 0 || s.From.After(h.Slots[i-1].From))
	}
	assert.Equal(t, want, got)
	require.Len(t, h.Targets, 10)
	for i, tally := range h.Targets {
		assert.Equal(t, targets[tally.Name], tally.Count)
		require.True(t, i == 0 || tally.Count <= h.Targets[i-1].Count, "the most first")
	}
	assert.LessOrEqual(t, len(a.slots), int(AttemptsFor/AttemptSlot)+1)
	for _, s := range a.slots {
		assert.LessOrEqual(t, len(s.agents), maxAttemptNames)
	}
	assert.Empty(t, a.History(at.Add(AttemptsFor+AttemptSlot), 10).Slots, "a day later nothing is left")
}

// A clock that is put back neither loses attempts nor opens a second slot for a time.
func TestAttemptsSurviveAClockPutBack(t *testing.T) {
	var a Attempts
	at := time.Date(2026, 3, 1, 12, 0, 0, 0, time.UTC)
	a.Note(at, "", "100")
	a.Note(at.Add(-3*time.Hour), "", "100")
	assert.Equal(t, []AttemptCount{{at, 2}}, a.History(at, 5).Slots)
}
