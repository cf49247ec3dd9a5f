package compiled

import (
	"slices"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

// Path is a path with its choices in the order of the plan.
type Path struct {
	plan.Path
	Ref   trail.Ref
	Tries []Choice
}

// Choice is one choice of a path. Its weight is 1 at least.
type Choice struct {
	Trunk                    *Trunk
	weight                   int
	CalledSteps, CallerSteps []rewrite.Compiled
}

func (s *Graph) compilePath(p plan.Path) *Path {
	p.Timers = p.Timers.OrDefault()
	n := &Path{Path: p, Ref: trail.Ref{Kind: "path", ID: p.ID, Name: p.Name}}
	for _, c := range p.Choices {
		n.Tries = append(n.Tries, Choice{s.Trunks[c.Trunk], max(1, c.Weight), compileSteps(c.CalledSteps), compileSteps(c.CallerSteps)})
	}
	return n
}

// GoesOn tells whether the path tries its next choice after a cause.
func (p *Path) GoesOn(q cause.Q850) bool {
	switch {
	case slices.Contains(p.StopCauses, int(q)):
		return false
	case slices.Contains(p.FailoverCauses, int(q)):
		return true
	}
	return cause.GoesOn(q)
}

// Inside tells whether every choice of a path is a phone system or an application.
func (p *Path) Inside() bool {
	return !slices.ContainsFunc(p.Tries, func(c Choice) bool { return c.Trunk.Outside || c.Trunk.OppositeTrunk != "" })
}

// Drawn picks one of some choices by their weights.
func (p *Path) Drawn(left []uint8, draw uint64) int {
	total := 0
	for _, i := range left {
		total += p.Tries[i].weight
	}
	rest := int(draw % uint64(total))
	for at, i := range left {
		if rest -= p.Tries[i].weight; rest < 0 {
			return at
		}
	}
	return len(left) - 1
}
