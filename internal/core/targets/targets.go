// Package targets puts the servers of a far end in the order in which they are
// tried (RFC 2782, used by RFC 3263 section 4.3).
//
// It never looks a name up and sends nothing; chance comes in as numbers.
package targets

import "slices"

// Target is one server.
type Target struct {
	Address  string // address and port
	Priority int    // lower is tried first
	Weight   int    // share among those of one priority; 0 is taken seldom
}

// Order puts targets in turn: by priority, and among those of one by chance
// according to their weights. draw returns a number from 0 to n-1, n being at
// least 1.
func Order(list []Target, draw func(n int) int) []Target {
	left := slices.Clone(list)
	slices.SortStableFunc(left, func(a, b Target) int { return a.Priority - b.Priority })
	out := make([]Target, 0, len(left))
	for len(left) > 0 {
		same := 1
		for same < len(left) && left[same].Priority == left[0].Priority {
			same++
		}
		i := pick(left[:same], draw)
		out = append(out, left[i])
		left = slices.Delete(left, i, i+1)
	}
	return out
}

// pick chooses one of a priority: those of weight 0 stand first, and the first whose
// running sum reaches a random number is taken.
func pick(list []Target, draw func(n int) int) int {
	order := make([]int, 0, len(list))
	sum := 0
	for i, t := range list {
		if t.Weight == 0 {
			order = append(order, i)
		}
		sum += t.Weight
	}
	for i, t := range list {
		if t.Weight > 0 {
			order = append(order, i)
		}
	}
	n, running := draw(sum+1), 0
	for _, i := range order {
		if running += list[i].Weight; running >= n {
			return i
		}
	}
	return order[len(order)-1]
}
