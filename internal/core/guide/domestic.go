package guide

import (
	"fmt"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

// The numbers of the country itself: a rule a class with exactly the numbers that the
// numbering plan has, then one for all that is left, which are national numbers or no
// numbers at all. So no number of a class that costs more slips into a broader rule.

// order is that in which classes are proposed.
var order = []numbering.Class{
	numbering.ClassPremium, numbering.ClassFreephone, numbering.ClassSharedCost, numbering.ClassMobile, numbering.ClassLocal, numbering.ClassNational,
}

var names = map[numbering.Class]string{
	numbering.ClassPremium: "Premium rate", numbering.ClassFreephone: "Freephone", numbering.ClassSharedCost: "Shared cost", numbering.ClassMobile: "Mobile",
	numbering.ClassLocal: "Local", numbering.ClassNational: "National",
}

// way is one in which national numbers are dialled.
type way struct {
	suffix, words, prefix string
	form                  numbering.Format
}

// ways are those of the country: with the national prefix, and where the country code is
// 1 without it too (NANP, published).
func (b *builder) ways() []way {
	list := []way{{prefix: b.region.National, form: b.form()}}
	if b.region.CountryCode == "1" {
		list = append(list, way{suffix: "-ten", words: ", ten digits", form: numbering.NationalBare})
	}
	return list
}

func (b *builder) domestic() error {
	for _, w := range b.ways() {
		shared, err := behind(b.country.shared, w.prefix)
		if err != nil {
			return err
		}
		// Where the other countries' numbers have a pattern, the country's own are what is
		// left; else it is the other way round.
		_, own := b.drawing(b.outside).fits(shared)
		if own {
			b.shared(shared, w)
		}
		for _, class := range order {
			if class != numbering.ClassNational {
				b.class(class, b.country.numbers[class], w)
			}
		}
		if b.ask.ShortLocal && w.suffix == "" {
			b.shortLocal()
		}
		if own || b.country.shared.Empty() {
			b.national(w)
			continue
		}
		b.class(numbering.ClassNational, b.country.numbers[numbering.ClassNational], w)
		if shared, err = behind(outline(b.country.shared), w.prefix); err != nil {
			return err
		}
		b.shared(shared, w)
	}
	return nil
}

// country is the numbers that are dialled as national ones.
type country struct {
	numbers map[numbering.Class]digits.Set
	all     digits.Set // of the country, of whatever class
	shared  digits.Set // of other countries with the same code
}

func (b *builder) readCountry() error {
	b.country.numbers = map[numbering.Class]digits.Set{}
	for _, class := range order {
		set, err := b.region.Numbers(class)
		if err == nil {
			b.country.numbers[class] = set
			b.country.all, err = b.country.all.Union(set)
		}
		if err != nil {
			return fmt.Errorf("the numbers of %s of class %s: %w", b.region.Country, class, err)
		}
	}
	var err error
	if b.country.shared, err = b.region.Shared(); err != nil {
		return fmt.Errorf("the numbers of countries that share code %s: %w", b.region.CountryCode, err)
	}
	return nil
}

// maxE164 is the longest international number, in digits, its country code included (ITU-T
// E.164).
const maxE164 = 15

// fromAbroad proposes what becomes of numbers of the country that are dialled as from
// another one: they are looked up as they are dialled here.
func (b *builder) fromAbroad() {
	all, err := b.country.all.Union(b.country.shared)
	if err != nil {
		return
	}
	all = lengths(all, maxE164-len(b.region.CountryCode))
	if b.region.National != "" {
		wrong, err := digits.Compile(b.region.National + "x.")
		if err != nil {
			return
		}
		if loose, err := b.country.all.Intersect(wrong.Set()); err != nil || loose.Empty() {
			if all, err = all.Minus(wrong.Set()); err != nil {
				return
			}
		}
	}
	numbers, err := behind(all, b.region.International+b.region.CountryCode)
	if err != nil {
		return
	}
	b.add(b.outside, plan.Rule{
		ID: b.id("abroad-home"), Name: "Own country code, " + b.region.CountryCode,
		CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.International}, {Op: rewrite.ConvertTo, Format: b.form()}}, Then: plan.Then{Table: b.outside},
	}, numbers, "a domestic number in international format continues as a national number")
}

// class proposes the rule of one class. Numbers of a class without a path are refused, so
// that they do not slip into the rule for all others.
func (b *builder) class(class numbering.Class, numbers digits.Set, w way) {
	dialled, err := behind(numbers, w.prefix)
	if err != nil || numbers.Empty() {
		return
	}
	r := plan.Rule{ID: b.id(string(class) + w.suffix), Name: names[class] + w.words, Class: class, CalledSteps: readAs(w.form), Then: plan.Then{Path: b.ask.Paths[class]}}
	why := "numbering plan of " + b.region.Country
	if r.Then.Path == "" {
		r.Name, r.CalledSteps, r.Then = r.Name+", not offered", nil, plan.Then{RejectCause: 21}
		why += "; no path chosen"
	}
	b.add(b.outside, r, dialled, why)
}

// shared proposes numbers that are dialled as national ones and are those of another
// country: calls abroad, and charged so.
func (b *builder) shared(dialled digits.Set, w way) {
	r := plan.Rule{
		ID: b.id("shared" + w.suffix), Name: "Other countries of code " + b.region.CountryCode + w.words, Class: numbering.ClassInternational,
		CalledSteps: readAs(w.form), Then: plan.Then{Path: b.ask.Paths[numbering.ClassInternational]},
	}
	why := "dialled like a domestic number, charged as international"
	if r.Then.Path == "" {
		r.Name, r.CalledSteps, r.Then = r.Name+", not offered", nil, plan.Then{RejectCause: 21}
	}
	b.add(b.outside, r, dialled, why)
}

// national proposes the rule for all national numbers that have no rule of their own, by
// their lengths.
func (b *builder) national(w way) {
	path := b.ask.Paths[numbering.ClassNational]
	if path == "" || b.country.all.Empty() {
		return
	}
	dialled, err := behind(outline(b.country.all), w.prefix)
	if err != nil {
		return
	}
	b.add(b.outside, plan.Rule{
		ID: b.id(string(numbering.ClassNational) + w.suffix), Name: names[numbering.ClassNational] + w.words, Class: numbering.ClassNational, CalledSteps: readAs(w.form), Then: plan.Then{Path: path},
	}, dialled, "all other numbers of "+b.region.Country+", by first digits and length")
}

// shortLocal proposes local numbers without the area code: those that can be nothing else.
func (b *builder) shortLocal() {
	numbers, err := b.region.Numbers(numbering.ClassLocal)
	path := b.ask.Paths[numbering.ClassLocal]
	if err != nil || path == "" || b.region.Area == "" || b.region.National == "" {
		return // without a national prefix the area code is part of every number
	}
	exact, err := numbers.After(digits.MustNumber(b.region.Area))
	if err != nil || exact.Empty() {
		return
	}
	short, err := b.unambiguous(exact)
	if _, simple := b.drawing(b.outside).fits(short); !simple && err == nil {
		short, err = b.unambiguous(outline(exact))
	}
	if err != nil || short.Empty() {
		return
	}
	b.add(b.outside, plan.Rule{
		ID: b.id("short-local"), Name: "Local, without the area code", Class: numbering.ClassLocal,
		CalledSteps: []rewrite.Step{{Op: rewrite.AddPrefix, Digits: b.region.Area}, {Op: rewrite.InterpretAs, Format: numbering.NationalBare}}, Then: plan.Then{Path: path},
	}, short, "adds the area code "+b.region.Area)
}

// neverWhole are the ends that make an emergency or a short number of the area code.
func (b *builder) neverWhole() (digits.Set, error) {
	short, err := b.region.ShortNumbers()
	if err != nil {
		return short, err
	}
	help, err := digits.SetOf(b.region.Emergency()...)
	if err != nil {
		return short, err
	}
	if short, err = short.Union(help); err != nil {
		return short, err
	}
	return short.After(digits.MustNumber(b.region.Area))
}

// unambiguous leaves out what begins like a national or an international number, what makes
// a short number behind the area code, and what is a whole number of the country as it is.
func (b *builder) unambiguous(s digits.Set) (digits.Set, error) {
	for _, prefix := range []string{b.region.National, b.region.International} {
		if prefix == "" {
			continue
		}
		p, err := digits.Compile(prefix + "x.")
		if err != nil {
			return s, err
		}
		if s, err = s.Minus(p.Set()); err != nil {
			return s, err
		}
	}
	short, err := b.neverWhole()
	if err != nil {
		return s, err
	}
	if s, err = s.Minus(short); err != nil || b.region.CountryCode != "1" {
		return s, err
	}
	for _, whole := range []digits.Set{b.country.all, b.country.shared} {
		if s, err = s.Minus(whole); err != nil {
			return s, err
		}
	}
	return s, nil
}

func behind(s digits.Set, prefix string) (digits.Set, error) {
	if prefix == "" {
		return s, nil
	}
	return s.PutBefore(digits.MustNumber(prefix))
}
