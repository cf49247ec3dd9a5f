package sip

import "sync"

// work counts what must end before the agent may leave: calls, and the BYEs
// that outlive them. Unlike a sync.WaitGroup it may grow while it is waited
// for, as it does when a stop makes calls send BYE.
type work struct {
	mu    sync.Mutex
	count int
	empty chan struct{} // closed when count is 0; nil while nobody waits
}

func (w *work) begin() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.count++
}

func (w *work) end() {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.count--
	w.signal()
}

// drained returns a channel that is closed once nothing is left.
func (w *work) drained() <-chan struct{} {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.empty = make(chan struct{})
	done := w.empty
	w.signal()
	return done
}

func (w *work) signal() {
	if w.count == 0 && w.empty != nil {
		close(w.empty)
		w.empty = nil
	}
}
