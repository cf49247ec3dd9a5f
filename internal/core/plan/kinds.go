package plan

import (
	"encoding/json"
	"fmt"
)

// KindOf is all that is said of a sort of object: where its list is in a plan, what it is called,
// and how one is checked. Rows, comparisons, deletion, users and the API follow from it; a new
// sort of object is one more of these. What an object refers to is said by tags of its fields
// (References).
type KindOf[T any] struct {
	Kind Kind
	// Field is its list in a plan document; Name is for people.
	Field, Name string
	List        func(*Plan) *[]T
	Key         func(*T) (id, name string)

	check func(v *validator, at string, object T)
	// row is an object as it is stored on its own; nil is as it is.
	row func(T) T
}

// The sorts of object that have a list of their own.
var (
	OfSwitch      = &KindOf[Switch]{KindSwitch, "switches", "switch", func(p *Plan) *[]Switch { return &p.Switches }, func(x *Switch) (string, string) { return x.ID, x.Name }, (*validator).sw, nil}
	OfFarEnd      = &KindOf[FarEnd]{KindFarEnd, "farEnds", "far end", func(p *Plan) *[]FarEnd { return &p.FarEnds }, func(x *FarEnd) (string, string) { return x.ID, x.Name }, (*validator).farEnd, nil}
	OfTrunk       = &KindOf[Trunk]{KindTrunk, "trunks", "trunk", func(p *Plan) *[]Trunk { return &p.Trunks }, func(x *Trunk) (string, string) { return x.ID, x.Name }, (*validator).trunk, nil}
	OfTable       = &KindOf[Table]{KindTable, "tables", "table", func(p *Plan) *[]Table { return &p.Tables }, func(x *Table) (string, string) { return x.ID, x.Name }, (*validator).table, withoutRules}
	OfPath        = &KindOf[Path]{KindPath, "paths", "path", func(p *Plan) *[]Path { return &p.Paths }, func(x *Path) (string, string) { return x.ID, x.Name }, (*validator).path, nil}
	OfDestination = &KindOf[Destination]{KindDestination, "destinations", "destination", func(p *Plan) *[]Destination { return &p.Destinations }, func(x *Destination) (string, string) { return x.ID, x.Name }, (*validator).destination, nil}
	OfCallerGroup = &KindOf[CallerGroup]{KindCallerGroup, "callerGroups", "caller group", func(p *Plan) *[]CallerGroup { return &p.CallerGroups }, func(x *CallerGroup) (string, string) { return x.ID, x.Name }, (*validator).callerGroup, nil}
	OfCalendar    = &KindOf[Calendar]{KindCalendar, "calendars", "calendar", func(p *Plan) *[]Calendar { return &p.Calendars }, func(x *Calendar) (string, string) { return x.ID, x.Name }, (*validator).calendar, nil}
	OfCheck       = &KindOf[Check]{KindCheck, "checks", "check", func(p *Plan) *[]Check { return &p.Checks }, func(x *Check) (string, string) { return x.ID, x.Name }, (*validator).testCall, nil}
)

// described are they, in the order of the document.
var described = []listed{OfSwitch, OfFarEnd, OfTrunk, OfTable, OfPath, OfDestination, OfCallerGroup, OfCalendar, OfCheck}

// listed is a KindOf whose objects need not be known.
type listed interface {
	of() (kind Kind, field, name string)
	count(p *Plan) int
	objects(p *Plan, add func(Object, error))
	edit(p *Plan, order []placed, e *listEdit) ([]placed, error)
	validate(v *validator)
	each(p *Plan, do func(id, name string, object any))
	find(p *Plan, id string) any
}

// describedAs is the description of a kind; nil for rules and numbers, which stand in something
// else.
func describedAs(kind Kind) listed {
	for _, d := range described {
		if is, _, _ := d.of(); is == kind {
			return d
		}
	}
	return nil
}

func (k *KindOf[T]) of() (Kind, string, string) { return k.Kind, k.Field, k.Name }

func (k *KindOf[T]) count(p *Plan) int { return len(*k.List(p)) }

func (k *KindOf[T]) each(p *Plan, do func(id, name string, object any)) {
	list := *k.List(p)
	for i := range list {
		id, name := k.Key(&list[i])
		do(id, name, &list[i])
	}
}

// find is the first object of an id, as a pointer to it; nil if there is none.
func (k *KindOf[T]) find(p *Plan, id string) any {
	list := *k.List(p)
	for i := range list {
		if has, _ := k.Key(&list[i]); has == id {
			return &list[i]
		}
	}
	return nil
}

func (k *KindOf[T]) objects(p *Plan, add func(Object, error)) {
	for i, x := range *k.List(p) {
		if k.row != nil {
			x = k.row(x)
		}
		id, name := k.Key(&x)
		body, err := json.Marshal(x)
		if err != nil {
			err = fmt.Errorf("%s %s: %w", k.Kind, id, err)
		}
		add(Object{Kind: k.Kind, ID: id, Name: name, Place: i, Body: body}, err)
	}
}

func (k *KindOf[T]) edit(p *Plan, order []placed, e *listEdit) (places []placed, err error) {
	list := k.List(p)
	*list, places, err = edited(*list, order, e)
	return places, err
}

func (k *KindOf[T]) validate(v *validator) {
	for i, x := range *k.List(&v.plan) {
		id, _ := k.Key(&x)
		k.check(v, place(k.Field, id, i), x)
	}
}

func withoutRules(t Table) Table {
	t.Rules = []Rule{}
	return t
}
