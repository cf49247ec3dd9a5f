package numbering

import (
	"github.com/nyaruka/phonenumbers"

	"switchback.example/switchback/internal/core/digits"
)

// Class is what a call to a number is, as far as leave to make it goes. It is worked
// out from the number alone, so that no plan can call a paid number a national one.
type Class string

// The classes. Unknown is a number that no numbering plan has.
const (
	ClassEmergency     Class = "emergency"
	ClassInternal      Class = "internal"
	ClassService       Class = "service" // short numbers, and those with * or #
	ClassLocal         Class = "local"
	ClassNational      Class = "national"
	ClassMobile        Class = "mobile"
	ClassFreephone     Class = "freephone"
	ClassSharedCost    Class = "shared-cost"
	ClassPremium       Class = "premium"
	ClassInternational Class = "international"
	ClassUnknown       Class = "unknown"
)

// Classes returns all classes, in the order above.
func Classes() []Class {
	return []Class{
		ClassEmergency, ClassInternal, ClassService, ClassLocal, ClassNational, ClassMobile, ClassFreephone, ClassSharedCost, ClassPremium, ClassInternational, ClassUnknown,
	}
}

// whyKind is why a number has a class that its form or its digits alone tell.
var whyKind = Why{text: "by kind of number"}

// classed are numbers of a class.
type classed struct {
	class Class
	of    *digits.Pattern
}

// classes are those of a country's own numbers, the first that has a number counts;
// others are numbers of other countries that share its country code.
type classes struct {
	own, others []classed
}

// compile puts the metadata's types of numbers in classes. Numbers that may be fixed
// or mobile are national. Personal numbers and pagers cost as premium ones do, company
// and internet numbers as national ones (common practice).
func (f *facts) compile() (c classes) {
	c.own = classesOf(f.plan)
	for _, other := range f.sharing {
		c.others = append(c.others, classesOf(other)...)
	}
	return c
}

func classesOf(m *phonenumbers.PhoneMetadata) (list []classed) {
	for _, of := range []struct {
		class Class
		desc  *phonenumbers.PhoneNumberDesc
	}{
		{ClassPremium, m.PremiumRate}, {ClassFreephone, m.TollFree}, {ClassSharedCost, m.SharedCost}, {ClassNational, m.Voip},
		{ClassPremium, m.PersonalNumber}, {ClassPremium, m.Pager}, {ClassNational, m.Uan}, {ClassNational, m.FixedLine}, {ClassMobile, m.Mobile},
	} {
		if p := pattern(of.desc); p != nil {
			list = append(list, classed{of.class, p})
		}
	}
	return list
}

// Override puts numbers in a class of the site's own, before what the metadata say.
// The pattern is of numbers in E.164.
func (r *Region) Override(class Class, numbers *digits.Pattern) {
	r.overrides = append(r.overrides[:len(r.overrides):len(r.overrides)], classed{class, numbers})
}

// AlsoLocal makes geographic numbers local that begin so, without the national prefix.
func (r *Region) AlsoLocal(prefixes ...string) {
	r.local = append(r.local[:len(r.local):len(r.local)], prefixes...)
}

// Class is that of a number in a form, seen from the region, and why.
func (r *Region) Class(w Written) (Class, Why) {
	read := r.Read(w.Number, w.Format)
	switch read.Kind {
	case Emergency:
		return ClassEmergency, whyKind
	case Short:
		return ClassService, whyKind
	case Internal:
		return ClassInternal, whyKind
	case Other:
		return ClassUnknown, read.why
	}
	world, _ := r.Put(&read, E164)
	for i := range r.overrides {
		if r.overrides[i].of.Matches(world.Number) {
			return r.overrides[i].class, Why{text: "by the class overrides of the site"}
		}
	}
	if read.Kind == Foreign {
		return ClassInternational, Why{text: "not country code %s", a: r.CountryCode}
	}
	home, _ := r.Put(&read, NationalBare)
	return r.ofHome(home.Number)
}

// ofHome is the class of a national significant number.
func (r *Region) ofHome(n digits.Number) (Class, Why) {
	f := library()[r.Country]
	if f == nil {
		return ClassUnknown, Why{text: "country %s is unknown", a: r.Country}
	}
	c := f.classes()
	for i := range c.own {
		if !c.own[i].of.Matches(n) {
			continue
		}
		if c.own[i].class == ClassNational && r.isLocal(n) {
			return ClassLocal, Why{text: "same area code as the site"}
		}
		return c.own[i].class, Why{text: "numbering plan of %s", a: r.Country}
	}
	for i := range c.others {
		if c.others[i].of.Matches(n) {
			return ClassInternational, Why{text: "another country with country code %s", a: r.CountryCode}
		}
	}
	return ClassUnknown, Why{text: "not in the numbering plan of %s", a: r.Country}
}

func (r *Region) isLocal(n digits.Number) bool {
	if r.Area != "" && n.HasPrefix(r.Area) {
		return true
	}
	for _, prefix := range r.local {
		if n.HasPrefix(prefix) {
			return true
		}
	}
	return false
}

// sets are the numbers of a country by class, and those of others that share its country
// code.
type sets struct {
	own    map[Class]digits.Set
	shared digits.Set
	err    error
}

// count works out the sets: the first class of the list that has a number has it alone.
func (f *facts) count() sets {
	out := sets{own: map[Class]digits.Set{}}
	var calc calculation
	var earlier digits.Set
	all := f.classes()
	for _, c := range all.own {
		out.own[c.class] = calc.union(out.own[c.class], calc.minus(c.of.Set(), earlier))
		earlier = calc.union(earlier, c.of.Set())
	}
	for _, c := range all.others {
		out.shared = calc.union(out.shared, calc.minus(c.of.Set(), earlier))
	}
	out.err = calc.err
	return out
}

// Numbers are the national significant numbers of a class, as the numbering plan of the
// country has them; empty for classes that have none. The site's own classes are not
// looked at. Errors are digits.ErrTooLarge.
func (r *Region) Numbers(class Class) (digits.Set, error) {
	f := library()[r.Country]
	if f == nil {
		return digits.Set{}, nil
	}
	known := f.sets()
	if class != ClassLocal {
		return known.own[class], known.err
	}
	calc := calculation{err: known.err}
	return calc.intersect(known.own[ClassNational], r.localNumbers(&calc)), calc.err
}

// Shared are the national significant numbers that other countries have which share the
// country code, and that the region's own country does not: dialled as national numbers,
// and calls abroad. Errors are digits.ErrTooLarge.
func (r *Region) Shared() (digits.Set, error) {
	f := library()[r.Country]
	if f == nil {
		return digits.Set{}, nil
	}
	known := f.sets()
	return known.shared, known.err
}

// localNumbers are those that begin with the area of the site, or with a prefix that is
// local beside it.
func (r *Region) localNumbers(calc *calculation) digits.Set {
	var out digits.Set
	for _, prefix := range append([]string{r.Area}, r.local...) {
		if prefix != "" {
			out = calc.union(out, calc.expression(prefix+"[0-9]*"))
		}
	}
	return out
}

// ShortNumbers are the short numbers of the country without its emergency numbers.
func (r *Region) ShortNumbers() (digits.Set, error) {
	emergency, err := digits.SetOf(r.emergency...)
	if err != nil {
		return digits.Set{}, err
	}
	return r.short.Set().Minus(emergency)
}
