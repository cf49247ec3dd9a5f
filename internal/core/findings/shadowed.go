package findings

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// ShadowedGroup is a caller group that can never act: those before it take all its
// callers.
type ShadowedGroup struct {
	Group trail.Ref   `json:"group"`
	By    []trail.Ref `json:"by" nullable:"false" doc:"Preceding groups that match its callers"`
	Text  string      `json:"text"`
}

// Shadowed are the caller groups that can never act. A call belongs to the first group
// that its trunk and its caller match. Errors are digits.ErrTooLarge.
func Shadowed(s *compiled.Graph) ([]ShadowedGroup, error) {
	out := []ShadowedGroup{}
	numbers := make([]digits.Set, len(s.Groups))
	acts := make([]bool, len(s.Groups)) // on some trunk
	stands := make([]bool, len(s.Groups))
	for i, g := range s.Groups {
		numbers[i] = g.Numbers()
	}
	for i := range s.Source.Trunks {
		if err := actsOn(s, s.Trunks[s.Source.Trunks[i].ID], numbers, stands, acts); err != nil {
			return out, err
		}
	}
	for i, g := range s.Groups {
		if acts[i] || !stands[i] {
			continue
		}
		by, err := takenBy(s, i, numbers)
		if err != nil {
			return out, inGroup(g, err)
		}
		if len(by) == 0 {
			continue // it takes nobody, with or without the others
		}
		var names []string
		for _, b := range by {
			names = append(names, b.Name)
		}
		out = append(out, ShadowedGroup{g.Ref, by, fmt.Sprintf("%s never applies: %s precedes it and matches all its callers", g.Name, strings.Join(names, " and "))})
	}
	return out, nil
}

func inGroup(g *compiled.Group, err error) error { return fmt.Errorf("callers of %s: %w", g.Name, err) }

// actsOn goes through the groups of a trunk in their order, with all callers that those before
// took: it marks the groups that stand there, and those to which a caller is left.
func actsOn(s *compiled.Graph, t *compiled.Trunk, numbers []digits.Set, stands, acts []bool) error {
	var taken digits.Set
	everybody := false // callers without a number too
	for i, g := range s.Groups {
		if !g.On(t) {
			continue
		}
		stands[i] = true
		if everybody {
			continue
		}
		if g.Callers == nil {
			acts[i], everybody = true, true
			continue
		}
		if !acts[i] && !numbers[i].Within(taken) {
			acts[i] = true
		}
		var err error
		if taken, err = taken.Union(numbers[i]); err != nil {
			return inGroup(g, err)
		}
	}
	return nil
}

// takenBy are the groups before one that share callers and a trunk with it.
func takenBy(s *compiled.Graph, place int, numbers []digits.Set) (by []trail.Ref, err error) {
	g := s.Groups[place]
	for b, before := range s.Groups[:place] {
		if !slices.ContainsFunc(s.Source.Trunks, func(t plan.Trunk) bool { return g.On(s.Trunks[t.ID]) && before.On(s.Trunks[t.ID]) }) {
			continue
		}
		both, err := numbers[place].Intersect(numbers[b])
		if err != nil {
			return nil, err
		}
		if !both.Empty() {
			by = append(by, before.Ref)
		}
	}
	return by, nil
}
