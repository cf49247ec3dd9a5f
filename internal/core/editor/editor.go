// Package editor says how the objects of a plan are edited: their settings in sections, each with
// its label, hint, unit, default and options. What a setting can be follows from the plan's types;
// the words are here and nowhere else.
//
// It never edits anything, and decides nothing.
package editor

import (
	"reflect"
	"strconv"
	"strings"

	"switchback.example/switchback/internal/core/plan"
)

// Input is how a setting is entered.
type Input string

// The inputs.
const (
	Text       Input = "text"
	Code       Input = "code" // text in which each character counts: addresses, patterns, numbers
	Number     Input = "number"
	Flag       Input = "flag"
	Choice     Input = "choice"
	Lines      Input = "lines"      // a list of texts, one a line
	Causes     Input = "causes"     // a list of Q.850 causes
	Reference  Input = "reference"  // the id of another object
	References Input = "references" // ids, one a line
)

// Setting is one setting of an object.
type Setting struct {
	// Place is where it stands in the object, such as link/sip/remoteAddress.
	Place string `json:"place"`
	Label string `json:"label"`
	Input Input  `json:"input" enum:"text,code,number,flag,choice,lines,causes,reference,references"`
	Hint  string `json:"hint,omitempty" doc:"Effect, default, reference: one sentence"`
	Unit  string `json:"unit,omitempty"`
	// Default is what an empty setting stands for, in words.
	Default string `json:"default,omitempty"`
	// Same is a value that means the same as an empty one.
	Same    string   `json:"same,omitempty"`
	Options []Option `json:"options,omitempty"`
	// Columns are the fields of the objects in a list, in the order in which a line has them; the
	// last one takes the rest of the line.
	Columns []string `json:"columns,omitempty"`
	// Kind is that of the objects that can be named; with SameSwitch only those of the switch
	// that the object is on.
	Kind       plan.Kind `json:"kind,omitempty"`
	SameSwitch bool      `json:"sameSwitch,omitempty"`
	// Min and Max bound a number; Max 0 is no bound.
	Min  int  `json:"min,omitempty"`
	Max  int  `json:"max,omitempty"`
	Wide bool `json:"wide,omitempty" doc:"It needs the whole line"`
}

// Option is a value of a choice; the empty value is the default.
type Option struct {
	Value string `json:"value"`
	Label string `json:"label"`
}

// Section is settings that belong together.
type Section struct {
	Title    string    `json:"title"`
	About    string    `json:"about,omitempty"`
	Settings []Setting `json:"settings" nullable:"false"`
	// Special is an editor of its own for what one line cannot show; Covers are its places.
	Special string   `json:"special,omitempty" enum:"accounts,choices,contract,profile,targets,week,dates,month"`
	Covers  []string `json:"-"`
}

// Kind is how one sort of object is edited.
type Kind struct {
	Kind  plan.Kind `json:"kind"`
	Field string    `json:"field" doc:"Its list in a plan"`
	One   string    `json:"one"`
	Many  string    `json:"many"`
	// Ordered says what the order of these objects means; empty if it means nothing.
	Ordered  string    `json:"ordered,omitempty"`
	Sections []Section `json:"sections" nullable:"false"`
}

// Kinds are the sorts of object that are edited setting by setting, in the order of a plan.
func Kinds() []Kind {
	return []Kind{switches(), farEnds(), trunks(), paths(), destinations(), callerGroups(), calendars()}
}

func kindOf[T any](k *plan.KindOf[T], many string, sections ...Section) Kind {
	object := reflect.TypeFor[T]()
	for i := range sections {
		for j := range sections[i].Settings {
			sections[i].Settings[j].complete(object)
		}
		if sections[i].Settings == nil {
			sections[i].Settings = []Setting{}
		}
	}
	return Kind{Kind: k.Kind, Field: k.Field, One: k.Name, Many: many, Sections: sections}
}

// set begins a setting; what can be entered follows from the type of the object.
func set(place, label string) Setting { return Setting{Place: place, Label: label} }

func (s Setting) hint(text string) Setting { s.Hint = text; return s }
func (s Setting) unit(text string) Setting { s.Unit = text; return s }
func (s Setting) wide() Setting            { s.Wide = true; return s }
func (s Setting) code() Setting            { s.Input = Code; return s }

// or says what an empty setting stands for: a text or a number.
func (s Setting) or(d any) Setting {
	switch d := d.(type) {
	case string:
		s.Default = d
	case int:
		s.Default = strconv.Itoa(d)
	}
	return s
}

// same says which value means the same as an empty one.
func (s Setting) same(value string) Setting { s.Same = value; return s }

// here restricts the objects that can be named to those of the same switch.
func (s Setting) here() Setting { s.SameSwitch = true; return s }

// of gives the options of a choice as value, label, value, label; the first is the default where
// its value is empty.
func (s Setting) of(words ...string) Setting {
	for i := 0; i+1 < len(words); i += 2 {
		s.Options = append(s.Options, Option{words[i], words[i+1]})
	}
	return s
}

// complete fills in what follows from the type of an object.
func (s *Setting) complete(object reflect.Type) {
	f, ok := fieldAt(object, s.Place)
	if !ok {
		panic("editor: " + object.Name() + " has no setting " + s.Place)
	}
	s.Min, s.Max = bound(f, "minimum"), bound(f, "maximum")
	s.Kind = plan.Kind(f.Tag.Get("ref"))
	if s.Input == "" {
		s.Input = inputOf(f)
	}
	if f.Type.Kind() == reflect.Slice && f.Type.Elem().Kind() == reflect.Struct {
		for i := range f.Type.Elem().NumField() {
			name, _, _ := strings.Cut(f.Type.Elem().Field(i).Tag.Get("json"), ",")
			s.Columns = append(s.Columns, name)
		}
	}
}

func bound(f reflect.StructField, tag string) int {
	n, err := strconv.Atoi(f.Tag.Get(tag))
	if err != nil {
		return 0
	}
	return n
}

func inputOf(f reflect.StructField) Input {
	list := f.Type.Kind() == reflect.Slice
	switch {
	case f.Tag.Get("ref") != "" && list:
		return References
	case f.Tag.Get("ref") != "":
		return Reference
	case f.Tag.Get("enum") != "", f.Type.Kind() == reflect.Pointer:
		return Choice
	case f.Type.Kind() == reflect.Bool:
		return Flag
	case f.Type.Kind() == reflect.Int:
		return Number
	case list && f.Type.Elem().Kind() == reflect.Int:
		return Causes
	case list:
		return Lines
	}
	return Text
}

// fieldAt is the field of a type at a place, by its JSON names.
func fieldAt(t reflect.Type, place string) (f reflect.StructField, ok bool) {
	for _, key := range strings.Split(place, "/") {
		for t.Kind() == reflect.Pointer {
			t = t.Elem()
		}
		if t.Kind() != reflect.Struct {
			return f, false
		}
		if f, ok = fieldNamed(t, key); !ok {
			return f, false
		}
		t = f.Type
	}
	return f, true
}

func fieldNamed(t reflect.Type, key string) (reflect.StructField, bool) {
	for i := range t.NumField() {
		if name, _, _ := strings.Cut(t.Field(i).Tag.Get("json"), ","); name == key {
			return t.Field(i), true
		}
	}
	return reflect.StructField{}, false
}
