package plan_test

import (
	"encoding/json"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
)

var lists = map[plan.Kind]string{
	plan.KindSwitch: "switches", plan.KindFarEnd: "farEnds", plan.KindTrunk: "trunks", plan.KindTable: "tables", plan.KindPath: "paths",
	plan.KindDestination: "destinations", plan.KindCallerGroup: "callerGroups", plan.KindCalendar: "calendars",
}

func objectOf(t *testing.T, list any, id string) map[string]any {
	for _, o := range list.([]any) {
		if o := o.(map[string]any); o["id"] == id {
			return o
		}
	}
	t.Fatalf("no object %s", id)
	return nil
}

// renamed is a plan in which one reference names something else.
func renamed(t *testing.T, p plan.Plan, r plan.Reference, id string) (out plan.Plan) {
	text, err := json.Marshal(p)
	require.NoError(t, err)
	var doc map[string]any
	require.NoError(t, json.Unmarshal(text, &doc))
	var at any
	if r.From.Kind == plan.KindRule {
		at = objectOf(t, objectOf(t, doc["tables"], r.Table)["rules"], r.From.ID)
	} else {
		at = objectOf(t, doc[lists[r.From.Kind]], r.From.ID)
	}
	keys := strings.Split(r.Place, "/")
	for i, key := range keys {
		last := i == len(keys)-1
		switch v := at.(type) {
		case map[string]any:
			if last {
				require.Equal(t, r.To.ID, v[key])
				v[key] = id
			}
			at = v[key]
		case []any:
			var n int
			_, err := fmt.Sscan(key, &n)
			require.NoError(t, err)
			if last {
				require.Equal(t, r.To.ID, v[n])
				v[n] = id
			}
			at = v[n]
		}
	}
	text, err = json.Marshal(doc)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(text, &out))
	return out
}

// What is tagged as a reference is one: a name that nothing bears is refused right there.
func TestEveryReferenceIsChecked(t *testing.T) {
	p := skerry(t)
	seen := map[string]bool{} // one of each field
	withoutDigits := strings.NewReplacer("0", "", "1", "", "2", "", "3", "", "4", "", "5", "", "6", "", "7", "", "8", "", "9", "")
	p.EachReference(func(r plan.Reference) {
		field := string(r.From.Kind) + " " + withoutDigits.Replace(r.Place)
		if seen[field] {
			return
		}
		seen[field] = true
		problems := renamed(t, p, r, "gone").Validate()
		assert.Truef(t, slices.ContainsFunc(problems, func(x plan.Problem) bool { return strings.HasSuffix(x.Place, "/"+r.From.ID+"/"+r.Place) }),
			"%s %s names %s %s at %s, and nothing misses it: %v", r.From.Kind, r.From.ID, r.To.Kind, r.To.ID, r.Place, problems)
	})
	assert.Greater(t, len(seen), 14)
}

// Whatever is named as an object of the plan bears a tag, so that nothing is used in secret.
func TestFieldsThatNameObjectsBearATag(t *testing.T) {
	named := map[string]plan.Kind{
		"switch": plan.KindSwitch, "farEnd": plan.KindFarEnd, "trunk": plan.KindTrunk, "trunks": plan.KindTrunk, "oppositeTrunk": plan.KindTrunk,
		"table": plan.KindTable, "inboundTable": plan.KindTable, "path": plan.KindPath, "destination": plan.KindDestination, "lastResort": plan.KindDestination,
		"callerGroups": plan.KindCallerGroup, "calendar": plan.KindCalendar,
	}
	seen := map[reflect.Type]bool{}
	var walk func(at reflect.Type)
	walk = func(at reflect.Type) {
		for at.Kind() == reflect.Slice || at.Kind() == reflect.Pointer {
			at = at.Elem()
		}
		if at.Kind() != reflect.Struct || seen[at] || strings.Contains(at.PkgPath(), "inventory") { // numbers are found by their destination
			return
		}
		seen[at] = true
		for i := range at.NumField() {
			f := at.Field(i)
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			text := f.Type.Kind() == reflect.String || f.Type.Kind() == reflect.Slice && f.Type.Elem().Kind() == reflect.String
			if kind, ok := named[name]; ok && text && f.Tag.Get("enum") == "" {
				assert.Equalf(t, string(kind), f.Tag.Get("ref"), "%s.%s", at, f.Name)
			}
			walk(f.Type)
		}
	}
	walk(reflect.TypeFor[plan.Plan]())
}

func TestUsersAreNamedOnce(t *testing.T) {
	p := skerry(t)
	users := p.Users(plan.Key{Kind: plan.KindCalendar, ID: "office"})
	require.NotEmpty(t, users)
	seen := map[plan.Key]bool{}
	for _, u := range users {
		k := plan.Key{Kind: u.Kind, ID: u.ID}
		assert.False(t, seen[k], k)
		seen[k] = true
		assert.NotEmpty(t, u.Name)
		assert.NotEmpty(t, u.Places)
	}
	assert.Equal(t, len(users), p.CountUsers(plan.KindCalendar)["office"])
	assert.Empty(t, p.Users(plan.Key{Kind: plan.KindTrunk, ID: "gone"}))
	assert.NotEmpty(t, p.Users(plan.Key{Kind: plan.KindFarEnd, ID: "ostrel"}), "a far end is used by its trunk")
}
