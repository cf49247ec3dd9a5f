package plan

import (
	"reflect"
	"strconv"
	"strings"
	"sync"
)

// What an object refers to stands at its fields: the tag `ref:"trunk"` says that a text, or each
// text of a list, is the id of a trunk. Users, deletion and fingerprints follow from it.

// Reference is one place where an object names another.
type Reference struct {
	// From is the object that names, with its name; Table is that of a rule.
	From     Key
	FromName string
	Table    string
	// Place is the field, from the object on, such as match/trunks/0.
	Place string
	To    Key
}

// EachReference calls do with every reference of the objects of a plan, in the order of the
// document; rules follow their table. Numbers are left out: they are found by their destination.
func (p Plan) EachReference(do func(Reference)) {
	for _, d := range described {
		kind, _, _ := d.of()
		d.each(&p, func(id, name string, object any) {
			from := Reference{From: Key{kind, id}, FromName: name}
			if table, ok := object.(*Table); ok {
				shell := withoutRules(*table)
				references(&shell, from, do)
				for i := range table.Rules {
					r := &table.Rules[i]
					references(r, Reference{From: Key{KindRule, r.ID}, FromName: r.Name, Table: table.ID}, do)
				}
				return
			}
			references(object, from, do)
		})
	}
}

// referring is a field with a reference, or one inside which there are some.
type referring struct {
	index int
	name  string
	to    Kind // empty: inside
}

var referringFields sync.Map // reflect.Type to []referring

// fieldsWithReferences are those of a struct, read once.
func fieldsWithReferences(t reflect.Type) []referring {
	if known, ok := referringFields.Load(t); ok {
		return known.([]referring)
	}
	var out []referring
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		if to := f.Tag.Get("ref"); to != "" {
			out = append(out, referring{i, name, Kind(to)})
			continue
		}
		inner := f.Type
		for inner.Kind() == reflect.Slice || inner.Kind() == reflect.Pointer {
			inner = inner.Elem()
		}
		if f.IsExported() && inner.Kind() == reflect.Struct && len(fieldsWithReferences(inner)) > 0 {
			out = append(out, referring{i, name, ""})
		}
	}
	referringFields.Store(t, out)
	return out
}

// references calls do with every reference of an object that is given by a pointer.
func references(object any, from Reference, do func(Reference)) {
	walkReferences(reflect.ValueOf(object).Elem(), "", from, do)
}

func walkReferences(v reflect.Value, at string, from Reference, do func(Reference)) {
	switch v.Kind() {
	case reflect.Pointer:
		if !v.IsNil() {
			walkReferences(v.Elem(), at, from, do)
		}
	case reflect.Slice:
		for i := range v.Len() {
			walkReferences(v.Index(i), at+"/"+strconv.Itoa(i), from, do)
		}
	case reflect.Struct:
		for _, f := range fieldsWithReferences(v.Type()) {
			here := at + "/" + f.name
			if f.to == "" {
				walkReferences(v.Field(f.index), here, from, do)
				continue
			}
			namedIn(v.Field(f.index), f.to, here, from, do)
		}
	}
}

func namedIn(v reflect.Value, kind Kind, at string, from Reference, do func(Reference)) {
	tell := func(id, at string) {
		if id != "" {
			from.Place, from.To = strings.TrimPrefix(at, "/"), Key{kind, id}
			do(from)
		}
	}
	if v.Kind() == reflect.String {
		tell(v.String(), at)
		return
	}
	for i := range v.Len() {
		tell(v.Index(i).String(), at+"/"+strconv.Itoa(i))
	}
}

// User is an object that names another, at one place or at some.
type User struct {
	Kind  Kind   `json:"kind"`
	ID    string `json:"id"`
	Name  string `json:"name"`
	Table string `json:"table,omitempty" doc:"The table of a rule"`
	// Places are the fields that name it, such as match/trunks/0.
	Places []string `json:"places" nullable:"false"`
}

// Users are the objects that name another, each once, in the order of the document.
func (p Plan) Users(of Key) []User {
	out := []User{}
	p.EachReference(func(r Reference) {
		if r.To != of {
			return
		}
		if last := len(out) - 1; last >= 0 && out[last].Kind == r.From.Kind && out[last].ID == r.From.ID {
			out[last].Places = append(out[last].Places, r.Place)
			return
		}
		out = append(out, User{r.From.Kind, r.From.ID, r.FromName, r.Table, []string{r.Place}})
	})
	return out
}

// CountUsers counts the objects that name each object of a kind, by its id.
func (p Plan) CountUsers(kind Kind) map[string]int {
	out := map[string]int{}
	type pair struct{ from, to Key }
	seen := map[pair]bool{}
	p.EachReference(func(r Reference) {
		if k := (pair{r.From, r.To}); r.To.Kind == kind && !seen[k] {
			seen[k] = true
			out[r.To.ID]++
		}
	})
	return out
}
