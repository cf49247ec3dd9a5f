package decide

import (
	"cmp"
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/plan"
)

// inTurn puts the choices of a path in the order in which this call tries them.
func (e *Evaluation) inTurn(p *pathNode) (turn [plan.MaxChoices]uint8) {
	n := len(p.choices)
	for i := range n {
		turn[i] = uint8(i)
	}
	switch {
	case p.Order == plan.CheapestFirst:
		slices.SortStableFunc(turn[:n], func(a, b uint8) int {
			return cmp.Compare(p.choices[a].trunk.CostRank, p.choices[b].trunk.CostRank)
		})
	case e.numbers == nil || n < 2:
	case p.Order == plan.RoundRobin:
		first := int(e.numbers.Turn(p.ID) % uint64(n))
		for i := range n {
			turn[i] = uint8((first + i) % n)
		}
	case p.Order == plan.ByWeight:
		for i := range n - 1 {
			at := i + p.drawn(turn[i:n], e.numbers.Draw())
			turn[i], turn[at] = turn[at], turn[i]
			slices.Sort(turn[i+1 : n]) // what is left stays as listed
		}
	}
	return turn
}

// drawn picks one of some choices by their weights.
func (p *pathNode) drawn(left []uint8, draw uint64) int {
	total := 0
	for _, i := range left {
		total += p.choices[i].weight
	}
	rest := int(draw % uint64(total))
	for at, i := range left {
		if rest -= p.choices[i].weight; rest < 0 {
			return at
		}
	}
	return len(left) - 1
}

// first says which choice begins and why, where that is not as listed.
func (e *Evaluation) first(p *pathNode) string {
	name := p.choices[e.hunt.turn[0]].trunk.Name
	switch p.Order {
	case plan.CheapestFirst:
		return fmt.Sprintf("cheapest first: %s has cost rank %d", name, p.choices[e.hunt.turn[0]].trunk.CostRank)
	case plan.RoundRobin:
		return fmt.Sprintf("round robin: it is the turn of %s", name)
	case plan.ByWeight:
		return fmt.Sprintf("by weight: %s was drawn", name)
	}
	return ""
}
