package document_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"math/rand"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/document/version1"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/strict"
	"switchback.example/switchback/internal/demo"
)

func TestReadRefusesWithItsPlace(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		{`{"format": "switchback-plan", "version": 1, "switchs": []}`, `line 1, column 45, /switchs: there is no such field here`},
		{"{\n \"version\": \"one\"}", `line 2, column 13, /version: is a text in quotes; a whole number belongs here`},
		{"{\n\n  \"format\": oops}", "line 3, column 13, /format: this is not JSON"},
		{`{"format": "switchback-plan"} {}`, "line 1, column 31: the document ends before this; remove what follows"},
		{``, "the file is empty"},
		{`null`, "line 1, column 1: is null; write an object in { }"},
		{`[]`, "line 1, column 1: is a list; an object in { } belongs here"},
		{`{"format": "switchback-plan"`, "line 1, column 29: the document ends here, in the middle"},
		{`{"Format": "switchback-plan"}`, `line 1, column 2, /Format: there is no such field; it is written "format"`},
		{"{\"name\": \"a\",\n\"name\": \"b\"}", "line 2, column 1, /name: duplicate field; keep one"},
		{`{"switches": [{"id": "a"}, {"id": "b", "Region": {}}]}`, `/switches/1/Region: there is no such field; it is written "region"`},
		{`{"switches": {}}`, "line 1, column 14, /switches: is an object; a list in [ ] belongs here"},
		{`{"trunks": [{"channels": 1.5}]}`, "/trunks/0/channels: 1.5 is not a whole number that fits here"},
		{`{"trunks": [{"channels": null}]}`, "/trunks/0/channels: is null; write a whole number, or leave the field out"},
		{`{"numbers": [{"first": "+441914980100", "State": "active"}]}`, `/numbers/0/State: there is no such field; it is written "state"`},
		{"\ufeff{}", "the file begins with a byte order mark; save it as UTF-8 without one"},
		{"\xff\xfe{\x00}\x00", "the file is written in UTF-16; save it as UTF-8"},
		{"{\x00}\x00", "UTF-16 or UTF-32"},
		{"{\"name\": \"\xe9\"}", "the file is not written in UTF-8; save it so"},
	} {
		_, err := document.Read(strings.NewReader(c.in))
		assert.ErrorContains(t, err, c.want, c.in)
		assert.NotContains(t, fmt.Sprint(err), "Go ", c.in)
	}
	_, err := document.Read(strings.NewReader(`{"` + strings.Repeat("x", 1<<20) + `": 1}`))
	assert.Less(t, len(err.Error()), 1000, "what is wrong is not repeated at length")
}

// An empty document is read, and is no valid plan: it has to say what it is.
func TestADocumentSaysWhatItIs(t *testing.T) {
	p, err := document.Read(strings.NewReader("{}"))
	require.NoError(t, err)
	problems := p.Validate()
	require.Len(t, problems, 2)
	assert.Equal(t, "/format", problems[0].Place)
	assert.Equal(t, plan.Problem{Place: "/version", Reason: "is missing; this Switchback reads version 2"}, problems[1])
}

func TestWriteThenReadIsTheSame(t *testing.T) {
	p := skerry(t)
	var b bytes.Buffer
	require.NoError(t, document.Write(&b, p))
	again, err := document.Read(&b)
	require.NoError(t, err)
	assert.Equal(t, p, again)
}

func skerry(t *testing.T) plan.Plan {
	p, err := demo.Plan()
	require.NoError(t, err)
	return p
}

// version1Plan is the demo's plan as it was exported before version 2.
func version1Plan(t *testing.T) []byte {
	text, err := io.ReadAll(calltest.Version1(t, "live.json.gz"))
	require.NoError(t, err)
	return text
}

// filled sets every field of a type to a value that no other has, and notes the values.
func filled(v reflect.Value, next *int, values *[]string) {
	note := func(s string) { *values = append(*values, s) }
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			filled(v.Field(i), next, values)
		}
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 1, 1))
		filled(v.Index(0), next, values)
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		filled(v.Elem(), next, values)
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		*next++
		v.SetMapIndex(reflect.ValueOf(fmt.Sprint("key", *next)), reflect.ValueOf(fmt.Sprint("value", *next)))
		note(fmt.Sprintf("%q:%q", fmt.Sprint("key", *next), fmt.Sprint("value", *next)))
	case reflect.String:
		*next++
		v.SetString(fmt.Sprint("text", *next))
		note(fmt.Sprintf("%q", v.String()))
	case reflect.Int:
		*next++
		v.SetInt(int64(100_000 + *next))
		note(fmt.Sprint(v.Int()))
	case reflect.Bool:
		v.SetBool(true)
		note("true")
	}
}

// Whatever stands in a document of version 1 stands in version 2 too: every setting there was, each
// with a value that no other has.
func TestNothingOfVersion1Vanishes(t *testing.T) {
	var was version1.Plan
	var values []string
	next := 0
	filled(reflect.ValueOf(&was).Elem(), &next, &values)
	was.Version = 1
	text, err := json.Marshal(was)
	require.NoError(t, err)
	is, err := document.Read(bytes.NewReader(text))
	require.NoError(t, err)
	out, err := json.Marshal(is)
	require.NoError(t, err)
	missing := []string{}
	for _, v := range values {
		if v != "true" && !bytes.Contains(out, []byte(v)) {
			missing = append(missing, v)
		}
	}
	// The version is 2 now, and the kind of a trunk is that of its link.
	assert.Equal(t, []string{fmt.Sprint(100_000 + 2), fmt.Sprintf("%q", was.Trunks[0].Kind)}, missing)
	assert.Equal(t, bytes.Count(text, []byte("true")), bytes.Count(out, []byte("true")))
	assert.Equal(t, 2, is.Version)
}

// Each kind of row of version 1 becomes what the document becomes.
func TestRowsAreUpgradedAsDocumentsAre(t *testing.T) {
	was := map[string][]json.RawMessage{}
	var doc map[string]json.RawMessage
	require.NoError(t, json.Unmarshal(version1Plan(t), &doc))
	for list, kind := range map[string]string{"switches": "switch", "farEnds": "farEnd", "trunks": "trunk", "paths": "path", "destinations": "destination", "groups": "group", "hours": "hours", "checks": "check"} {
		var rows []json.RawMessage
		require.NoError(t, json.Unmarshal(doc[list], &rows))
		was[kind] = rows
	}
	var tables []map[string]json.RawMessage
	require.NoError(t, json.Unmarshal(doc["tables"], &tables))
	for _, table := range tables {
		var rules []json.RawMessage
		require.NoError(t, json.Unmarshal(table["rules"], &rules))
		was["rule"] = append(was["rule"], rules...)
		table["rules"] = json.RawMessage("[]") // they are rows of their own
		body, err := json.Marshal(table)
		require.NoError(t, err)
		was["table"] = append(was["table"], body)
	}
	p, err := document.Read(bytes.NewReader(version1Plan(t)))
	require.NoError(t, err)
	objects, err := plan.Objects(p)
	require.NoError(t, err)
	is := map[string][]string{}
	for _, o := range objects {
		is[string(o.Kind)] = append(is[string(o.Kind)], string(o.Body))
	}
	for kind, rows := range was {
		for i, body := range rows {
			row, err := document.Upgrade(document.Row{Version: 1, Kind: kind, Body: body})
			require.NoError(t, err)
			assert.Equal(t, 2, row.Version)
			assert.Equal(t, is[row.Kind][i], string(row.Body), kind)
		}
	}
	row, err := document.Upgrade(document.Row{Version: 1, Kind: "numbers", Body: []byte(`{"from":"0","blocks":false,"numbers":[{"first":"+441914980100","state":"active","tag":"Sales"}]}`)})
	require.NoError(t, err)
	assert.Contains(t, string(row.Body), `"namePrefix":"Sales"`)
	same, err := document.Upgrade(row)
	require.NoError(t, err)
	assert.Equal(t, row, same, "a row of this version is left")
	gone, err := document.Upgrade(document.Row{Version: 1, Kind: "group"})
	require.NoError(t, err)
	assert.Equal(t, document.Row{Version: 2, Kind: "callerGroup"}, gone)
	_, err = document.Upgrade(document.Row{Version: 1, Kind: "lamp", Body: []byte("{}")})
	assert.EqualError(t, err, `version 1 has no kind "lamp"`)
}

// A field that version 1 does not know is refused wherever it is put, with its place; seeded.
func TestUnknownFieldsOfVersion1AreRefusedEverywhere(t *testing.T) {
	r := rand.New(rand.NewSource(1))
	var tree any
	require.NoError(t, json.Unmarshal(version1Plan(t), &tree))
	var objects []map[string]any
	var places []string
	var walk func(at string, v any)
	walk = func(at string, v any) {
		switch v := v.(type) {
		case map[string]any:
			objects, places = append(objects, v), append(places, at)
			for k, inner := range v {
				walk(at+"/"+k, inner)
			}
		case []any:
			for i, inner := range v {
				walk(fmt.Sprintf("%s/%d", at, i), inner)
			}
		}
	}
	walk("", tree)
	for range 200 {
		i := r.Intn(len(objects))
		objects[i]["hairpin"] = true // a word of version 2
		text, err := json.Marshal(tree)
		require.NoError(t, err)
		_, err = document.Read(bytes.NewReader(text))
		var bad *strict.Error
		require.ErrorAs(t, err, &bad)
		assert.Equal(t, places[i]+"/hairpin", bad.Place)
		delete(objects[i], "hairpin")
	}
}
