package compiled

import (
	"math"
	"slices"
)

// none stands for no element of a sequence.
const none = -1

// sequence keeps elements in an order in which new ones are put anywhere, and
// tells which of two stands first: a linked list whose elements carry growing
// labels. Where two labels leave no room all are spread out again, which is
// rare.
type sequence struct {
	label          []uint64
	next, previous []int
	first, last    int
	count          int
}

func newSequence(size int) *sequence {
	return &sequence{label: make([]uint64, size), next: make([]int, size), previous: make([]int, size), first: none, last: none}
}

// before tells whether a stands before b.
func (s *sequence) before(a, b int) bool { return s.label[a] < s.label[b] }

// insert puts i directly before another element, or at the end for none.
func (s *sequence) insert(i, before int) {
	after := s.last
	if before != none {
		after = s.previous[before]
	}
	s.next[i], s.previous[i] = before, after
	if after == none {
		s.first = i
	} else {
		s.next[after] = i
	}
	if before == none {
		s.last = i
	} else {
		s.previous[before] = i
	}
	s.count++
	if !s.squeeze(i) {
		s.spread()
	}
}

// squeeze gives i a label between those of its neighbours, if there is one.
func (s *sequence) squeeze(i int) bool {
	low, high := uint64(0), uint64(math.MaxUint64)
	if p := s.previous[i]; p != none {
		low = s.label[p]
	}
	if n := s.next[i]; n != none {
		high = s.label[n]
	} else if room := uint64(1) << 32; high-low > 2*room {
		high = low + 2*room // at the end the room is left for those to come
	}
	s.label[i] = low + (high-low)/2
	return s.label[i] != low
}

func (s *sequence) spread() {
	step := math.MaxUint64 / uint64(s.count+1)
	label := step
	for i := s.first; i != none; i = s.next[i] {
		s.label[i] = label
		label += step
	}
}

// order returns the elements from first to last.
func (s *sequence) order() []int {
	out := make([]int, 0, s.count)
	for i := s.first; i != none; i = s.next[i] {
		out = append(out, i)
	}
	return slices.Clip(out)
}
