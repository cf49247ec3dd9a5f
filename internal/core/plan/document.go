package plan

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
)

// MaxDocument is the largest plan document that is read, in bytes.
const MaxDocument = 256 << 20

// Read reads a plan document strictly: unknown fields and anything after the
// document are errors, with their place. It does not validate.
func Read(r io.Reader) (Plan, error) {
	text, err := io.ReadAll(io.LimitReader(r, MaxDocument+1))
	if err != nil {
		return Plan{}, fmt.Errorf("read the plan: %w", err)
	}
	if len(text) > MaxDocument {
		return Plan{}, fmt.Errorf("the plan is larger than %d bytes", MaxDocument)
	}
	p := New("")
	dec := json.NewDecoder(bytes.NewReader(text))
	dec.DisallowUnknownFields()
	if err := dec.Decode(&p); err != nil {
		return Plan{}, fmt.Errorf("the plan is not a plan document: %s: %w", position(text, err, dec), err)
	}
	if _, err := dec.Token(); !errors.Is(err, io.EOF) {
		return Plan{}, fmt.Errorf("the plan has something after its end: %s", linePosition(text, dec.InputOffset()))
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

func position(text []byte, err error, dec *json.Decoder) string {
	var syntax *json.SyntaxError
	var kind *json.UnmarshalTypeError
	switch {
	case errors.As(err, &syntax):
		return linePosition(text, syntax.Offset)
	case errors.As(err, &kind):
		return linePosition(text, kind.Offset)
	}
	return "before " + linePosition(text, dec.InputOffset())
}

func linePosition(text []byte, offset int64) string {
	before := text[:min(int(offset), len(text))]
	line := bytes.Count(before, []byte("\n")) + 1
	column := len(before) - bytes.LastIndexByte(before, '\n')
	return fmt.Sprintf("line %d, column %d", line, column)
}
