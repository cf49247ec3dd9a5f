// Package strict reads JSON that people write or that was stored: it says what does not fit a
// Go type, where, and in words of the document. encoding/json forgives much that must not be
// lost, such as a field that is not known, there twice, or in other capitals.
//
// It never decodes into the type; that is left to encoding/json.
package strict

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"reflect"
	"strings"
	"unicode/utf8"
)

// Error is what is wrong with a document, where, and in words of the document.
type Error struct {
	Line, Column int    // from 1; the column in bytes
	Place        string // into the document, such as /trunks/2/channels; empty for the whole
	Reason       string
}

func (e *Error) Error() string {
	at := fmt.Sprintf("line %d, column %d", e.Line, e.Column)
	if e.Place != "" {
		at += ", " + e.Place
	}
	return at + ": " + e.Reason
}

// shaped is a type that reads itself, and says what it looks like in JSON.
type shaped interface{ JSONShape() reflect.Type }

// walk goes through a document beside the type that it is to become.
type walk struct {
	text []byte
	dec  *json.Decoder
}

// maxRepeated is how much of a place an error repeats, in bytes.
const maxRepeated = 200

// Check returns the first thing in a document that does not fit a type; nil if all does.
func Check(text []byte, want reflect.Type) *Error {
	if why := encoding(text); why != "" {
		return &Error{1, 1, "", why}
	}
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	s := &walk{text, dec}
	if err := s.value(want, ""); err != nil {
		return err
	}
	if at := s.next(); at < len(s.text) {
		return s.fault(at, "", "the document ends before this; remove what follows")
	}
	return nil
}

// encoding says what is wrong with the characters of a document; empty if nothing is.
func encoding(text []byte) string {
	switch {
	case bytes.HasPrefix(text, []byte{0xff, 0xfe}) || bytes.HasPrefix(text, []byte{0xfe, 0xff}):
		return "the file is written in UTF-16; save it as UTF-8"
	case bytes.HasPrefix(text, []byte{0xef, 0xbb, 0xbf}):
		return "the file begins with a byte order mark; save it as UTF-8 without one"
	case len(text) >= 2 && (text[0] == 0 || text[1] == 0):
		return "the file is written in UTF-16 or UTF-32; save it as UTF-8"
	case len(bytes.TrimSpace(text)) == 0:
		return "the file is empty"
	case !utf8.Valid(text):
		return "the file is not written in UTF-8; save it so"
	}
	return ""
}

// next is where the next token begins.
func (s *walk) next() int {
	at := int(s.dec.InputOffset())
	for at < len(s.text) && strings.IndexByte(" \t\r\n,:", s.text[at]) >= 0 {
		at++
	}
	return at
}

func (s *walk) fault(at int, place, format string, args ...any) *Error {
	before := s.text[:min(at, len(s.text))]
	if len(place) > maxRepeated {
		place = place[:maxRepeated] + "…"
	}
	return &Error{bytes.Count(before, []byte("\n")) + 1, len(before) - bytes.LastIndexByte(before, '\n'), place, fmt.Sprintf(format, args...)}
}

// token reads the next token, and where it begins.
func (s *walk) token(place string) (t json.Token, at int, bad *Error) {
	at = s.next()
	t, err := s.dec.Token()
	if err == nil {
		return t, at, nil
	}
	var syntax *json.SyntaxError
	switch {
	case errors.Is(err, io.EOF) || errors.Is(err, io.ErrUnexpectedEOF):
		return nil, at, s.fault(len(s.text), place, "the document ends here, in the middle")
	case errors.As(err, &syntax):
		return nil, at, s.fault(max(at, int(syntax.Offset)-1), place, "this is not JSON: %s", syntax)
	}
	return nil, at, s.fault(at, place, "this is not JSON: %s", err)
}

// value reads a value that is to become one of a type.
func (s *walk) value(want reflect.Type, place string) *Error {
	t, at, bad := s.token(place)
	if bad != nil {
		return bad
	}
	for want.Kind() == reflect.Pointer {
		want = want.Elem()
	}
	if v, ok := reflect.New(want).Interface().(shaped); ok {
		want = v.JSONShape()
	}
	expected := wordFor(want)
	switch t := t.(type) {
	case json.Delim:
		switch {
		case t == '{' && want.Kind() == reflect.Struct:
			return s.object(want, place)
		case t == '{' && want.Kind() == reflect.Map:
			return s.mapping(want, place)
		case t == '[' && want.Kind() == reflect.Slice:
			return s.list(want, place)
		case t == '{':
			return s.fault(at, place, "is an object; %s belongs here", expected)
		}
		return s.fault(at, place, "is a list; %s belongs here", expected)
	case nil:
		return s.fault(at, place, "is null; write %s, or leave the field out", expected)
	case string:
		if want.Kind() != reflect.String && !reflect.PointerTo(want).Implements(textual) {
			return s.fault(at, place, "is a text in quotes; %s belongs here", expected)
		}
	case bool:
		if want.Kind() != reflect.Bool {
			return s.fault(at, place, "is true or false; %s belongs here", expected)
		}
	case json.Number:
		switch {
		case want.Kind() != reflect.Int && want.Kind() != reflect.Float64:
			return s.fault(at, place, "is a number without quotes; %s belongs here", expected)
		case want.Kind() == reflect.Int:
			if _, err := t.Int64(); err != nil {
				return s.fault(at, place, "%s is not a whole number that fits here", t)
			}
		}
	}
	return nil
}

var textual = reflect.TypeFor[interface{ UnmarshalText([]byte) error }]()

// wordFor names what a type looks like in JSON.
func wordFor(t reflect.Type) string {
	switch t.Kind() {
	case reflect.Struct:
		if reflect.PointerTo(t).Implements(textual) {
			return "a text in quotes"
		}
		return "an object in { }"
	case reflect.Map:
		return "an object in { }"
	case reflect.Slice:
		return "a list in [ ]"
	case reflect.Bool:
		return "true or false"
	case reflect.Int:
		return "a whole number"
	case reflect.Float64:
		return "a number"
	}
	return "a text in quotes"
}

// key reads the name of a field.
func (s *walk) key(place string, seen map[string]bool) (name string, at int, bad *Error) {
	t, at, bad := s.token(place)
	if bad != nil {
		return "", at, bad
	}
	name, _ = t.(string) // the decoder refuses other keys
	if seen[name] {
		return name, at, s.fault(at, place+"/"+name, "duplicate field; keep one")
	}
	seen[name] = true
	return name, at, nil
}

func (s *walk) object(want reflect.Type, place string) *Error {
	fields := fieldsOf(want)
	seen := map[string]bool{}
	for s.dec.More() {
		name, at, bad := s.key(place, seen)
		if bad != nil {
			return bad
		}
		field, known := fields[name]
		if !known {
			return s.fault(at, place+"/"+name, "%s", unknownField(name, fields))
		}
		if bad := s.value(field, place+"/"+name); bad != nil {
			return bad
		}
	}
	_, _, bad := s.token(place)
	return bad
}

func (s *walk) mapping(want reflect.Type, place string) *Error {
	seen := map[string]bool{}
	for s.dec.More() {
		name, _, bad := s.key(place, seen)
		if bad != nil {
			return bad
		}
		if bad := s.value(want.Elem(), place+"/"+name); bad != nil {
			return bad
		}
	}
	_, _, bad := s.token(place)
	return bad
}

func (s *walk) list(want reflect.Type, place string) *Error {
	for i := 0; s.dec.More(); i++ {
		if bad := s.value(want.Elem(), fmt.Sprintf("%s/%d", place, i)); bad != nil {
			return bad
		}
	}
	_, _, bad := s.token(place)
	return bad
}

// fieldsOf are the types of a struct's fields by their names in JSON.
func fieldsOf(t reflect.Type) map[string]reflect.Type {
	out := map[string]reflect.Type{}
	for i := range t.NumField() {
		f := t.Field(i)
		name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
		switch {
		case f.Anonymous && name == "":
			for n, inner := range fieldsOf(f.Type) {
				out[n] = inner
			}
		case f.IsExported() && name != "-" && name != "":
			out[name] = f.Type
		}
	}
	return out
}

// unknownField says that a field is not known, and which one may be meant.
func unknownField(name string, fields map[string]reflect.Type) string {
	for known := range fields {
		if strings.EqualFold(known, name) {
			return fmt.Sprintf("there is no such field; it is written %q", known)
		}
	}
	return "there is no such field here"
}
