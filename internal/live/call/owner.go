package call

import "sync"

// owner runs what happens to one call, in order. It costs nothing while nothing happens: who
// brings the first thing begins a goroutine that runs until nothing is left.
type owner struct {
	mu      sync.Mutex
	queue   []task
	running bool
}

// task is something that happens, to a leg or to the call itself.
type task struct {
	h   *Handle // nil for the call
	run func()
}

// post has something run behind all that was posted before. It never waits.
func (o *owner) post(f func()) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.put(task{run: f})
}

// postFor is post for a leg; false if the leg is of another call by now.
func (o *owner) postFor(h *Handle, f func()) bool {
	o.mu.Lock()
	defer o.mu.Unlock()
	if &h.call.Load().owner != o {
		return false
	}
	o.put(task{h, f})
	return true
}

// put queues tasks; the lock is held.
func (o *owner) put(list ...task) {
	o.queue = append(o.queue, list...)
	if !o.running {
		o.running = true
		go o.work()
	}
}

func (o *owner) work() {
	for {
		o.mu.Lock()
		if len(o.queue) == 0 {
			o.queue, o.running = nil, false
			o.mu.Unlock()
			return
		}
		next := o.queue[0]
		o.queue[0] = task{}
		o.queue = o.queue[1:]
		o.mu.Unlock()
		next.run()
	}
}

// handing lets one leg go from call to call at a time, since that takes the locks of both.
var handing sync.Mutex

// handOver gives a leg to another call: it arrives there first, and then what waited for it here
// comes, in its order. What is posted from now on comes behind that. It runs as a task of o.
func (o *owner) handOver(h *Handle, to *Call, arrive func()) {
	handing.Lock()
	defer handing.Unlock()
	o.mu.Lock()
	defer o.mu.Unlock()
	to.owner.mu.Lock()
	defer to.owner.mu.Unlock()
	moved := []task{{run: arrive}}
	kept := o.queue[:0]
	for _, t := range o.queue {
		if t.h == h {
			moved = append(moved, t)
		} else {
			kept = append(kept, t)
		}
	}
	o.queue = kept
	h.call.Store(to)
	to.owner.put(moved...)
}
