// Package rewrite holds the digit steps: the named changes that a rule, a path
// or a trunk makes to a number. Each step tells which symbols it dropped, kept
// and added; nothing is changed that no step names.
//
// It never decides which steps run; that is package decide.
package rewrite

import (
	"fmt"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// Op names what a step does.
type Op string

// The digit steps.
const (
	RemoveFirst   Op = "remove-first"
	RemoveLast    Op = "remove-last"
	KeepFirst     Op = "keep-first"
	KeepLast      Op = "keep-last"
	AddPrefix     Op = "add-prefix"
	AddSuffix     Op = "add-suffix"
	ReplaceAll    Op = "replace-all"
	ReplacePrefix Op = "replace-prefix"
	MapBlock      Op = "map-block"
	ConvertTo     Op = "convert-to"
	InterpretAs   Op = "interpret-as" // states the form of the digits as they stand
)

// Ops returns every step in the order above.
func Ops() []Op {
	return []Op{RemoveFirst, RemoveLast, KeepFirst, KeepLast, AddPrefix, AddSuffix, ReplaceAll, ReplacePrefix, MapBlock, ConvertTo, InterpretAs}
}

// Step is one change to a number. Which fields it uses depends on Op.
type Step struct {
	Op     Op               `json:"op" enum:"remove-first,remove-last,keep-first,keep-last,add-prefix,add-suffix,replace-all,replace-prefix,map-block,convert-to,interpret-as"`
	Count  int              `json:"count,omitempty" doc:"remove and keep: how many symbols, 1 to 32" maximum:"32"`
	Digits string           `json:"digits,omitempty" doc:"add, replace: the new digits" maxLength:"40"`
	Prefix string           `json:"prefix,omitempty" doc:"replace-prefix: the digits that are removed" maxLength:"40"`
	From   *Range           `json:"from,omitempty" doc:"map-block: the block that the number is in"`
	To     *Range           `json:"to,omitempty" doc:"map-block: the block that it is mapped on, of equal size"`
	Format numbering.Format `json:"format,omitempty" doc:"convert-to, interpret-as"`
}

// Range is a block as it is written in a plan.
type Range struct {
	First string `json:"first" maxLength:"40"`
	Last  string `json:"last" maxLength:"40"`
}

// Label names the step in words, such as "remove first 1".
func (s Step) Label() string {
	switch s.Op {
	case RemoveFirst, RemoveLast, KeepFirst, KeepLast:
		return fmt.Sprintf("%s %d", words[s.Op], s.Count)
	case ReplacePrefix:
		return fmt.Sprintf("replace prefix %s by %s", s.Prefix, s.Digits)
	case MapBlock:
		if s.From == nil || s.To == nil {
			return "map block"
		}
		return fmt.Sprintf("map block %s–%s to %s–%s", s.From.First, s.From.Last, s.To.First, s.To.Last)
	case ConvertTo, InterpretAs:
		return fmt.Sprintf("%s %s", words[s.Op], s.Format)
	}
	return fmt.Sprintf("%s %s", words[s.Op], s.Digits)
}

var words = map[Op]string{
	RemoveFirst: "remove first", RemoveLast: "remove last", KeepFirst: "keep first", KeepLast: "keep last",
	AddPrefix: "add prefix", AddSuffix: "add suffix", ReplaceAll: "replace all by",
	ConvertTo: "convert to", InterpretAs: "interpret as",
}

// Kind is a sort of step: its words, and the fields of a Step that it uses, by their names in JSON.
type Kind struct {
	Op     Op       `json:"op"`
	Label  string   `json:"label"`
	Fields []string `json:"fields"`
}

// Kinds returns every sort of step in the order of Ops.
func Kinds() (list []Kind) {
	for _, op := range Ops() {
		label, fields := words[op], []string{"digits"}
		switch op {
		case RemoveFirst, RemoveLast, KeepFirst, KeepLast:
			fields = []string{"count"}
		case ReplacePrefix:
			label, fields = "replace prefix", []string{"prefix", "digits"}
		case MapBlock:
			label, fields = "map block", []string{"from", "to"}
		case ConvertTo, InterpretAs:
			fields = []string{"format"}
		}
		list = append(list, Kind{op, label, fields})
	}
	return list
}

// Formats are those to which numbers can be converted or as which they can be interpreted, the
// public ones first.
func Formats() (list []numbering.Format) {
	for _, f := range numbering.Formats() {
		if f.Public() {
			list = append(list, f)
		}
	}
	return append(list, numbering.Private)
}

// Fault is what is wrong with a step, at which of its fields.
type Fault struct {
	Field  string
	Reason string
}

// Compiled is a step whose fields were checked and read once.
type Compiled struct {
	Step
	digits, prefix digits.Number
	from, to       digits.Block
}

// Compile checks a step; it returns every fault.
func (s Step) Compile() (Compiled, []Fault) {
	c := Compiled{Step: s}
	var faults []Fault
	bad := func(field, reason string) { faults = append(faults, Fault{field, reason}) }
	number := func(field, text string, needed bool) digits.Number {
		n, err := digits.ParseNumber(text)
		if err != nil {
			bad(field, err.Error())
		} else if needed && n.Empty() {
			bad(field, "digits are missing")
		}
		return n
	}
	switch s.Op {
	case RemoveFirst, RemoveLast, KeepFirst, KeepLast:
		if s.Count < 1 || s.Count > digits.MaxSymbols {
			bad("count", fmt.Sprintf("must be 1 to %d", digits.MaxSymbols))
		}
	case AddPrefix, AddSuffix, ReplaceAll:
		c.digits = number("digits", s.Digits, true)
	case ReplacePrefix:
		c.prefix, c.digits = number("prefix", s.Prefix, true), number("digits", s.Digits, false)
	case MapBlock:
		c.from, c.to = block("from", s.From, number, bad), block("to", s.To, number, bad)
		if len(faults) == 0 && c.from.Size().Cmp(c.to.Size()) != 0 {
			bad("to", fmt.Sprintf("holds %s numbers, the block that is mapped holds %s; both must be equal", c.to.Size(), c.from.Size()))
		}
	case ConvertTo, InterpretAs:
		if !s.Format.Public() && (s.Op == ConvertTo || s.Format != numbering.Private) {
			bad("format", fmt.Sprintf("%q is not a form that a number can be given here", s.Format))
		}
	default:
		bad("op", fmt.Sprintf("%q is not a digit step", s.Op))
	}
	return c, faults
}

func block(field string, r *Range, number func(string, string, bool) digits.Number, bad func(string, string)) digits.Block {
	if r == nil {
		bad(field, "the block is missing")
		return digits.Block{}
	}
	b := digits.Block{First: number(field+"/first", r.First, false), Last: number(field+"/last", r.Last, false)}
	if err := b.Check(); err != nil {
		bad(field, err.Error())
	}
	return b
}

// Result is what a step made of a number.
type Result struct {
	Edit  digits.Edit
	After numbering.Written
	// Note says why a conversion left the number as it is; empty otherwise.
	Note numbering.Why
}

// Apply runs the step. ok is false if the step cannot act on this number (too
// few digits, outside a block): the call must not go on as if it had. It
// allocates nothing; Explain tells what happened.
func (c *Compiled) Apply(r *numbering.Region, in numbering.Written) (after numbering.Written, ok bool) {
	if c.Op == ConvertTo {
		read := r.Read(in.Number, in.Format)
		after, _ = r.Put(&read, c.Format)
		return numbering.As(after.Number, after.Format), true
	}
	edit := c.edit(in.Number)
	return c.formed(&edit, in.Format), edit.OK()
}

// Explain tells what Apply does to a number, symbol by symbol.
func (c *Compiled) Explain(r *numbering.Region, in numbering.Written) Result {
	if c.Op == ConvertTo {
		conv := r.Convert(in.Number, in.Format, c.Format)
		return Result{conv.Edit, numbering.As(conv.Edit.After(), conv.Form), conv.Unchanged}
	}
	edit := c.edit(in.Number)
	return Result{Edit: edit, After: c.formed(&edit, in.Format)}
}

// formed is the result of an edit in the form that it has now.
func (c *Compiled) formed(edit *digits.Edit, form numbering.Format) numbering.Written {
	if c.Op == InterpretAs {
		form = c.Format
	} else if edit.Changes() {
		form = numbering.Unknown
	}
	return numbering.As(edit.After(), form)
}

// Err says why a step could not act; res is what Explain told.
func (c *Compiled) Err(res Result) error { return fmt.Errorf("%s: %w", c.Label(), res.Edit.Err()) }

func (c *Compiled) edit(n digits.Number) digits.Edit {
	switch c.Op {
	case RemoveFirst:
		return digits.DropFirst(n, c.Count)
	case RemoveLast:
		return digits.DropLast(n, c.Count)
	case KeepFirst:
		return digits.KeepFirst(n, c.Count)
	case KeepLast:
		return digits.KeepLast(n, c.Count)
	case AddPrefix:
		return digits.PutBefore(n, c.digits)
	case AddSuffix:
		return digits.PutAfter(n, c.digits)
	case ReplaceAll:
		return digits.ReplaceWith(n, c.digits)
	case ReplacePrefix:
		return digits.ReplacePrefix(n, c.prefix, c.digits)
	case MapBlock:
		return digits.MapBlock(n, c.from, c.to)
	}
	return digits.Rewritten(n, n)
}
