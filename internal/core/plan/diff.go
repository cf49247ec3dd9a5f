package plan

import (
	"cmp"
	"encoding/json"
	"slices"
	"strconv"

	"switchback.example/switchback/internal/core/inventory"
)

// Change is one object in which two plans differ.
type Change struct {
	Kind  Kind   `json:"kind"`
	ID    string `json:"id"`
	Name  string `json:"name"`
	Table string `json:"table,omitempty" doc:"The table of a rule"`
	// What: added, removed, changed, or moved (only its place in the order).
	What   string        `json:"what" enum:"added,removed,changed,moved"`
	Fields []FieldChange `json:"fields" nullable:"false"`
}

// FieldChange is one field of a changed object, by its path in the object's JSON. Before or
// After is empty where the field is missing. Of a list it has the elements that only one side
// has, ListSeparator between them; where only their order differs, both lists whole.
type FieldChange struct {
	Field  string `json:"field"`
	Before string `json:"before"`
	After  string `json:"after"`
}

// ListSeparator stands between the elements of a list in a FieldChange.
const ListSeparator = "; "

// MaxNumberChanges bounds how many changed numbers a difference lists; all are counted.
const MaxNumberChanges = 1000

// Diff returns in which objects the plans a and b differ, in the order of the
// document, and in how many.
func Diff(a, b Plan) (changes []Change, count int, err error) {
	numbersA, numbersB := a.Numbers, b.Numbers
	a.Numbers, b.Numbers = inventory.List{}, inventory.List{} // on which pages they stand is no change
	before, err := Objects(a)
	if err != nil {
		return nil, 0, err
	}
	after, err := Objects(b)
	if err != nil {
		return nil, 0, err
	}
	if changes, err = DiffObjects(before, after); err != nil {
		return nil, 0, err
	}
	numbers, count, err := DiffNumbers(numbersA, numbersB)
	return append(changes, numbers...), len(changes) + count, err
}

// DiffNumbers is Diff on two inventories; it lists MaxNumberChanges at most.
func DiffNumbers(a, b inventory.List) (changes []Change, count int, err error) {
	a.Diff(b, func(was, is inventory.Entry) bool {
		if count++; count > MaxNumberChanges {
			return true
		}
		var c Change
		c, err = compareNumbers(was, is)
		changes = append(changes, c)
		return err == nil
	})
	return changes, count, err
}

func compareNumbers(was, is inventory.Entry) (Change, error) {
	object := func(e inventory.Entry) (o Object, err error) {
		n := e.Number()
		o = Object{Kind: KindNumber, ID: n.ID(), Name: n.Name()}
		o.Body, err = json.Marshal(n)
		return o, err
	}
	if is.Zero() {
		o, err := object(was)
		if err != nil {
			return Change{}, err
		}
		fields, err := fieldChanges(o.Body, nil)
		return Change{o.Kind, o.ID, o.Name, "", "removed", fields}, err
	}
	after, err := object(is)
	if err != nil {
		return Change{}, err
	}
	var before Object
	if !was.Zero() {
		if before, err = object(was); err != nil {
			return Change{}, err
		}
	}
	return compare(before, !was.Zero(), after, false)
}

// DiffObjects is Diff on plans that were taken apart.
func DiffObjects(before, after []Object) ([]Change, error) {
	old := map[Key]Object{}
	for _, o := range before {
		old[Key{o.Kind, o.ID}] = o
	}
	moved := movedObjects(before, after)
	changes := []Change{}
	for _, o := range after {
		key := o.Key()
		was, had := old[key]
		delete(old, key)
		c, err := compare(was, had, o, moved[key])
		if err != nil {
			return nil, err
		}
		if c.What != "" {
			changes = append(changes, c)
		}
	}
	for _, o := range before {
		if _, gone := old[Key{o.Kind, o.ID}]; gone {
			fields, err := fieldChanges(o.Body, nil)
			if err != nil {
				return nil, err
			}
			changes = append(changes, Change{o.Kind, o.ID, o.Name, o.Table, "removed", fields})
		}
	}
	slices.SortStableFunc(changes, func(a, b Change) int {
		return cmp.Compare(slices.Index(Kinds(), a.Kind), slices.Index(Kinds(), b.Kind))
	})
	return changes, nil
}

func compare(was Object, had bool, is Object, moved bool) (Change, error) {
	c := Change{Kind: is.Kind, ID: is.ID, Name: is.Name, Table: is.Table, Fields: []FieldChange{}}
	var beforeBody json.RawMessage
	if had {
		beforeBody = was.Body
	}
	fields, err := fieldChanges(beforeBody, is.Body)
	if err != nil {
		return c, err
	}
	if had && was.Table != is.Table {
		fields = append(fields, FieldChange{"table", was.Table, is.Table})
	}
	c.Fields = append(c.Fields, fields...)
	switch {
	case !had:
		c.What = "added"
	case len(fields) > 0:
		c.What = "changed"
	case moved:
		c.What = "moved"
		c.Fields = []FieldChange{{"place", strconv.Itoa(was.Place + 1), strconv.Itoa(is.Place + 1)}}
	}
	return c, nil
}

// movedObjects finds the objects whose order among those that a list has in both
// plans was changed: those outside a longest common order. What came from another
// list was not moved in this one.
func movedObjects(before, after []Object) map[Key]bool {
	list, place := map[Key]List{}, map[Key]int{}
	for i, o := range before {
		list[o.Key()], place[o.Key()] = o.List(), i
	}
	order := map[List][]Key{}
	for _, o := range after {
		if l, both := list[o.Key()]; both && l == o.List() {
			order[l] = append(order[l], o.Key())
		}
	}
	moved := map[Key]bool{}
	for _, list := range order {
		keep := longestRising(list, place)
		for i, key := range list {
			if !keep[i] {
				moved[key] = true
			}
		}
	}
	return moved
}

// longestRising marks a longest subsequence of list whose places rise.
func longestRising(list []Key, place map[Key]int) []bool {
	var tails []int // tails[n]: index in list of the lowest end of a run of n+1
	prev := make([]int, len(list))
	for i, key := range list {
		n, _ := slices.BinarySearchFunc(tails, place[key], func(j, p int) int { return cmp.Compare(place[list[j]], p) })
		prev[i] = -1
		if n > 0 {
			prev[i] = tails[n-1]
		}
		tails = append(tails[:n], append([]int{i}, tails[min(n+1, len(tails)):]...)...)
	}
	keep := make([]bool, len(list))
	if len(tails) > 0 {
		for i := tails[len(tails)-1]; i >= 0; i = prev[i] {
			keep[i] = true
		}
	}
	return keep
}
