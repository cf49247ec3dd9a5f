package plan

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/rewrite"
)

// leaf is a value of an object in which nothing else stands: one text, or the elements of a list.
type leaf struct {
	list  bool
	texts []string
}

func (l leaf) String() string { return strings.Join(l.texts, ListSeparator) }

// fieldChanges compares two JSON objects leaf by leaf; a list is one leaf.
func fieldChanges(before, after json.RawMessage) ([]FieldChange, error) {
	a, err := leaves(before)
	if err != nil {
		return nil, err
	}
	b, err := leaves(after)
	if err != nil {
		return nil, err
	}
	fields := []FieldChange{}
	for f, was := range a {
		is, both := b[f]
		if both && slices.Equal(was.texts, is.texts) {
			continue
		}
		if both && was.list && is.list {
			was, is = onlyIn(was, is)
		}
		fields = append(fields, FieldChange{f, was.String(), is.String()})
	}
	for f, is := range b {
		if _, both := a[f]; !both {
			fields = append(fields, FieldChange{f, "", is.String()})
		}
	}
	slices.SortFunc(fields, func(x, y FieldChange) int { return cmp.Compare(x.Field, y.Field) })
	return fields, nil
}

// onlyIn is what only one of two lists has; the lists themselves where only their order differs.
func onlyIn(was, is leaf) (removed, added leaf) {
	removed, added = leaf{true, without(was.texts, is.texts)}, leaf{true, without(is.texts, was.texts)}
	if len(removed.texts) == 0 && len(added.texts) == 0 {
		return was, is
	}
	return removed, added
}

// without is a list without the elements of another, each as often as it stands there.
func without(list, other []string) (rest []string) {
	count := map[string]int{}
	for _, e := range other {
		count[e]++
	}
	for _, e := range list {
		if count[e]--; count[e] < 0 {
			rest = append(rest, e)
		}
	}
	return rest
}

func leaves(body json.RawMessage) (map[string]leaf, error) {
	out := map[string]leaf{}
	if len(body) == 0 {
		return out, nil
	}
	var v any
	if err := json.Unmarshal(body, &v); err != nil {
		return nil, err
	}
	collect(out, "", v)
	return out, nil
}

func collect(out map[string]leaf, at string, v any) {
	switch v := v.(type) {
	case map[string]any:
		for k, w := range v {
			collect(out, strings.TrimPrefix(at+"/"+k, "/"), w)
		}
	case []any:
		l := leaf{list: true}
		for _, w := range v {
			l.texts = append(l.texts, element(w))
		}
		out[at] = l
	default:
		out[at] = leaf{texts: []string{fmt.Sprint(v)}}
	}
}

// element is one element of a list as it is read: a digit step by its label, another object by
// its fields, by the value alone where it has but one.
func element(v any) string {
	switch v := v.(type) {
	case map[string]any:
		if _, step := v["op"]; step {
			return stepLabel(v)
		}
		var parts []string
		for _, k := range slices.Sorted(maps.Keys(v)) {
			if len(v) == 1 {
				return element(v[k])
			}
			parts = append(parts, k+" "+element(v[k]))
		}
		return strings.Join(parts, ", ")
	case []any:
		var parts []string
		for _, w := range v {
			parts = append(parts, element(w))
		}
		return strings.Join(parts, " ")
	}
	return fmt.Sprint(v)
}

func stepLabel(v map[string]any) string {
	var step rewrite.Step
	text, err := json.Marshal(v)
	if err == nil {
		err = json.Unmarshal(text, &step)
	}
	if err != nil {
		return fmt.Sprint(v) // no step that this version knows
	}
	return step.Label()
}
