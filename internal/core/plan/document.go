package plan

import (
	"encoding/json"
	"fmt"
	"io"
	"reflect"
)

// MaxDocument is the largest plan document that is read, in bytes.
const MaxDocument = 256 << 20

// Read reads a plan document strictly: a field that is not known, there twice or in other
// capitals, a value of another kind and anything after the document are errors of type
// *ReadError, with their place. It does not validate.
func Read(r io.Reader) (Plan, error) {
	text, err := io.ReadAll(io.LimitReader(r, MaxDocument+1))
	if err != nil {
		return Plan{}, fmt.Errorf("read the plan: %w", err)
	}
	if len(text) > MaxDocument {
		return Plan{}, fmt.Errorf("the plan is larger than %d bytes", MaxDocument)
	}
	if bad := check(text, reflect.TypeFor[Plan]()); bad != nil {
		return Plan{}, fmt.Errorf("the plan is not a plan document: %w", bad)
	}
	p := New("")
	p.Format, p.Version = "", 0 // the document has to say both
	if err := json.Unmarshal(text, &p); err != nil {
		return Plan{}, fmt.Errorf("the plan is not a plan document: %w", err)
	}
	return p, nil
}

// Write writes the document, indented, with a newline at its end.
func Write(w io.Writer, p Plan) error {
	text, err := json.MarshalIndent(p, "", "  ")
	if err != nil {
		return err
	}
	_, err = w.Write(append(text, '\n'))
	return err
}
