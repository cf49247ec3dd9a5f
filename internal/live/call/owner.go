package call

import "sync"

// owner runs what happens to one call, in order. It costs nothing while nothing happens: who
// brings the first thing begins a goroutine that runs until nothing is left.
type owner struct {
	mu      sync.Mutex
	queue   []func()
	running bool
}

// post has something run behind all that was posted before. It never waits.
func (o *owner) post(f func()) {
	o.mu.Lock()
	o.queue = append(o.queue, f)
	begin := !o.running
	o.running = true
	o.mu.Unlock()
	if begin {
		go o.run()
	}
}

func (o *owner) run() {
	for {
		o.mu.Lock()
		list := o.queue
		o.queue = nil
		if len(list) == 0 {
			o.running = false
			o.mu.Unlock()
			return
		}
		o.mu.Unlock()
		for _, f := range list {
			f()
		}
	}
}
