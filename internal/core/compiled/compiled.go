// Package compiled holds a plan as a read-only graph: what stands there by id is linked, patterns are
// compiled, and rules stand in the order in which they are tried. The evaluator, the findings and
// all else that reasons about a plan stand on it.
//
// It decides no call, and knows nothing of the moment.
package compiled

import (
	"maps"
	"net/netip"
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Graph is a compiled plan: what is written by id there is linked here. It is immutable, and safe
// for use by many goroutines.
type Graph struct {
	Source        plan.Plan // what it was compiled of
	Switches      map[string]*Switch
	Trunks        map[string]*Trunk
	Tables        map[string]*Table
	paths         map[string]*Path
	Destinations  map[string]*Destination
	Groups        []*Group // in the order of the plan
	calendars     map[calendarKey]*hours.Calendar
	CalendarNames map[string]string // names of calendars by id
	// AsksCaller: some rule looks at the caller.
	AsksCaller bool
	// trunkGroups are the trunks that bear each word.
	trunkGroups map[string][]string
}

// CompileAfter compiles a valid plan, which may have much in common with one that was compiled
// before: a table whose rules are the same rules in memory, and what they may refer to is too, is
// not compiled again.
func Compile(old *Graph, p plan.Plan) *Graph {
	n := &Graph{
		Source:       p,
		Switches:     map[string]*Switch{},
		Trunks:       map[string]*Trunk{},
		Tables:       map[string]*Table{},
		paths:        map[string]*Path{},
		Destinations: map[string]*Destination{},
	}
	for _, sw := range p.Switches {
		region, _ := sw.Region.Compile() // validated
		n.Switches[sw.ID] = &Switch{Switch: sw, Numbering: region, Address: sw.Host(), trusted: map[netip.Addr][]trusting{}, called: map[netip.Addr]*Trunk{}}
	}
	n.addTrunks(p)
	for _, path := range p.Paths {
		n.paths[path.ID] = n.compilePath(path)
	}
	for _, d := range p.Destinations {
		number, _ := digits.ParseNumber(d.Number) // validated
		n.Destinations[d.ID] = &Destination{
			Destination: d, Ref: trail.Ref{Kind: "destination", ID: d.ID, Name: d.Name}, To: n.Trunks[d.Trunk],
			Digits: number, Form: numbering.Private, Pattern: optionalPattern(d.NumberPattern),
		}
		if to := n.Trunks[d.Trunk]; to.Outside {
			n.Destinations[d.ID].Form = dialledForm(&to.On.Numbering, number)
		}
	}
	n.trunkGroups = plan.NewIndex(p).TrunkGroups
	sameGroups := maps.EqualFunc(n.trunkGroups, old.trunkGroups, slices.Equal)
	for i := range p.Tables {
		var before *Table
		if sameGroups {
			before = old.Tables[p.Tables[i].ID]
		}
		n.Tables[p.Tables[i].ID] = compileTable(p.Tables[i], n.trunkGroups, before)
	}
	n.addGroups(p)
	n.link()
	return n
}

// link points rules and trunks at the tables, paths and destinations of this
// snapshot.
func (s *Graph) link() {
	for _, t := range s.Tables {
		for i := range t.Effective {
			r := &t.Effective[i]
			r.Table, r.Path, r.Destination = s.Tables[r.Row.Then.Table], s.paths[r.Row.Then.Path], s.Destinations[r.Row.Then.Destination]
			r.ForGroups = nil
			s.AsksCaller = s.AsksCaller || r.Caller != nil || r.NoCaller
			for _, g := range s.Groups {
				if slices.Contains(r.Row.CallerGroups, g.ID) {
					r.ForGroups = append(r.ForGroups, g)
				}
			}
		}
	}
	for _, g := range s.Groups {
		g.Table = s.Tables[g.InboundTable]
	}
	for _, t := range s.Trunks {
		t.Entry = s.Tables[t.InboundTable]
		if t.SentOn = t.Entry; t.Services.Table != "" {
			t.SentOn = s.Tables[t.Services.Table]
		}
	}
}

// Plan returns the plan that the snapshot was made of. It must not be changed.
func (s *Graph) Plan() plan.Plan { return s.Source }

// Trunk returns a trunk of the plan.
func (s *Graph) Trunk(id string) (t *plan.Trunk, ok bool) {
	if n := s.Trunks[id]; n != nil {
		return &n.Trunk, true
	}
	return nil, false
}

// Switch returns a switch of the plan.
func (s *Graph) Switch(id string) (sw plan.Switch, ok bool) {
	if n := s.Switches[id]; n != nil {
		return n.Switch, true
	}
	return sw, false
}
