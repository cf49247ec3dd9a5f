package live

import (
	"sync"

	"switchback.example/switchback/internal/core/standing"
)

// MaxDeeds is how many deeds wait while the database is away; past it the newest are lost, and
// counted, so that what led to it stays.
const MaxDeeds = 10_000

// Journal holds deeds until they are kept. It is safe for concurrent use.
type Journal struct {
	mu    sync.Mutex
	waits []standing.Deed
	lost  int64
}

// Say notes a deed; false if it cannot wait any more.
func (j *Journal) Say(d standing.Deed) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	if len(j.waits) >= MaxDeeds {
		j.lost++
		return false
	}
	j.waits = append(j.waits, d)
	return true
}

// Changed takes the deeds that wait, the oldest first.
func (j *Journal) Changed() []standing.Deed {
	j.mu.Lock()
	defer j.mu.Unlock()
	list := j.waits
	j.waits = nil
	return list
}

// Again says that what Changed returned could not be kept.
func (j *Journal) Again(list []standing.Deed) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.waits = append(list, j.waits...)
}

// Waiting is how many wait, and how many were lost.
func (j *Journal) Waiting() (waits int, lost int64) {
	j.mu.Lock()
	defer j.mu.Unlock()
	return len(j.waits), j.lost
}
