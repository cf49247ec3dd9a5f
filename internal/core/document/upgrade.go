package document

import (
	"bytes"
	"encoding/json"
	"fmt"
	"reflect"
	"strings"
)

// object says what became of the fields of one kind of object in the next version. A field that
// is not in it stayed what it was.
type object map[string]field

// field says what became of a field.
type field struct {
	// to is its place from the object on, by names with slashes; empty is where it was.
	to string
	// of says what became of the object in it, or of each object in its list.
	of object
	// values are enumerated values that have other words now.
	values map[string]string
	// set is the value that it has now, whatever it was.
	set any
	// gone: its meaning is in something else.
	gone bool
}

func (o object) apply(was map[string]any) map[string]any {
	is := make(map[string]any, len(was))
	for name, value := range was {
		f := o[name]
		if f.gone {
			continue
		}
		to := f.to
		if to == "" {
			to = name
		}
		put(is, strings.Split(to, "/"), f.value(value))
	}
	return is
}

func (f field) value(v any) any {
	if f.set != nil {
		return f.set
	}
	switch v := v.(type) {
	case string:
		if word, ok := f.values[v]; ok {
			return word
		}
	case map[string]any:
		if f.of != nil {
			return f.of.apply(v)
		}
	case []any:
		for i := range v {
			v[i] = f.value(v[i])
		}
	}
	return v
}

// put sets a value at a place. Two fields can meet in one object, as those of a simulation.
func put(into map[string]any, at []string, value any) {
	for _, name := range at[:len(at)-1] {
		inner, ok := into[name].(map[string]any)
		if !ok {
			inner = map[string]any{}
			into[name] = inner
		}
		into = inner
	}
	into[at[len(at)-1]] = value
}

// Row is a row of the database that holds an object of a plan.
type Row struct {
	Version int
	Kind    string
	Body    []byte // empty for an object that is gone
}

// Upgrade makes a row of the present version of one of any. Its error says the kind and the place
// of what does not belong there.
func Upgrade(r Row) (Row, error) {
	if r.Version != 1 {
		return r, nil
	}
	was, known := version1Kinds[r.Kind]
	if !known {
		return r, fmt.Errorf("version 1 has no kind %q", r.Kind)
	}
	r.Version, r.Kind = 2, was.is
	if len(r.Body) == 0 {
		return r, nil
	}
	body, err := upgraded(r.Body, was.shape, was.moves)
	if err == nil {
		r.Body, err = asWritten(body, was.now)
	}
	if err != nil {
		return r, fmt.Errorf("a row of kind %s: %w", r.Kind, err)
	}
	return r, nil
}

// asWritten is a text as the type that it is of writes it: rows that say the same are the same.
func asWritten(text []byte, as reflect.Type) ([]byte, error) {
	value := reflect.New(as).Interface()
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.DisallowUnknownFields()
	if err := dec.Decode(value); err != nil {
		return nil, err
	}
	return json.Marshal(value)
}
