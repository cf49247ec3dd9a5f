package profile

import (
	"encoding/json"
	"fmt"
	"reflect"
	"strings"

	"switchback.example/switchback/internal/core/editor"
	"switchback.example/switchback/internal/core/plan"
)

// document is a trunk as its JSON, in which a setting is found by its place.
type document map[string]any

func open(t plan.Trunk) document {
	d := document{}
	text, err := json.Marshal(t)
	if err == nil {
		err = json.Unmarshal(text, &d)
	}
	if err != nil {
		panic(fmt.Sprintf("profile: a trunk has no JSON: %v", err)) // it holds nothing that could fail
	}
	return d
}

// at is what stands at a place, as JSON has it; nil for nothing.
func (d document) at(place string) any {
	var at any = map[string]any(d)
	for _, key := range strings.Split(place, "/") {
		inner, _ := at.(map[string]any)
		at = inner[key]
	}
	return at
}

func (d document) put(place string, value any) {
	keys := strings.Split(place, "/")
	at := map[string]any(d)
	for _, key := range keys[:len(keys)-1] {
		inner, ok := at[key].(map[string]any)
		if !ok {
			inner = map[string]any{}
			at[key] = inner
		}
		at = inner
	}
	if last := keys[len(keys)-1]; isZero(value) {
		delete(at, last)
	} else {
		at[last] = value
	}
}

func (d document) trunk() (t plan.Trunk, err error) {
	text, err := json.Marshal(d)
	if err == nil {
		err = json.Unmarshal(text, &t)
	}
	return t, err
}

// defaults are values that say the same as an empty setting.
var defaults = func() map[string]any {
	out := map[string]any{}
	for _, kind := range editor.Kinds() {
		for _, section := range kind.Sections {
			for _, s := range section.Settings {
				if kind.Kind == plan.KindTrunk && s.Same != "" {
					out[s.Place] = s.Same
				}
			}
		}
	}
	return out
}()

// same compares a value of a document with one of a profile.
func same(is, has any, place string) bool {
	return reflect.DeepEqual(normal(is, place), normal(has, place))
}

// normal is a value as JSON would have it, nil for the default.
func normal(v any, place string) any {
	if isZero(v) || reflect.DeepEqual(v, defaults[place]) {
		return nil
	}
	text, err := json.Marshal(v)
	if err != nil {
		return v
	}
	var out any
	if json.Unmarshal(text, &out) != nil {
		return v
	}
	return out
}

func isZero(v any) bool {
	if v == nil {
		return true
	}
	of := reflect.ValueOf(v)
	return of.IsZero() || of.Kind() == reflect.Slice && of.Len() == 0
}

// count is how many entries stand at a place: one if it is no list.
func count(v any) int {
	if isZero(v) {
		return 0
	}
	if list, ok := v.([]any); ok {
		return len(list)
	}
	return 1
}
