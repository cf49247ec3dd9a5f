package decide

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/digits"
)

// Source is where a try can start: a trunk by which calls may come in, or an
// extension behind one.
type Source struct {
	Trunk string
	// Caller is the extension's number; empty where the source is a trunk.
	Caller callerid.Caller
}

// FindSource finds a source by the id or name of a trunk, by the id or name of
// a far end that has one trunk, or by the number of an extension that a
// destination holds. The error lists the sources that there are.
func (s *Snapshot) FindSource(name string) (Source, error) {
	for _, t := range s.Source.Trunks {
		if t.ID == name || t.Name == name {
			return Source{Trunk: t.ID}, nil
		}
	}
	if trunks := s.trunksOf(name); len(trunks) == 1 {
		return Source{Trunk: trunks[0]}, nil
	} else if len(trunks) > 1 {
		return Source{}, fmt.Errorf("far end %q has several trunks; name one: %s", name, strings.Join(trunks, ", "))
	}
	if n, err := digits.ParseNumber(name); err == nil && !n.Empty() {
		for _, d := range s.Source.Destinations {
			node := s.Destinations[d.ID]
			if strings.HasPrefix(d.Kind, "extension") && node.Holds(n) {
				return Source{d.Trunk, callerid.Of(n)}, nil
			}
		}
	}
	return Source{}, fmt.Errorf("unknown source %q; allowed: %s", name, strings.Join(s.sources(), ", "))
}

func (s *Snapshot) trunksOf(farEnd string) []string {
	var out []string
	for _, t := range s.Source.Trunks {
		if node := s.Trunks[t.ID]; node.FarEndRef.ID == farEnd || node.FarEndRef.Name == farEnd {
			out = append(out, t.ID)
		}
	}
	return out
}

// sources lists what FindSource knows: trunks, and ranges of extensions.
func (s *Snapshot) sources() []string {
	var out []string
	for _, t := range s.Source.Trunks {
		out = append(out, t.ID)
	}
	slices.Sort(out)
	for _, d := range s.Source.Destinations {
		if strings.HasPrefix(d.Kind, "extension") {
			out = append(out, "an extension "+d.NumberPattern+d.Number)
		}
	}
	return out
}

// InputError says which field of a try is wrong.
type InputError struct{ Field, Reason string }

func (e *InputError) Error() string { return e.Reason }

// CallFrom builds the call of a try: from a source, a dialled number, and a
// caller, which stands in for the extension's own if it is not empty.
func (s *Snapshot) CallFrom(from, dial, caller string) (Call, error) {
	src, err := s.FindSource(from)
	if err != nil {
		return Call{}, &InputError{"from", err.Error()}
	}
	called, err := digits.ParseNumber(dial)
	if err != nil {
		return Call{}, &InputError{"called", err.Error()}
	}
	c := Call{Trunk: src.Trunk, Called: called, Caller: src.Caller}
	if caller != "" {
		c.Caller = callerid.Read(caller)
	}
	return c, nil
}
