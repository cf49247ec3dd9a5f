package plan

import (
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
)

// Caller groups and destinations as tables of text (RFC 4180), to be kept elsewhere and
// brought back.

// Sheet is the columns of a directory as CSV.
type Sheet[T any] struct {
	Columns []string
	// Row writes an object, Object reads one; a Fault says which column is wrong.
	Row    func(T) []string
	Object func(cells map[string]string) (T, []Problem)
	Key    func(T) (id, name string)
	// Needs is the column that a sheet must have; empty is id.
	Needs string
	// Former are names that columns had before, which are still read, with those of now.
	Former map[string]string
	// MostBytes and MostLines bound a sheet that is read; 0 are MaxSheet and MaxSheetLines.
	MostBytes, MostLines int
}

func (s Sheet[T]) bounds() (bytes, lines int) {
	if bytes, lines = s.MostBytes, s.MostLines; bytes == 0 {
		bytes = MaxSheet
	}
	if lines == 0 {
		lines = MaxSheetLines
	}
	return bytes, lines
}

func (s Sheet[T]) needs() string {
	if s.Needs == "" {
		return "id"
	}
	return s.Needs
}

// Groups is the sheet of caller groups. Classes stand in one cell, with spaces between
// them; one that is only for some states is written class@calendar=state|state.
var Groups = Sheet[CallerGroup]{
	Columns: []string{"id", "name", "callerPattern", "trunks", "inboundTable", "permissions", "note"},
	Former:  map[string]string{"callers": "callerPattern", "table": "inboundTable", "may": "permissions"},
	Key:     func(g CallerGroup) (string, string) { return g.ID, g.Name },
	Row: func(g CallerGroup) []string {
		var may []string
		for _, l := range g.Permissions {
			cell := string(l.Class)
			if !l.When.Always() {
				cell += "@" + l.When.Calendar + "=" + strings.Join(l.When.States, "|")
			}
			may = append(may, cell)
		}
		return []string{g.ID, g.Name, g.CallerPattern, strings.Join(g.Trunks, " "), g.InboundTable, strings.Join(may, " "), g.Note}
	},
	Object: func(c map[string]string) (g CallerGroup, bad []Problem) {
		g = CallerGroup{ID: c["id"], Name: c["name"], CallerPattern: c["callerPattern"], Trunks: words(c["trunks"]), InboundTable: c["inboundTable"], Note: c["note"], Permissions: []Permission{}}
		for _, cell := range strings.Fields(c["permissions"]) {
			class, when, limited := strings.Cut(cell, "@")
			permission := Permission{Class: numbering.Class(class)}
			if limited {
				id, states, ok := strings.Cut(when, "=")
				if !ok {
					bad = append(bad, Problem{"permissions", fmt.Sprintf("%q is not a permission; write class, or class@calendar=state|state", cell)})
					continue
				}
				permission.When = When{Calendar: id, States: strings.Split(states, "|")}
			}
			g.Permissions = append(g.Permissions, permission)
		}
		return g, bad
	},
}

// Directory is the sheet of destinations.
var Directory = Sheet[Destination]{
	Columns: []string{"id", "name", "kind", "trunk", "number", "numberPattern", "note"},
	Former:  map[string]string{"numbers": "numberPattern"},
	Key:     func(d Destination) (string, string) { return d.ID, d.Name },
	Row: func(d Destination) []string {
		return []string{d.ID, d.Name, d.Kind, d.Trunk, d.Number, d.NumberPattern, d.Note}
	},
	Object: func(c map[string]string) (Destination, []Problem) {
		return Destination{ID: c["id"], Name: c["name"], Kind: c["kind"], Trunk: c["trunk"], Number: c["number"], NumberPattern: c["numberPattern"], Note: c["note"]}, nil
	},
}

// MaxNumberSheet and MaxNumberLines bound a sheet of public numbers.
const (
	MaxNumberSheet = 512 << 20
	MaxNumberLines = 2_000_000
)

// Numbers is the sheet of public numbers, which are known by themselves.
var Numbers = Sheet[inventory.Number]{
	Columns:   []string{"first", "last", "state", "carrier", "site", "owner", "destination", "extension", "gaps", "forwardOnBusy", "namePrefix", "alertInfo", "note"},
	Former:    map[string]string{"busy": "forwardOnBusy", "tag": "namePrefix", "ring": "alertInfo"},
	Needs:     "first",
	MostBytes: MaxNumberSheet, MostLines: MaxNumberLines,
	Key: func(n inventory.Number) (string, string) { return n.ID(), n.Name() },
	Row: func(n inventory.Number) []string {
		gaps := ""
		if n.Gaps {
			gaps = "yes"
		}
		return []string{n.First, n.Last, n.State, n.Carrier, n.Site, n.Owner, n.Destination, n.Extension, gaps, n.ForwardOnBusy, n.NamePrefix, n.AlertInfo, n.Note}
	},
	Object: func(c map[string]string) (n inventory.Number, bad []Problem) {
		n = inventory.Number{
			First: c["first"], Last: c["last"], State: c["state"], Carrier: c["carrier"], Site: c["site"], Owner: c["owner"], Destination: c["destination"],
			Extension: c["extension"], ForwardOnBusy: c["forwardOnBusy"], NamePrefix: c["namePrefix"], AlertInfo: c["alertInfo"], Note: c["note"],
		}
		switch strings.ToLower(c["gaps"]) {
		case "", "no":
		case "yes":
			n.Gaps = true
		default:
			bad = append(bad, Problem{"gaps", fmt.Sprintf("%q is neither yes nor no", c["gaps"])})
		}
		for _, f := range n.Check() {
			bad = append(bad, Problem{f.Field, f.Reason})
		}
		return n, bad
	},
}

// words are those of a cell; nil for none.
func words(cell string) []string {
	if list := strings.Fields(cell); len(list) > 0 {
		return list
	}
	return nil
}

// Line is one line of a sheet that was read.
type Line[T any] struct {
	Number int // from 1; the header is 1
	Object T
	// Bad are what is wrong in the line, by column.
	Bad []Problem
}

// MaxSheet and MaxSheetLines bound a sheet that is read.
const (
	MaxSheet      = 16 << 20
	MaxSheetLines = 100_000
)

// Read reads a sheet: UTF-8, with commas or semicolons, and a header that names the
// columns in any order. The error is about the file as a whole; what is wrong in a line
// is in the line.
func (s Sheet[T]) Read(text []byte) (lines []Line[T], err error) {
	err = s.Scan(text, func(l Line[T], _ int64) error {
		lines = append(lines, l)
		return nil
	})
	return lines, err
}

// Scan is Read line by line: each is given with how many bytes of the file are behind it.
// An error of take ends it.
func (s Sheet[T]) Scan(text []byte, take func(l Line[T], read int64) error) error {
	most, mostLines := s.bounds()
	text, err := plainText(text, most)
	if err != nil {
		return err
	}
	r := csv.NewReader(bytes.NewReader(text))
	r.FieldsPerRecord = -1
	first, _, _ := bytes.Cut(text, []byte("\n"))
	if bytes.Count(first, []byte(";")) > bytes.Count(first, []byte(",")) {
		r.Comma = ';'
	}
	header, err := r.Read()
	if errors.Is(err, io.EOF) {
		return fmt.Errorf("the file is empty; its first line names the columns: %s", strings.Join(s.Columns, ", "))
	}
	if err != nil {
		return sheetError(err)
	}
	if header, err = s.columns(header); err != nil {
		return err
	}
	r.ReuseRecord = true
	seen := map[string]int{}
	for count := 0; ; count++ {
		cells, err := r.Read()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return sheetError(err)
		}
		number, _ := r.FieldPos(0)
		if count == mostLines {
			return fmt.Errorf("line %d: the file has more than %d lines; bring it in parts", number, mostLines)
		}
		line := s.line(number, header, cells)
		id, _ := s.Key(line.Object)
		if before, twice := seen[id]; twice && id != "" {
			line.Bad = append(line.Bad, Problem{s.needs(), fmt.Sprintf("%q stands in line %d too", id, before)})
		}
		seen[id] = number
		if err := take(line, r.InputOffset()); err != nil {
			return err
		}
	}
}

// columns checks a header; it must have an id, and nothing that is not known.
func (s Sheet[T]) columns(header []string) ([]string, error) {
	var out []string
	for _, name := range header {
		written := strings.TrimSpace(name)
		name, known := s.column(written)
		if !known {
			return nil, fmt.Errorf("line 1: unknown column %q; allowed: %s", written, strings.Join(s.Columns, ", "))
		}
		if slices.Contains(out, name) {
			return nil, fmt.Errorf("line 1: duplicate column %q", name)
		}
		out = append(out, name)
	}
	if !slices.Contains(out, s.needs()) {
		return nil, fmt.Errorf("line 1: no column %s, by which objects are known", s.needs())
	}
	return out, nil
}

// column is the column of a name, in whatever capitals, by its name of now or before.
func (s Sheet[T]) column(name string) (column string, ok bool) {
	if now, former := s.Former[strings.ToLower(name)]; former {
		return now, true
	}
	i := slices.IndexFunc(s.Columns, func(c string) bool { return strings.EqualFold(c, name) })
	if i < 0 {
		return "", false
	}
	return s.Columns[i], true
}

func (s Sheet[T]) line(number int, header, cells []string) Line[T] {
	line := Line[T]{Number: number}
	if len(cells) != len(header) {
		line.Bad = append(line.Bad, Problem{"", fmt.Sprintf("has %d cells, and the header %d", len(cells), len(header))})
		return line
	}
	values := map[string]string{}
	for i, cell := range cells {
		values[header[i]] = Taken(strings.TrimSpace(cell))
		if formula(cell) {
			line.Bad = append(line.Bad, Problem{header[i], fmt.Sprintf("%q is a formula, not a value; write what it comes to", cell)})
		}
	}
	object, bad := s.Object(values)
	line.Object, line.Bad = object, append(line.Bad, bad...)
	return line
}

// formula tells whether a program for tables would compute a cell. A number may begin
// with +.
func formula(cell string) bool {
	if cell == "" {
		return false
	}
	switch cell[0] {
	case '=', '@', '\t', '\r':
		return true
	case '-', '+':
		return strings.ContainsAny(cell[1:], "()!") // +cmd|… and the like
	}
	return false
}

// begins are what programs for tables take for the beginning of a formula.
const begins = "=+-@\t\r\n"

// Neutral is a cell as it is written into a table that people open: no program computes it.
// Numbers stay as they are, a + or - in front of digits is part of them. Taken reads it back.
func Neutral(cell string) string {
	if cell == "" || strings.IndexByte(begins, cell[0]) < 0 && !isNeutral(cell) {
		return cell
	}
	if digits := strings.TrimLeft(cell, "+-"); len(cell)-len(digits) == 1 && digits != "" && strings.Trim(digits, "0123456789") == "" {
		return cell
	}
	return "'" + cell
}

// Taken is what a cell said before Neutral.
func Taken(cell string) string {
	if isNeutral(cell) {
		return cell[1:]
	}
	return cell
}

func isNeutral(cell string) bool {
	return len(cell) > 1 && cell[0] == '\'' && strings.IndexByte(begins+"'", cell[1]) >= 0
}

// plainText takes the mark of UTF-8 away and refuses other encodings by name.
func plainText(text []byte, most int) ([]byte, error) {
	switch {
	case len(text) > most:
		return nil, fmt.Errorf("the file is larger than %d MiB; bring it in parts", most>>20)
	case bytes.HasPrefix(text, []byte{0xff, 0xfe}), bytes.HasPrefix(text, []byte{0xfe, 0xff}):
		return nil, errors.New("the file is UTF-16; save it as CSV in UTF-8")
	case bytes.HasPrefix(text, []byte("PK\x03\x04")):
		return nil, errors.New("the file is a workbook, not CSV; save the table as CSV in UTF-8")
	}
	text = bytes.TrimPrefix(text, []byte{0xef, 0xbb, 0xbf})
	if utf8.Valid(text) {
		return text, nil
	}
	for i, line := range bytes.Split(text, []byte("\n")) {
		if !utf8.Valid(line) {
			return nil, fmt.Errorf("line %d is not UTF-8 (it may be in an older encoding such as ISO 8859-1); save the file as CSV in UTF-8", i+1)
		}
	}
	return text, nil
}

func sheetError(err error) error {
	var bad *csv.ParseError
	if errors.As(err, &bad) {
		return fmt.Errorf("line %d, column %d: %w", bad.Line, bad.Column, bad.Err)
	}
	return err
}

// Rows writes a sheet with its header.
func (s Sheet[T]) Rows(list []T) [][]string {
	rows := [][]string{s.Columns}
	for _, x := range list {
		rows = append(rows, s.Row(x))
	}
	return rows
}
