package editor

import (
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/plan"
)

var objects = map[plan.Kind]reflect.Type{
	plan.KindSwitch: reflect.TypeFor[plan.Switch](), plan.KindFarEnd: reflect.TypeFor[plan.FarEnd](), plan.KindTrunk: reflect.TypeFor[plan.Trunk](),
	plan.KindPath: reflect.TypeFor[plan.Path](), plan.KindDestination: reflect.TypeFor[plan.Destination](),
	plan.KindCallerGroup: reflect.TypeFor[plan.CallerGroup](), plan.KindCalendar: reflect.TypeFor[plan.Calendar](),
}

// leaves are the places of a type at which a value stands, lists as a whole.
func leaves(t reflect.Type, at string, do func(place string)) {
	for t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	if t.Kind() != reflect.Struct {
		do(at)
		return
	}
	for i := range t.NumField() {
		name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ",")
		leaves(t.Field(i).Type, strings.TrimPrefix(at+"/"+name, "/"), do)
	}
}

// Every setting of the schema has an editor: a line, or one that covers it.
func TestEverySettingHasAnEditor(t *testing.T) {
	for _, k := range Kinds() {
		lines, covers := map[string]int{}, []string{"id"} // the id has a field of its own
		for _, s := range k.Sections {
			covers = append(covers, s.Covers...)
			for _, one := range s.Settings {
				lines[one.Place]++
			}
		}
		leaves(objects[k.Kind], "", func(place string) {
			n := lines[place]
			for _, c := range covers {
				if place == c || strings.HasPrefix(place, c+"/") {
					n++
				}
			}
			assert.Equalf(t, 1, n, "%s %s has %d editors", k.Kind, place, n)
			delete(lines, place)
		})
		assert.Emptyf(t, lines, "%s has no such settings", k.Kind)
	}
}

// A choice offers every value that the schema has, and none that it has not.
func TestChoicesOfferWhatTheSchemaHas(t *testing.T) {
	for _, k := range Kinds() {
		for _, section := range k.Sections {
			for _, s := range section.Settings {
				f, _ := fieldAt(objects[k.Kind], s.Place)
				if s.Input != Choice {
					assert.Emptyf(t, s.Options, s.Place)
					continue
				}
				want := strings.Split(f.Tag.Get("enum"), ",")
				if f.Type.Kind() == reflect.Pointer {
					want = []string{"true", "false"}
				}
				if strings.Contains(f.Tag.Get("json"), ",omit") {
					want = append(want, "")
				}
				var has []string
				for _, o := range s.Options {
					has = append(has, o.Value)
					assert.NotEmpty(t, o.Label, s.Place)
				}
				if s.Same != "" {
					has = append(has, s.Same)
				}
				assert.ElementsMatchf(t, want, has, "%s %s", k.Kind, s.Place)
			}
		}
	}
}

// Labels are short nouns, and none is there twice in a kind: a person finds one by its label.
func TestLabelsAreShortAndTellSettingsApart(t *testing.T) {
	for _, k := range Kinds() {
		seen := map[string]string{}
		for _, section := range k.Sections {
			for _, s := range section.Settings {
				assert.Emptyf(t, seen[s.Label], "%s: %s is the label of %s too", k.Kind, s.Label, s.Place)
				seen[s.Label] = s.Place
				words, _, _ := strings.Cut(s.Label, " (")
				assert.LessOrEqual(t, len(strings.Fields(words)), 5, s.Label)
				for _, word := range []string{" we ", " us ", " they ", " them ", " our ", " their ", "theirs"} {
					assert.NotContains(t, " "+strings.ToLower(s.Label+" "+s.Hint+" "+s.Default)+" ", word)
				}
			}
		}
	}
}

// What an empty number stands for is within its bounds.
func TestNumbersAreBounded(t *testing.T) {
	for _, k := range Kinds() {
		for _, section := range k.Sections {
			for _, s := range section.Settings {
				if s.Input == Number && s.Place != "listeners" {
					assert.Positivef(t, s.Max, "%s %s has no upper bound in the schema", k.Kind, s.Place)
				}
			}
		}
	}
}
