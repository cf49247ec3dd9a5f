package plan

// Named is an object that another can name.
type Named struct {
	ID   string `json:"id"`
	Name string `json:"name"`
}

// Naming says which objects are meant.
type Naming struct {
	Kind Kind
	// Switch, if it is set, leaves those out that are on another switch.
	Switch string
	// Not leaves one out: an object does not name itself.
	Not string
	// LastResort leaves out where calls that nobody answers cannot go.
	LastResort bool
}

// Nameable are the objects of the plan that can be named so, in the order of the plan.
func (p Plan) Nameable(n Naming) []Named {
	out := []Named{}
	d := describedAs(n.Kind)
	if d == nil {
		return out
	}
	x := NewIndex(p)
	d.each(&p, func(id, name string, object any) {
		if id == n.Not || n.Switch != "" && x.switchOf(n.Kind, id) != n.Switch {
			return
		}
		if n.LastResort && len(x.noLastResort(x.Destinations[id])) > 0 {
			return
		}
		out = append(out, Named{id, name})
	})
	return out
}

// switchOf is the switch that an object is on; for kinds that are on none it is empty.
func (x Index) switchOf(kind Kind, id string) string {
	switch kind {
	case KindSwitch:
		return id
	case KindTrunk:
		return x.trunkSwitch(id)
	case KindTable:
		return x.tableSwitch(id)
	case KindPath:
		if p := x.Paths[id]; p != nil {
			return p.Switch
		}
	case KindDestination:
		return x.destinationSwitch(id)
	}
	return ""
}
