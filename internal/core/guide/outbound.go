// Package guide proposes rules that a site needs as a rule, from the numbering plan of
// its country: something to begin with, looked at one by one before it is taken.
//
// It never changes a plan and decides no call.
package guide

import (
	"fmt"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

// Ask says what is known of the site.
type Ask struct {
	Switch string `json:"switch" maxLength:"63"`
	// Entry is the table that the phones' calls enter; Outside is one for numbers behind
	// the prefix, which is made if it is not there. Without a prefix all rules go to Entry.
	Entry   string `json:"entry" maxLength:"63"`
	Outside string `json:"outside,omitempty" maxLength:"63"`
	Prefix  string `json:"prefix,omitempty" doc:"Dialled for an outside line; empty for none" maxLength:"8"`
	// Paths are the ids of the paths by class; a class without one gets no rule.
	Paths map[numbering.Class]string `json:"paths"`
	// Main is the number that calls out show, emergency calls among them; empty leaves the
	// caller's, which carriers refuse where it is an extension.
	Main string `json:"main,omitempty" maxLength:"40"`
	// Operator is the destination of wrong numbers; empty refuses them.
	Operator string `json:"operator,omitempty" maxLength:"63"`
	// ShortLocal takes local numbers without the area code too.
	ShortLocal bool `json:"shortLocal,omitempty"`
}

// Proposal is a rule, and why.
type Proposal struct {
	Table string          `json:"table" doc:"Where it goes"`
	Rule  plan.Rule       `json:"rule"`
	Class numbering.Class `json:"class,omitempty" enum:"emergency,internal,service,local,national,mobile,freephone,shared-cost,premium,international,unknown"`
	Why   string          `json:"why"`
	// Covered names a rule of the table that takes all its numbers already.
	Covered string `json:"covered,omitempty"`
}

// Outbound proposes the rules of an outbound plan in the order in which they are to
// stand. The error says what is wrong with the question.
func Outbound(p plan.Plan, ask Ask) ([]Proposal, error) {
	index := plan.NewIndex(p)
	sw := index.Switches[ask.Switch]
	if sw == nil {
		return nil, fmt.Errorf("no switch has the id %q", ask.Switch)
	}
	region, err := sw.Region.Compile()
	if err != nil {
		return nil, err
	}
	prefix, err := digits.ParseNumber(ask.Prefix)
	if err != nil {
		return nil, fmt.Errorf("the prefix: %w", err)
	}
	if _, err := digits.ParseNumber(ask.Main); err != nil {
		return nil, fmt.Errorf("the number that calls show: %w", err)
	}
	b := &builder{p: p, index: index, ask: ask, region: region, prefix: prefix, outside: ask.Entry}
	if !prefix.Empty() {
		b.outside = ask.Outside
	}
	b.inside()
	b.toOutside()
	b.abroad()
	b.classes()
	b.resorts()
	return b.list, nil
}

type builder struct {
	p       plan.Plan
	index   plan.Index
	ask     Ask
	region  numbering.Region
	prefix  digits.Number
	outside string // the table of outside numbers
	list    []Proposal
}

func (b *builder) add(table, id, name, called string, class numbering.Class, why string, change func(*plan.Rule)) {
	r := plan.Rule{ID: id, Name: name, Match: plan.Match{Called: called}, Class: class}
	change(&r)
	if r.Then.Path != "" && b.prefix.Empty() {
		r.Caller = b.shown()
	}
	b.list = append(b.list, Proposal{Table: table, Rule: r, Class: class, Why: why, Covered: b.covered(table, r)})
}

// covered is the rule of a table that takes all that a rule would.
func (b *builder) covered(table string, r plan.Rule) string {
	t := b.index.Tables[table]
	if t == nil || r.Match.Called == "" {
		return ""
	}
	mine, err := digits.Compile(r.Match.Called)
	if err != nil {
		return ""
	}
	for _, other := range t.Rules {
		if other.Disabled || other.LastResort || other.Match.Called == "" || other.Match.Caller != "" || len(other.Match.From) > 0 {
			continue
		}
		if theirs, err := digits.Compile(other.Match.Called); err == nil && mine.Within(theirs) {
			return other.Name
		}
	}
	return ""
}

func (b *builder) id(what string) string { return b.outside + "-" + what }

// inside proposes emergency numbers without the prefix, and the extensions.
func (b *builder) inside() {
	if path := b.ask.Paths[numbering.ClassEmergency]; path != "" {
		b.emergency(b.ask.Entry, b.ask.Entry+"-guide-emergency", "Emergency", path, "dialled without a prefix: everybody must reach them at once")
	}
	for _, d := range b.p.Destinations {
		trunk := b.index.Trunks[d.Trunk]
		if trunk == nil || trunk.Switch != b.ask.Switch || d.Kind == "outside" {
			continue
		}
		called := d.Numbers
		if called == "" {
			called = d.Number
		}
		if called == "" || called[0] == '+' {
			continue
		}
		b.add(b.ask.Entry, b.ask.Entry+"-guide-"+d.ID, d.Name, called, numbering.ClassInternal, "the numbers of the destination, as they are", func(r *plan.Rule) {
			r.Called = []rewrite.Step{{Op: rewrite.ReadAs, Form: numbering.Private}}
			r.Then.Destination = d.ID
		})
	}
}

func (b *builder) emergency(table, id, name, path, why string) {
	called := ""
	for i, n := range b.region.Emergency() {
		if i > 0 {
			called += "|"
		}
		called += n.String()
	}
	b.add(table, id, name, called, numbering.ClassEmergency, why, func(r *plan.Rule) {
		r.Caller = b.shown()
		r.Then.Path = path
	})
}

// shown are the steps that give calls their number.
func (b *builder) shown() []rewrite.Step {
	if b.ask.Main == "" {
		return nil
	}
	return []rewrite.Step{{Op: rewrite.ReplaceWith, Digits: b.ask.Main}, {Op: rewrite.ReadAs, Form: numbering.E164}}
}

// toOutside proposes the outside line.
func (b *builder) toOutside() {
	if b.prefix.Empty() {
		return
	}
	b.add(b.ask.Entry, b.ask.Entry+"-guide-outside", "Outside line, "+b.ask.Prefix, b.ask.Prefix+"xx.", "", "drops the prefix, and the table behind decides", func(r *plan.Rule) {
		r.Called = []rewrite.Step{{Op: rewrite.DropFirst, Count: b.prefix.Len()}}
		r.Caller = b.shown()
		r.Then.Table = b.outside
	})
	if path := b.ask.Paths[numbering.ClassEmergency]; path != "" {
		b.emergency(b.outside, b.id("emergency"), "Emergency after "+b.ask.Prefix, path, "whoever dials the prefix out of habit must reach them too")
	}
}

// order is that in which classes are proposed: a narrow one before a wide one.
var order = []numbering.Class{
	numbering.ClassPremium, numbering.ClassFreephone, numbering.ClassSharedCost, numbering.ClassMobile, numbering.ClassLocal, numbering.ClassNational,
}

var names = map[numbering.Class]string{
	numbering.ClassPremium: "Premium rate", numbering.ClassFreephone: "Freephone", numbering.ClassSharedCost: "Shared cost", numbering.ClassMobile: "Mobile",
	numbering.ClassLocal: "Local", numbering.ClassNational: "National",
}

func (b *builder) classes() {
	if path := b.ask.Paths[numbering.ClassService]; path != "" {
		if called := b.short(); called != "" {
			b.add(b.outside, b.id("service"), "Service numbers", called, numbering.ClassService, "short numbers of "+b.region.Country+", which are never converted", func(r *plan.Rule) {
				r.Called = []rewrite.Step{{Op: rewrite.ReadAs, Form: numbering.National}}
				r.Then.Path = path
			})
		}
	}
	for _, class := range order {
		path := b.ask.Paths[class]
		if path == "" {
			continue
		}
		numbers, err := b.region.Numbers(class)
		if err != nil || numbers.Empty() {
			continue
		}
		if class == numbering.ClassLocal && b.ask.ShortLocal {
			b.shortLocal(numbers, path)
		}
		b.class(class, numbers, path)
	}
}

// class proposes the rules of one class: with the national prefix, and without it where
// numbers are dialled both ways.
func (b *builder) class(class numbering.Class, numbers digits.Set, path string) {
	others := b.others(class)
	shape, called := readable(numbers, others, b.region.National)
	why := fmt.Sprintf("by the numbering plan of %s%s", b.region.Country, shape)
	b.add(b.outside, b.id(string(class)), names[class], called, class, why, func(r *plan.Rule) {
		r.Called = []rewrite.Step{{Op: rewrite.ReadAs, Form: b.form()}}
		r.Then.Path = path
	})
	if b.region.CountryCode != "1" {
		return
	}
	_, bare := readable(numbers, others, "")
	b.add(b.outside, b.id(string(class)+"-ten"), names[class]+", ten digits", bare, class, "the same without the 1 (NANP)", func(r *plan.Rule) {
		r.Called = []rewrite.Step{{Op: rewrite.ReadAs, Form: numbering.NationalBare}}
		r.Then.Path = path
	})
}

// others are the numbers of the classes behind one, which it should leave to them.
func (b *builder) others(class numbering.Class) (out digits.Set) {
	behind := false
	for _, c := range order {
		if behind {
			if numbers, err := b.region.Numbers(c); err == nil {
				if both, err := out.Union(numbers); err == nil {
					out = both
				}
			}
		}
		behind = behind || c == class
	}
	return out
}

// form is that in which national numbers are dialled.
func (b *builder) form() numbering.Form {
	if b.region.National == "" {
		return numbering.NationalBare
	}
	return numbering.National
}

// shortLocal proposes local numbers without the area code.
func (b *builder) shortLocal(numbers digits.Set, path string) {
	if b.region.Area == "" {
		return
	}
	area := digits.MustNumber(b.region.Area)
	short, err := numbers.After(area)
	if err != nil || short.Empty() {
		return
	}
	_, called := readable(short, digits.Set{}, "")
	b.add(b.outside, b.id("short-local"), "Local, without the area code", called, numbering.ClassLocal, "puts the area code "+b.region.Area+" in front", func(r *plan.Rule) {
		r.Called = []rewrite.Step{{Op: rewrite.PutBefore, Digits: b.region.Area}, {Op: rewrite.ReadAs, Form: numbering.NationalBare}}
		r.Then.Path = path
	})
}

func (b *builder) abroad() {
	path := b.ask.Paths[numbering.ClassInternational]
	if path == "" || b.region.International == "" {
		return
	}
	b.add(b.outside, b.id("abroad"), "Abroad", b.region.International+"[1-9]xxxxxx.", numbering.ClassInternational,
		fmt.Sprintf("%s and the country code; at most 15 digits follow (E.164), and none is the last for certain", b.region.International), func(r *plan.Rule) {
			r.Called = []rewrite.Step{{Op: rewrite.ReadAs, Form: numbering.International}}
			r.Then.Path = path
		})
}

// resorts proposes what becomes of wrong numbers.
func (b *builder) resorts() {
	for _, table := range []string{b.ask.Entry, b.outside} {
		then := plan.Then{Refuse: 1}
		if b.ask.Operator != "" {
			then = plan.Then{Destination: b.ask.Operator}
		}
		b.add(table, table+"-guide-wrong", "Wrong numbers", "", "", "what no other rule takes; keeps nothing waiting", func(r *plan.Rule) {
			r.LastResort, r.Then = true, then
		})
		if b.prefix.Empty() {
			return
		}
	}
}

// short is the service numbers that can be dialled, without emergency numbers.
func (b *builder) short() string {
	set, err := b.region.ShortNumbers()
	if err != nil || set.Empty() {
		return ""
	}
	_, called := readable(set, digits.Set{}, "")
	return called
}

// longest is how long a pattern may be that people are to read.
const longest = 120

// readable writes a set of numbers behind a prefix as a dial pattern that people can
// read: exactly if that is short, else by as many first digits as leave it short, if
// possible without the numbers of others. Leave goes by the number itself, so that a
// pattern may be wider than its class.
func readable(s, others digits.Set, prefix string) (shape, pattern string) {
	if text, ok := written(s, prefix); ok {
		return "", text
	}
	for k := 7; k > 0; k-- {
		wide, err := widened(s, k)
		if err != nil {
			continue
		}
		if left, err := wide.Minus(others); err == nil {
			if text, ok := written(left, prefix); ok {
				return fmt.Sprintf(", by their first %d digits", k), text
			}
		}
		if both, err := wide.Intersect(others); err == nil && both.Empty() || k <= 2 {
			if text, ok := written(wide, prefix); ok {
				return fmt.Sprintf(", by their first %d digits", k), text
			}
		}
	}
	return ", by their first digit", prefix + "xx."
}

func written(s digits.Set, prefix string) (string, bool) {
	if prefix != "" {
		var err error
		if s, err = s.PutBefore(digits.MustNumber(prefix)); err != nil {
			return "", false
		}
	}
	r, err := s.Readable()
	return r.Text, err == nil && !r.Expression && len(r.Text) <= longest
}

// widened is all numbers of the lengths in the set whose first k digits some member of
// that length has.
func widened(s digits.Set, k int) (digits.Set, error) {
	var out digits.Set
	for _, l := range s.CountByLength() {
		part, err := s.OfLength(l.Length)
		if err == nil {
			part, err = part.KeepFirst(min(k, l.Length))
		}
		if err == nil && l.Length > k {
			part, err = part.BeforeKeepFirst(k)
			if err == nil {
				part, err = part.OfLength(l.Length)
			}
			if err == nil {
				part, err = part.Intersect(onlyDigits)
			}
		}
		if err == nil {
			out, err = out.Union(part)
		}
		if err != nil {
			return digits.Set{}, err
		}
	}
	return out, nil
}

var onlyDigits = digits.MustCompile("x.").Set()
