// Package profile knows sorts of far ends: how a trunk to one is set as a rule, and
// why each setting is so. It fills the settings of a trunk, and tells where a trunk
// departs from the profile that it names.
//
// A profile decides nothing: what counts is what stands in the trunk. It never knows
// addresses, names or secrets, which the far end has to give.
package profile

import (
	"slices"

	"switchback.example/switchback/internal/core/plan"
)

// Profile is one sort of far end.
type Profile struct {
	ID    string
	Name  string
	Kind  plan.FarEndKind
	About string
	// settings are those that a trunk of a switch gets; asks what only the far end
	// can tell.
	settings func(plan.Switch) []setting
	asks     []ask
}

// setting is a value at a place of the trunk, as in sip/registers. The zero value
// stands for the default.
type setting struct {
	place string
	value any
	why   string
}

// ask is something that must be given, at the first of its places or at another.
type ask struct {
	places []string
	least  int // so many entries, where the place is a list; 0 is 1
	why    string
}

// All returns the profiles, in the order in which they are offered.
func All() []Profile { return slices.Clone(all) }

// Find returns the profile of an id.
func Find(id string) (Profile, bool) {
	i := slices.IndexFunc(all, func(p Profile) bool { return p.ID == id })
	if i < 0 {
		return Profile{}, false
	}
	return all[i], true
}

// State says how a trunk stands to a line of its profile.
type State string

// The states.
const (
	Follows State = "follows"
	Departs State = "departs"
	Asked   State = "asked" // the far end must tell it, and it is not given yet
	Given   State = "given"
)

// Advice is one line of a profile beside a trunk.
type Advice struct {
	Place string `json:"place" doc:"The setting in the trunk"`
	State State  `json:"state" enum:"follows,departs,asked,given"`
	Why   string `json:"why" doc:"Why the profile has it so, or wants it"`
	// Has is what the profile has; empty is the default of the setting, or a line
	// that asks.
	Has any `json:"has,omitempty"`
}

// Beside tells where a trunk departs from its profile and what is still to be asked;
// nil where it names none.
func Beside(sw plan.Switch, t plan.Trunk) []Advice {
	p, ok := Find(t.Profile)
	if !ok {
		return nil
	}
	t.Link = t.Link.Explicit()
	doc := open(t)
	var rows []Advice
	for _, s := range p.settings(sw) {
		r := Advice{Place: s.place, State: Follows, Why: s.why, Has: s.value}
		if !same(doc.at(s.place), s.value, s.place) {
			r.State = Departs
		}
		rows = append(rows, r)
	}
	for _, a := range p.asks {
		r := Advice{Place: a.places[0], State: Asked, Why: a.why}
		if slices.ContainsFunc(a.places, func(place string) bool { return count(doc.at(place)) >= max(a.least, 1) }) {
			r.State = Given
		}
		rows = append(rows, r)
	}
	return rows
}

// Fill gives a trunk the settings of a profile. What the profile that it named before
// had set, and nobody has changed since, goes back to its default; all else is left.
func Fill(sw plan.Switch, t plan.Trunk, id string) (plan.Trunk, error) {
	doc, blank := open(t), open(plan.Trunk{Channels: 1, Link: t.Link.Blank()})
	if before, ok := Find(t.Profile); ok {
		for _, s := range before.settings(sw) {
			if same(doc.at(s.place), s.value, s.place) {
				doc.put(s.place, blank.at(s.place))
			}
		}
	}
	if p, ok := Find(id); ok {
		for _, s := range p.settings(sw) {
			doc.put(s.place, s.value)
		}
	}
	doc.put("profile", id)
	return doc.trunk()
}
