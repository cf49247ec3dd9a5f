package call

import "sync"

// Work counts what must end before the agent may leave: calls, and the BYEs
// that outlive them. Unlike a sync.WaitGroup it may grow while it is waited
// for, as it does when a stop makes calls send BYE.
type Work struct {
	mu    sync.Mutex
	count int
	empty chan struct{} // closed when count is 0; nil while nobody waits
}

// Begin counts one more.
func (w *Work) Begin() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.count++
}

// End counts one less.
func (w *Work) End() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.count--
	w.signal()
}

// Drained returns a channel that is closed once nothing is left.
func (w *Work) Drained() <-chan struct{} {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.empty = make(chan struct{})
	done := w.empty
	w.signal()
	return done
}

func (w *Work) signal() {
	if w.count == 0 && w.empty != nil {
		close(w.empty)
		w.empty = nil
	}
}
