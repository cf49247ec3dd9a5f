package compiled

import (
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Group is a caller group with its callers, nil for all, and its own first table, nil for none.
type Group struct {
	plan.CallerGroup
	Ref     trail.Ref
	Callers *digits.Pattern
	Table   *Table
}

func (s *Graph) addGroups(p plan.Plan) {
	s.calendars = map[calendarKey]*hours.Calendar{}
	s.CalendarNames = map[string]string{}
	for _, h := range p.Calendars {
		s.CalendarNames[h.ID] = h.Name
		for _, sw := range p.Switches {
			s.calendars[calendarKey{h.ID, sw.ID}] = h.Compile(sw.Region.TimeZone)
		}
	}
	for _, g := range p.CallerGroups {
		s.Groups = append(s.Groups, &Group{CallerGroup: g, Ref: trail.Ref{Kind: "callerGroup", ID: g.ID, Name: g.Name}, Callers: optionalPattern(g.CallerPattern)})
	}
}

// groupOf is the first group that a trunk and a caller belong to; nil for none.
func (s *Graph) Group(trunk string, caller digits.Number) *Group {
	for _, g := range s.Groups {
		if len(g.Trunks) > 0 && !slices.Contains(g.Trunks, trunk) {
			continue
		}
		if g.Callers == nil || !caller.Empty() && g.Callers.Matches(caller) {
			return g
		}
	}
	return nil
}

// GroupOf is the group of a caller by a trunk; ok is false if it is in none.
func (s *Graph) GroupOf(trunk string, caller digits.Number) (g trail.Ref, ok bool) {
	if n := s.Group(trunk, caller); n != nil {
		return n.Ref, true
	}
	return g, false
}

// Ungrouped are the trunks by which somebody can call who is in no group; none where the
// plan has no groups.
func (s *Graph) Ungrouped() []trail.Ref {
	out := []trail.Ref{}
	for i := range s.Source.Trunks {
		t := s.Trunks[s.Source.Trunks[i].ID]
		all := slices.ContainsFunc(s.Groups, func(g *Group) bool {
			return g.Callers == nil && (len(g.Trunks) == 0 || slices.Contains(g.Trunks, t.ID))
		})
		if t.Entry != nil && !all {
			out = append(out, t.Ref)
		}
	}
	return out
}

// On tells whether calls by a trunk can belong to the group.
func (g *Group) On(t *Trunk) bool {
	return len(g.Trunks) == 0 || slices.Contains(g.Trunks, t.ID)
}

// Numbers are the callers of a group that have a number.
func (g *Group) Numbers() digits.Set {
	if g.Callers == nil {
		return digits.Any()
	}
	return g.Callers.Nonempty().Set()
}
