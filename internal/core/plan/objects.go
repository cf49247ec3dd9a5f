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
	KindCallerGroup Kind = "callerGroup"
	KindCalendar    Kind = "calendar"
	KindCheck       Kind = "check"
	// KindNumbers is a page of the inventory, in which it is stored; KindNumber is a
	// number of it, as changes tell it.
	KindNumbers Kind = "numbers"
	KindNumber  Kind = "number"
)

// Kinds returns every kind in that order.
func Kinds() []Kind {
	return []Kind{KindSwitch, KindFarEnd, KindTrunk, KindTable, KindRule, KindPath, KindDestination, KindCallerGroup, KindCalendar, KindCheck, KindNumbers, KindNumber}
}

// Count returns how many objects the plan holds of each kind.
func (p Plan) Count() map[Kind]int {
	n := map[Kind]int{KindNumber: p.Numbers.Len()}
	for _, d := range described {
		kind, _, _ := d.of()
		n[kind] = d.count(&p)
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
	add := func(o Object, err error) {
		if failed == nil {
			failed = err
		}
		out = append(out, o)
	}
	for _, d := range described {
		if d != listed(OfTable) {
			d.objects(&p, add)
			continue
		}
		d.objects(&p, func(table Object, err error) {
			add(table, err)
			addRules(p.Tables[table.Place], add)
		})
	}
	for _, page := range p.Numbers.Pages() {
		body, err := json.Marshal(page)
		add(Object{Kind: KindNumbers, ID: page.ID(), Place: page.Place(), Body: body}, err)
	}
	if bad := p.Numbers.Bad(); len(bad) > 0 && failed == nil {
		failed = fmt.Errorf("number %s: %s", bad[0].Name(), bad[0].Check()[0].Reason)
	}
	return out, failed
}

func addRules(t Table, add func(Object, error)) {
	for i, r := range t.Rules {
		body, err := json.Marshal(r)
		if err != nil {
			err = fmt.Errorf("rule %s: %w", r.ID, err)
		}
		add(Object{Kind: KindRule, ID: r.ID, Name: r.Name, Table: t.ID, Place: i, Body: body}, err)
	}
}
