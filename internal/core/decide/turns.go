package decide

import (
	"cmp"
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/plan"
)

// inTurn puts the choices of a path in the order in which this call tries them.
func (e *Evaluation) inTurn(p *compiled.Path) (turn [plan.MaxChoices]uint8) {
	n := len(p.Tries)
	for i := range n {
		turn[i] = uint8(i)
	}
	switch {
	case p.Order == plan.CheapestFirst:
		slices.SortStableFunc(turn[:n], func(a, b uint8) int {
			return cmp.Compare(p.Tries[a].Trunk.CostRank, p.Tries[b].Trunk.CostRank)
		})
	case e.numbers == nil || n < 2:
	case p.Order == plan.RoundRobin:
		first := int(e.numbers.Turn(p.ID) % uint64(n))
		for i := range n {
			turn[i] = uint8((first + i) % n)
		}
	case p.Order == plan.ByWeight:
		for i := range n - 1 {
			at := i + p.Drawn(turn[i:n], e.numbers.Draw())
			turn[i], turn[at] = turn[at], turn[i]
			slices.Sort(turn[i+1 : n]) // what is left stays as listed
		}
	}
	return turn
}

// first says which choice begins and why, where that is not as listed.
func (e *Evaluation) first(p *compiled.Path) string {
	name := p.Tries[e.hunt.turn[0]].Trunk.Name
	switch p.Order {
	case plan.CheapestFirst:
		return fmt.Sprintf("least cost: %s has rank %d", name, p.Tries[e.hunt.turn[0]].Trunk.CostRank)
	case plan.RoundRobin:
		return fmt.Sprintf("round robin: %s is next", name)
	case plan.ByWeight:
		return fmt.Sprintf("by weight: %s", name)
	}
	return ""
}
