package plan

import (
	"maps"
	"slices"
)

// Index finds the objects of a plan by their ids. It points into the plan that
// it was made of.
type Index struct {
	Switches     map[string]*Switch
	FarEnds      map[string]*FarEnd
	Trunks       map[string]*Trunk
	Tables       map[string]*Table
	Paths        map[string]*Path
	Destinations map[string]*Destination
	CallerGroups map[string]*CallerGroup
	Calendars    map[string]*Calendar
	// TrunkGroups are the ids of the trunks that bear each word.
	TrunkGroups map[string][]string
}

// NewIndex indexes a plan. Of two objects with one id the first is found.
func NewIndex(p Plan) Index {
	return Index{
		Switches:     byID(p.Switches, func(s *Switch) string { return s.ID }),
		FarEnds:      byID(p.FarEnds, func(f *FarEnd) string { return f.ID }),
		Trunks:       byID(p.Trunks, func(t *Trunk) string { return t.ID }),
		Tables:       byID(p.Tables, func(t *Table) string { return t.ID }),
		Paths:        byID(p.Paths, func(p *Path) string { return p.ID }),
		Destinations: byID(p.Destinations, func(d *Destination) string { return d.ID }),
		CallerGroups: byID(p.CallerGroups, func(g *CallerGroup) string { return g.ID }),
		Calendars:    byID(p.Calendars, func(h *Calendar) string { return h.ID }),
		TrunkGroups:  trunkGroups(p.Trunks),
	}
}

func byID[T any](list []T, id func(*T) string) map[string]*T {
	m := make(map[string]*T, len(list))
	for i := range list {
		if _, taken := m[id(&list[i])]; !taken {
			m[id(&list[i])] = &list[i]
		}
	}
	return m
}

func (x Index) tableSwitch(id string) string {
	if t := x.Tables[id]; t != nil {
		return t.Switch
	}
	return ""
}

func (x Index) pathSwitch(id string) string {
	if p := x.Paths[id]; p != nil {
		return p.Switch
	}
	return ""
}

func (x Index) trunkSwitch(id string) string {
	if t := x.Trunks[id]; t != nil {
		return t.Switch
	}
	return ""
}

func (x Index) destinationSwitch(id string) string {
	if d := x.Destinations[id]; d != nil {
		return x.trunkSwitch(d.Trunk)
	}
	return ""
}

// sameFrame tells whether everything that an object may refer to is there in
// both plans, on the same switches.
func (x Index) sameFrame(y Index) bool {
	return sameKeys(x.Switches, y.Switches, func(string) bool { return true }) &&
		sameKeys(x.FarEnds, y.FarEnds, func(string) bool { return true }) &&
		sameKeys(x.Trunks, y.Trunks, func(id string) bool { return x.trunkSwitch(id) == y.trunkSwitch(id) }) &&
		sameKeys(x.Tables, y.Tables, func(id string) bool { return x.tableSwitch(id) == y.tableSwitch(id) }) &&
		sameKeys(x.Paths, y.Paths, func(id string) bool { return x.pathSwitch(id) == y.pathSwitch(id) }) &&
		sameKeys(x.CallerGroups, y.CallerGroups, func(string) bool { return true }) &&
		sameKeys(x.Calendars, y.Calendars, func(id string) bool { return slices.Equal(x.Calendars[id].States(), y.Calendars[id].States()) }) &&
		maps.EqualFunc(x.TrunkGroups, y.TrunkGroups, slices.Equal) &&
		sameKeys(x.Destinations, y.Destinations, func(id string) bool { return x.destinationSwitch(id) == y.destinationSwitch(id) })
}

func sameKeys[T any](a, b map[string]*T, same func(id string) bool) bool {
	if len(a) != len(b) {
		return false
	}
	for id := range a {
		if b[id] == nil || !same(id) {
			return false
		}
	}
	return true
}

func trunkGroups(trunks []Trunk) map[string][]string {
	out := map[string][]string{}
	for i := range trunks {
		if g := trunks[i].Group; g != "" {
			out[g] = append(out[g], trunks[i].ID)
		}
	}
	return out
}
