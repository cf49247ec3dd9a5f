// Package document reads and writes plans as files, and reads what the database holds of them, in
// every version that there was: what is older is upgraded, what is not known is refused with its
// place. It never validates a plan, and never stores one.
package document

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"reflect"

	"switchback.example/switchback/internal/core/document/version1"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/strict"
)

// MaxBytes is the largest plan document that is read.
const MaxBytes = 256 << 20

// Read reads a plan document of any version strictly: a field that is not known, there twice or
// in other capitals, a value of another kind and anything after the document are errors that wrap
// a *strict.Error, with their place. It does not validate.
func Read(r io.Reader) (plan.Plan, error) {
	text, err := io.ReadAll(io.LimitReader(r, MaxBytes+1))
	if err != nil {
		return plan.Plan{}, fmt.Errorf("read the plan: %w", err)
	}
	if len(text) > MaxBytes {
		return plan.Plan{}, fmt.Errorf("the plan is larger than %d bytes", MaxBytes)
	}
	if versionOf(text) == 1 {
		text, err = upgraded(text, reflect.TypeFor[version1.Plan](), planMoves)
	} else if bad := strict.Check(text, reflect.TypeFor[plan.Plan]()); bad != nil {
		err = bad
	}
	if err != nil {
		return plan.Plan{}, fmt.Errorf("the plan is not a plan document: %w", err)
	}
	p := plan.New("")
	p.Format, p.Version = "", 0 // the document has to say both
	if err := json.Unmarshal(text, &p); err != nil {
		return plan.Plan{}, fmt.Errorf("the plan is not a plan document: %w", err)
	}
	return p, nil
}

// versionOf is the version that a document names; 0 for none, or one that cannot be read.
func versionOf(text []byte) int {
	var head struct {
		Version int `json:"version"`
	}
	if json.Unmarshal(text, &head) != nil {
		return 0
	}
	return head.Version
}

// Write writes the document, indented, with a newline at its end.
func Write(w io.Writer, p plan.Plan) error {
	text, err := json.MarshalIndent(p, "", "  ")
	if err != nil {
		return err
	}
	_, err = w.Write(append(text, '\n'))
	return err
}

// upgraded checks a text of version 1 against its type, and makes one of version 2 of it.
func upgraded(text []byte, was reflect.Type, moves object) ([]byte, error) {
	if bad := strict.Check(text, was); bad != nil {
		return nil, bad
	}
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.UseNumber()
	var tree map[string]any
	if err := dec.Decode(&tree); err != nil {
		return nil, err
	}
	return json.Marshal(moves.apply(tree))
}
