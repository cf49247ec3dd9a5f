package decide

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/trail"
)

// ShadowedGroup is a caller group that can never act: those before it take all its
// callers.
type ShadowedGroup struct {
	Group trail.Ref   `json:"group"`
	By    []trail.Ref `json:"by" nullable:"false" doc:"The groups before it that take its callers"`
	Text  string      `json:"text"`
}

// Shadowed are the caller groups that can never act. A call belongs to the first group
// that its trunk and its caller match. Errors are digits.ErrTooLarge.
func (s *Snapshot) Shadowed() ([]ShadowedGroup, error) {
	out := []ShadowedGroup{}
	for i, g := range s.groups {
		by, all, err := s.takenFrom(g, s.groups[:i])
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
		out = append(out, ShadowedGroup{g.ref, by, fmt.Sprintf("%s never acts: %s comes first and matches all its callers", g.Name, strings.Join(names, " and "))})
	}
	return out, nil
}

// takenFrom are the groups that take callers of a group which stands behind them; all
// tells whether they take every one.
func (s *Snapshot) takenFrom(g *groupNode, before []*groupNode) (by []trail.Ref, all bool, err error) {
	some := false
	for i := range s.plan.Trunks {
		t := s.trunks[s.plan.Trunks[i].ID]
		if !g.on(t) {
			continue
		}
		some = true
		left := g.numbers()
		nobody := g.callers == nil // a caller without a number is left too
		for _, b := range before {
			if !b.on(t) {
				continue
			}
			if b.callers == nil {
				left, nobody = digits.Set{}, false
			}
			both, err := g.numbers().Intersect(b.numbers())
			if err == nil {
				left, err = left.Minus(b.numbers())
			}
			if err != nil {
				return nil, false, err
			}
			if !both.Empty() && !slices.Contains(by, b.ref) {
				by = append(by, b.ref)
			}
		}
		if nobody || !left.Empty() {
			return nil, false, nil
		}
	}
	return by, some && len(by) > 0, nil
}

// on tells whether calls by a trunk can belong to the group.
func (g *groupNode) on(t *trunkNode) bool {
	return len(g.Trunks) == 0 || slices.Contains(g.Trunks, t.ID)
}

// numbers are the callers of a group that have a number.
func (g *groupNode) numbers() digits.Set {
	if g.callers == nil {
		return digits.Any()
	}
	return g.callers.Nonempty().Set()
}
