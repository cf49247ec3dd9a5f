package call

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
)

// A leg is handed from one call to another while things happen to it: each is taken once, in its
// order, by the first call before and by the second behind the arrival.
func TestNothingIsLostWhenALegIsHandedOver(t *testing.T) {
	const things = 1000
	for range 20 {
		from, to, h := &Call{}, &Call{}, &Handle{}
		h.call.Store(from)
		arrived, last, wrong := false, -1, 0 // of the owner whose turn it is
		var taken sync.WaitGroup
		taken.Add(things)
		go from.owner.post(func() {
			from.owner.handOver(h, to, func() { arrived = true })
		})
		for i := range things {
			h.Post(func() {
				if (h.call.Load() == to) != arrived || last != i-1 {
					wrong++
				}
				last = i
				taken.Done()
			})
		}
		taken.Wait()
		assert.Zero(t, wrong)
		assert.Equal(t, things-1, last)
	}
}
