package plan

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// The formula of the model, worked by hand for ten channels of which two are kept
// for emergency calls, three for calls in and one for calls out.
func TestChannelsAreAdmittedByTheFormula(t *testing.T) {
	k := Reserved{Emergency: 2, In: 3, Out: 1}
	for _, c := range []struct {
		name           string
		use            Use
		out, emergency bool
		want           bool
	}{
		{"the fifth out", Use{Out: 4}, true, false, true},                 // 4 < 10-2-3
		{"the sixth out", Use{Out: 5}, true, false, false},                // 5 = 10-2-3
		{"one came in meanwhile", Use{In: 1, Out: 5}, true, false, false}, // 6 = 10-2-(3-1)
		{"all that was kept came in", Use{In: 3, Out: 4}, true, false, true},
		{"the seventh in", Use{In: 6}, false, false, true},       // 6 < 10-2-1
		{"the eighth in", Use{In: 7}, false, false, false},       // 7 = 10-2-1
		{"with one out", Use{In: 6, Out: 1}, false, false, true}, // 7 < 10-2
		{"an emergency call takes what is kept", Use{In: 7, Out: 1}, true, true, true},
		{"but there must be one", Use{In: 8, Out: 2}, true, true, false},
		{"what emergency calls took is not kept again", Use{In: 3, Out: 5, Emergency: 1}, true, false, true}, // 8 < 10-1
	} {
		assert.Equal(t, c.want, k.Admits(10, c.use, c.out, c.emergency), c.name)
	}
	assert.Contains(t, k.Lacking(10, Use{In: 10}, true), "all channels")
	assert.Contains(t, k.Lacking(10, Use{Out: 5}, true), "other direction")
	assert.Equal(t, "the free channels are kept for emergency calls", k.Lacking(10, Use{In: 3, Out: 5}, true))
}
