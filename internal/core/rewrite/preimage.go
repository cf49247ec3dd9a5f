package rewrite

import (
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// Before is the preimage of a set under the step: the numbers in a form that it can act
// on and turns into a member; form is that of those that do not begin with +. Errors are digits.ErrTooLarge.
func (c *Compiled) Before(r *numbering.Region, s digits.Set, form numbering.Format) (digits.Set, error) {
	switch c.Op {
	case RemoveFirst:
		return s.BeforeDropFirst(c.Count)
	case RemoveLast:
		return s.BeforeDropLast(c.Count)
	case KeepFirst:
		return s.BeforeKeepFirst(c.Count)
	case KeepLast:
		return s.BeforeKeepLast(c.Count)
	case AddPrefix:
		return s.BeforePutBefore(c.digits)
	case AddSuffix:
		return s.BeforePutAfter(c.digits)
	case ReplaceAll:
		return s.BeforeReplaceWith(c.digits), nil
	case ReplacePrefix:
		return s.BeforeReplacePrefix(c.prefix, c.digits)
	case MapBlock:
		return s.BeforeMapBlock(c.from, c.to)
	case ConvertTo:
		return BeforeConversion(r, s, form, c.Format)
	}
	return s, nil
}

// Leaves is the form of numbers that were in a form before the step.
func (c *Compiled) Leaves(form numbering.Format) numbering.Format {
	switch {
	case c.Op == InterpretAs, c.Op == ConvertTo && form.Public():
		return c.Format
	case c.Op == ConvertTo:
		return form
	}
	return numbering.Unknown
}

// BeforeConversion is the preimage of a set under a conversion; numbers that begin with +
// are E.164 whatever the form of the others.
func BeforeConversion(r *numbering.Region, s digits.Set, from, to numbering.Format) (digits.Set, error) {
	if from == numbering.E164 {
		return r.BeforeConvertSet(s, from, to)
	}
	world, err := r.BeforeConvertSet(s, numbering.E164, to)
	if err == nil {
		world, err = world.Intersect(withPlus)
	}
	if err != nil {
		return digits.Set{}, err
	}
	others, err := r.BeforeConvertSet(s, from, to)
	if err == nil {
		others, err = others.Minus(withPlus)
	}
	if err != nil {
		return digits.Set{}, err
	}
	return world.Union(others)
}

var withPlus = mustExpression(`\+[0-9*#A-D]*`)

func mustExpression(text string) digits.Set {
	p, err := digits.CompileExpression(text)
	if err != nil {
		panic(err) // a constant
	}
	return p.Set()
}
