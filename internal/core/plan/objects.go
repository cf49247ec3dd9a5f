package plan

import (
	"encoding/json"
	"fmt"
)

// Kind names a sort of object in a plan.
type Kind string

// The kinds of object, in the order of the document; rules follow the table
// that they stand in.
const (
	KindSwitch      Kind = "switch"
	KindFarEnd      Kind = "farEnd"
	KindTrunk       Kind = "trunk"
	KindTable       Kind = "table"
	KindRule        Kind = "rule"
	KindPath        Kind = "path"
	KindDestination Kind = "destination"
	KindGroup       Kind = "group"
	KindHours       Kind = "hours"
	KindCheck       Kind = "check"
	// KindNumbers is a page of the inventory, in which it is stored; KindNumber is a
	// number of it, as changes tell it.
	KindNumbers Kind = "numbers"
	KindNumber  Kind = "number"
)

// Kinds returns every kind in that order.
func Kinds() []Kind {
	return []Kind{KindSwitch, KindFarEnd, KindTrunk, KindTable, KindRule, KindPath, KindDestination, KindGroup, KindHours, KindCheck, KindNumbers, KindNumber}
}

// Count returns how many objects the plan holds of each kind.
func (p Plan) Count() map[Kind]int {
	n := map[Kind]int{
		KindSwitch: len(p.Switches), KindFarEnd: len(p.FarEnds), KindTrunk: len(p.Trunks), KindTable: len(p.Tables),
		KindPath: len(p.Paths), KindDestination: len(p.Destinations), KindGroup: len(p.Groups), KindHours: len(p.Hours), KindCheck: len(p.Checks), KindNumber: p.Numbers.Len(),
	}
	for _, t := range p.Tables {
		n[KindRule] += len(t.Rules)
	}
	return n
}

// Object is one row of a plan: what is edited, compared and stored on its own.
type Object struct {
	Kind Kind
	ID   string
	Name string
	// Table is the table of a rule, empty for every other kind.
	Table string
	// Place orders objects of one kind (rules: of one table), from 0.
	Place int
	// Body is the object's JSON; a table's body has no rules.
	Body json.RawMessage
	// Read is what the body says, where somebody read it already: of KindNumbers, an
	// *inventory.Page.
	Read any
}

// Objects takes a plan apart. Arrange puts it together again.
func Objects(p Plan) ([]Object, error) {
	var out []Object
	var failed error
	add := func(kind Kind, id, name, table string, place int, v any) {
		body, err := json.Marshal(v)
		if err != nil && failed == nil {
			failed = fmt.Errorf("%s %s: %w", kind, id, err)
		}
		out = append(out, Object{Kind: kind, ID: id, Name: name, Table: table, Place: place, Body: body})
	}
	for i, s := range p.Switches {
		add(KindSwitch, s.ID, s.Name, "", i, s)
	}
	for i, f := range p.FarEnds {
		add(KindFarEnd, f.ID, f.Name, "", i, f)
	}
	for i, t := range p.Trunks {
		add(KindTrunk, t.ID, t.Name, "", i, t)
	}
	for i, t := range p.Tables {
		rules := t.Rules
		t.Rules = []Rule{}
		add(KindTable, t.ID, t.Name, "", i, t)
		for j, r := range rules {
			add(KindRule, r.ID, r.Name, t.ID, j, r)
		}
	}
	for i, path := range p.Paths {
		add(KindPath, path.ID, path.Name, "", i, path)
	}
	for i, d := range p.Destinations {
		add(KindDestination, d.ID, d.Name, "", i, d)
	}
	for i, g := range p.Groups {
		add(KindGroup, g.ID, g.Name, "", i, g)
	}
	for i, h := range p.Hours {
		add(KindHours, h.ID, h.Name, "", i, h)
	}
	for i, c := range p.Checks {
		add(KindCheck, c.ID, c.Name, "", i, c)
	}
	for _, page := range p.Numbers.Pages() {
		add(KindNumbers, page.ID(), "", "", page.Place(), page)
	}
	if bad := p.Numbers.Bad(); len(bad) > 0 && failed == nil {
		failed = fmt.Errorf("number %s: %s", bad[0].Name(), bad[0].Check()[0].Reason)
	}
	return out, failed
}
