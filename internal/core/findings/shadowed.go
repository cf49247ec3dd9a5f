package findings

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
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
	for i, g := range s.Groups {
		by, all, err := takenFrom(s, g, s.Groups[:i])
		if err != nil {
			return out, fmt.Errorf("callers of %s: %w", g.Name, err)
		}
		if !all {
			continue
		}
		var names []string
		for _, b := range by {
			names = append(names, b.Name)
		}
		out = append(out, ShadowedGroup{g.Ref, by, fmt.Sprintf("%s never applies: %s precedes it and matches all its callers", g.Name, strings.Join(names, " and "))})
	}
	return out, nil
}

// takenFrom are the groups that take callers of a group which stands behind them; all
// tells whether they take every one.
func takenFrom(s *compiled.Graph, g *compiled.Group, before []*compiled.Group) (by []trail.Ref, all bool, err error) {
	some := false
	for i := range s.Source.Trunks {
		t := s.Trunks[s.Source.Trunks[i].ID]
		if !g.On(t) {
			continue
		}
		some = true
		left := g.Numbers()
		nobody := g.Callers == nil // a caller without a number is left too
		for _, b := range before {
			if !b.On(t) {
				continue
			}
			if b.Callers == nil {
				left, nobody = digits.Set{}, false
			}
			both, err := g.Numbers().Intersect(b.Numbers())
			if err == nil {
				left, err = left.Minus(b.Numbers())
			}
			if err != nil {
				return nil, false, err
			}
			if !both.Empty() && !slices.Contains(by, b.Ref) {
				by = append(by, b.Ref)
			}
		}
		if nobody || !left.Empty() {
			return nil, false, nil
		}
	}
	return by, some && len(by) > 0, nil
}
