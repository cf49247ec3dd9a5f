package numbering

import (
	"fmt"
	"strings"

	"switchback.example/switchback/internal/core/digits"
)

// ConvertSet is Convert on a whole set of numbers that are written in form
// from: what is converted changes its prefix, what is not stays as it is. It is
// computed on automata; no number is tried. Errors are digits.ErrTooLarge.
func (r *Region) ConvertSet(s digits.Set, from, to Format) (digits.Set, error) {
	never, err := digits.CompileExpression(r.neverConverted(from))
	if err != nil {
		return digits.Set{}, fmt.Errorf("numbers that are never converted: %w", err)
	}
	out, left := digits.Set{}, s
	var calc calculation
	kept := calc.intersect(s, never.Set())
	left = calc.minus(left, kept)
	for _, home := range []bool{true, false} {
		tail, before, after, ok := r.exchange(&calc, home, from, to)
		if !ok || from == to {
			continue
		}
		part := calc.intersect(left, calc.putBefore(tail, before))
		left = calc.minus(left, part)
		out = calc.union(out, calc.replacePrefix(part, before, after))
	}
	return calc.union(out, calc.union(kept, left)), calc.err
}

// neverConverted is an expression for emergency, short and service numbers.
func (r *Region) neverConverted(from Format) string {
	list := []string{`.*[*#].*`}
	for _, n := range r.emergency {
		list = append(list, n.String())
	}
	if from != Private {
		list = append(list, strings.NewReplacer("x", "[0-9]").Replace(r.short.String()))
	}
	return strings.Join(list, "|")
}

// exchange says which prefix a conversion puts in place of which, in front of
// what the two forms share. ok is false if home or foreign numbers have no such
// conversion.
func (r *Region) exchange(calc *calculation, home bool, from, to Format) (tail digits.Set, before, after digits.Number, ok bool) {
	first, okFrom := r.lead(from, home)
	second, okTo := r.lead(to, home)
	if !okFrom || !okTo {
		return tail, before, after, false
	}
	if !home {
		tail = calc.minus(calc.expression(fmt.Sprintf("[1-9][0-9]{0,%d}", maxE164-1)), calc.expression(r.CountryCode+"[0-9]*"))
		return tail, digits.MustNumber(first), digits.MustNumber(second), true
	}
	tail = calc.minus(calc.expression(fmt.Sprintf("[0-9]{1,%d}", maxE164-len(r.CountryCode))), calc.expression(r.National+"[0-9]*"))
	if from == Local || to == Local { // they share what follows the area code
		tail = calc.replacePrefix(tail, digits.MustNumber(r.Area), digits.Number{})
		tail = calc.minus(tail, calc.expression("")) // the area code alone is no number
		if from != Local {
			first += r.Area
		}
		if to != Local {
			second += r.Area
		}
	}
	return tail, digits.MustNumber(first), digits.MustNumber(second), true
}

// lead is what a form puts before a national significant number or, for
// foreign numbers, before the country code.
func (r *Region) lead(f Format, home bool) (lead string, ok bool) {
	country := ""
	if home {
		country = r.CountryCode
	}
	switch f {
	case E164:
		return "+" + country, true
	case E164Bare:
		return country, true
	case International:
		return r.International + country, true
	case National:
		return r.National, home
	case NationalBare:
		return "", home
	case Local:
		return "", home && r.Area != ""
	}
	return "", false
}

// calculation is a chain of set operations that keeps its first error.
type calculation struct{ err error }

func (c *calculation) keep(s digits.Set, err error) digits.Set {
	if err != nil && c.err == nil {
		c.err = err
	}
	return s
}

func (c *calculation) expression(text string) digits.Set {
	p, err := digits.CompileExpression(text)
	if err != nil {
		return c.keep(digits.Set{}, err)
	}
	return p.Set()
}

func (c *calculation) union(s, t digits.Set) digits.Set     { return c.keep(s.Union(t)) }
func (c *calculation) intersect(s, t digits.Set) digits.Set { return c.keep(s.Intersect(t)) }
func (c *calculation) minus(s, t digits.Set) digits.Set     { return c.keep(s.Minus(t)) }
func (c *calculation) putBefore(s digits.Set, n digits.Number) digits.Set {
	return c.keep(s.PutBefore(n))
}
func (c *calculation) replacePrefix(s digits.Set, a, b digits.Number) digits.Set {
	return c.keep(s.ReplacePrefix(a, b))
}

// BeforeConvertSet is the preimage of a set under Convert: the numbers, written in
// form from, that are in the set once they were put into form to.
func (r *Region) BeforeConvertSet(s digits.Set, from, to Format) (digits.Set, error) {
	never, err := digits.CompileExpression(r.neverConverted(from))
	if err != nil {
		return digits.Set{}, fmt.Errorf("numbers that are never converted: %w", err)
	}
	var calc calculation
	out, left := digits.Set{}, calc.minus(digits.Any(), never.Set())
	for _, home := range []bool{true, false} {
		tail, before, after, ok := r.exchange(&calc, home, from, to)
		if !ok || from == to {
			continue
		}
		part := calc.intersect(left, calc.putBefore(tail, before))
		left = calc.minus(left, part)
		out = calc.union(out, calc.intersect(part, calc.replacePrefix(calc.intersect(s, calc.putBefore(tail, after)), after, before)))
	}
	kept := calc.minus(s, calc.minus(calc.minus(digits.Any(), never.Set()), left))
	return calc.union(out, kept), calc.err
}
