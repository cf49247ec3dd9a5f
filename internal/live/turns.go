package live

import (
	"math/rand/v2"
	"sync"
)

// Turns counts the calls that took each path, and draws numbers. It is safe for
// concurrent use, and starts anew with the process.
type Turns struct {
	mu    sync.Mutex
	taken map[string]uint64
}

// NewTurns returns turns of which none was taken.
func NewTurns() *Turns { return &Turns{taken: map[string]uint64{}} }

// Draw implements decide.Numbers.
func (t *Turns) Draw() uint64 { return rand.Uint64() }

// Turn implements decide.Numbers: asking is taking the turn.
func (t *Turns) Turn(path string) uint64 {
	t.mu.Lock()
	defer t.mu.Unlock()
	turn := t.taken[path]
	t.taken[path] = turn + 1
	return turn
}
