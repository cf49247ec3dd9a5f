package plan

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/inventory"
)

// Key names an object among all of a plan.
type Key struct {
	Kind Kind
	ID   string
}

// List names what is ordered on its own: the objects of a kind or, of rules,
// those of one table.
type List struct {
	Kind  Kind
	Table string
}

// List returns the list that the object stands in.
func (o Object) List() List { return List{o.Kind, o.Table} }

// Key returns the object's name among all of a plan.
func (o Object) Key() Key { return Key{o.Kind, o.ID} }

// Arranged is a plan together with the place of every object in its list. It is
// immutable: With makes another that shares what did not change, so that what
// follows from a plan can be kept where the plan is the same memory.
type Arranged struct {
	Plan  Plan
	lists map[List][]placed
}

// placed is an object's place in its list; the objects themselves stand in the
// plan, in the same order.
type placed struct {
	id    string
	place int
}

// Arrange builds a plan from objects, ordered by their places.
func Arrange(name string, objects []Object) (*Arranged, error) {
	return (&Arranged{Plan: New(name)}).With(name, objects, nil)
}

// With returns the plan with some objects put in (in place of those of their
// kind and id) and others taken out. Its cost is that of the lists in which
// something changes.
func (a *Arranged) With(name string, put []Object, gone []Key) (*Arranged, error) {
	n := &Arranged{Plan: a.Plan, lists: make(map[List][]placed, len(a.lists))}
	n.Plan.Name = name
	for list, order := range a.lists {
		n.lists[list] = order
	}
	edits := map[List]*listEdit{}
	edit := func(list List) *listEdit {
		if edits[list] == nil {
			edits[list] = &listEdit{out: map[string]bool{}}
		}
		return edits[list]
	}
	moving := map[Key]bool{} // what must go from where it stands
	for _, k := range gone {
		moving[k] = true
	}
	for _, o := range put {
		moving[o.Key()] = true
		e := edit(o.List())
		e.in = append(e.in, o)
	}
	kinds := map[Kind]bool{}
	for k := range moving {
		kinds[k.Kind] = true
	}
	for list, order := range a.lists {
		if !kinds[list.Kind] {
			continue
		}
		for _, p := range order {
			if moving[Key{list.Kind, p.id}] {
				edit(list).out[p.id] = true
			}
		}
	}
	return n, n.apply(edits)
}

// ShareRules takes over the rules of tables from another plan, whose lists are the same
// as far as same says, so that both are the same memory. A table that only one of the
// two has keeps its own.
func (a *Arranged) ShareRules(from *Arranged, same func(List) bool) {
	known := map[string][]Rule{}
	for _, t := range from.Plan.Tables {
		known[t.ID] = t.Rules
	}
	for i := range a.Plan.Tables {
		t := &a.Plan.Tables[i]
		list := List{KindRule, t.ID}
		if rules, ok := known[t.ID]; ok && len(rules) == len(t.Rules) && same(list) && slices.Equal(a.lists[list], from.lists[list]) {
			t.Rules = rules
		}
	}
}

type listEdit struct {
	out map[string]bool // ids that are there and go
	in  []Object
}

// apply edits the lists; rules first, since tables hold them.
func (a *Arranged) apply(edits map[List]*listEdit) error {
	rules := map[string][]Rule{}
	for _, t := range a.Plan.Tables {
		rules[t.ID] = t.Rules
	}
	p := &a.Plan
	for list, e := range edits {
		order := a.lists[list]
		var err error
		switch list.Kind {
		case KindRule:
			rules[list.Table], order, err = edited(rules[list.Table], order, e)
		case KindNumbers:
			var pages []*inventory.Page
			pages, order, err = edited(p.Numbers.Pages(), order, e)
			p.Numbers = inventory.FromPages(pages)
		default:
			d := describedAs(list.Kind)
			if d == nil {
				return fmt.Errorf("unknown kind %q", list.Kind)
			}
			order, err = d.edit(p, order, e)
		}
		if err != nil {
			return err
		}
		a.lists[list] = order
	}
	p.Tables = slices.Clone(p.Tables)
	for i := range p.Tables {
		if p.Tables[i].Rules = rules[p.Tables[i].ID]; p.Tables[i].Rules == nil {
			p.Tables[i].Rules = []Rule{}
		}
	}
	return nil
}

// edited merges a list with what is put into it.
func edited[T any](old []T, order []placed, e *listEdit) ([]T, []placed, error) {
	slices.SortStableFunc(e.in, func(x, y Object) int { return cmp.Compare(x.Place, y.Place) })
	list := make([]T, 0, len(old)+len(e.in))
	places := make([]placed, 0, len(old)+len(e.in))
	next := 0
	putUpTo := func(place int) error {
		for ; next < len(e.in) && e.in[next].Place <= place; next++ {
			v, read := e.in[next].Read.(T)
			if read {
				list, places = append(list, v), append(places, placed{e.in[next].ID, e.in[next].Place})
				continue
			}
			if err := unmarshal(e.in[next].Body, &v); err != nil {
				return fmt.Errorf("%s %s: %w", e.in[next].Kind, e.in[next].ID, err)
			}
			list, places = append(list, v), append(places, placed{e.in[next].ID, e.in[next].Place})
		}
		return nil
	}
	for i, p := range order {
		if e.out[p.id] {
			continue
		}
		if err := putUpTo(p.place - 1); err != nil {
			return nil, nil, err
		}
		list, places = append(list, old[i]), append(places, p)
	}
	err := putUpTo(int(^uint(0) >> 1))
	return list, places, err
}

// Order returns the ids of a list in order.
func (a *Arranged) Order(list List) []string {
	out := make([]string, len(a.lists[list]))
	for i, p := range a.lists[list] {
		out[i] = p.id
	}
	return out
}

// unmarshal reads what a row holds; a field that the type does not have is an error, so that
// nothing vanishes in silence.
func unmarshal(body []byte, into any) error {
	dec := json.NewDecoder(bytes.NewReader(body))
	dec.DisallowUnknownFields()
	return dec.Decode(into)
}
