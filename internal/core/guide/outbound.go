// Package guide proposes rules that a site needs as a rule, from the numbering plan of
// its country: something to begin with, looked at one by one before it is taken. What it
// proposes is decided as a whole before it is shown, on the example numbers of the country.
//
// It never changes a plan.
package guide

import (
	"encoding/json"
	"fmt"
	"slices"

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
	InboundTable string `json:"inboundTable" maxLength:"63"`
	Outside      string `json:"outside,omitempty" maxLength:"63"`
	Prefix       string `json:"prefix,omitempty" doc:"Outside prefix; empty for none" maxLength:"8"`
	// Paths are the ids of the paths by class; numbers of a class without one are refused.
	Paths map[numbering.Class]string `json:"paths"`
	// Main is the number that calls out show, emergency calls among them; empty leaves the
	// caller's, which carriers refuse where it is an extension.
	Main string `json:"main,omitempty" maxLength:"40"`
	// Operator is the destination of wrong numbers; empty refuses them.
	Operator string `json:"operator,omitempty" maxLength:"63"`
	// Omit are the ids of proposed rules that are not to be added; what is proved is the plan
	// with the others. Without it those that others cover are left out.
	Omit []string `json:"omit,omitempty" maxItems:"200" doc:"Ids of proposed rules to omit; absent: those covered by existing rules"`
	// ShortLocal takes local numbers without the area code too.
	ShortLocal bool `json:"shortLocal,omitempty"`
}

// Proposal is a rule, and why.
type Proposal struct {
	Table string          `json:"table" doc:"Id of the table"`
	Rule  plan.Rule       `json:"rule"`
	Class numbering.Class `json:"class,omitempty" enum:"emergency,internal,service,local,national,mobile,freephone,shared-cost,premium,international,unknown"`
	Why   string          `json:"why"`
	// Covered names a rule of the table that takes all its numbers already.
	Covered string `json:"covered,omitempty"`
	// Present tells that the draft has a rule of this id, from an earlier run: the same one, or
	// one that differs. It is proposed to compare, and cannot be added.
	Present Present `json:"present,omitempty" enum:"same,differs"`
}

// Present is how a rule of the draft stands to a proposed one of its id.
type Present string

// The ways.
const (
	PresentSame    Present = "same"
	PresentDiffers Present = "differs"
)

// Outbound proposes the rules of an outbound plan in the order in which they are to
// stand. The error says what is wrong with the question.
func Outbound(p plan.Plan, ask Ask) ([]Proposal, error) {
	index := plan.NewIndex(p)
	sw := index.Switches[ask.Switch]
	if sw == nil {
		return nil, fmt.Errorf("unknown switch %q", ask.Switch)
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
		return nil, fmt.Errorf("calling number: %w", err)
	}
	b := &builder{p: p, index: index, ask: ask, region: region, prefix: prefix, outside: ask.InboundTable, drawn: map[string]*drawing{}}
	if !prefix.Empty() {
		b.outside = ask.Outside
	}
	if err := b.readCountry(); err != nil {
		return nil, err
	}
	b.inside()
	b.toOutside()
	b.service()
	b.abroad()
	if err := b.domestic(); err != nil {
		return nil, err
	}
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
	drawn   map[string]*drawing // by table
	country country
}

func (b *builder) id(what string) string { return b.outside + "-" + what }

// add proposes a rule for numbers that fit in between those of its table, if any are left.
func (b *builder) add(table string, r plan.Rule, numbers digits.Set, why string) {
	text, ok := b.drawing(table).draw(numbers)
	if !ok {
		return
	}
	r.Match.Called = text
	b.propose(table, r, why)
}

// propose adds a rule whose numbers have a place already.
func (b *builder) propose(table string, r plan.Rule, why string) {
	if r.Then.Path != "" && b.prefix.Empty() {
		r.CallerSteps = b.shown()
	}
	x := Proposal{Table: table, Rule: r, Class: r.Class, Why: why, Present: b.present(table, r)}
	if x.Present == "" {
		x.Covered = b.covered(table, r)
	}
	b.list = append(b.list, x)
}

// present compares a rule with that of its id in the draft.
func (b *builder) present(table string, r plan.Rule) Present {
	at := b.index.Tables[table]
	if at == nil {
		return ""
	}
	i := slices.IndexFunc(at.Rules, func(x plan.Rule) bool { return x.ID == r.ID })
	switch {
	case i < 0:
		return ""
	case written(at.Rules[i]) == written(r):
		return PresentSame
	}
	return PresentDiffers
}

// written is a rule as the plan file has it, where an empty list is none.
func written(r plan.Rule) string {
	text, err := json.Marshal(r)
	if err != nil {
		return ""
	}
	return string(text)
}

func (b *builder) drawing(table string) *drawing {
	if b.drawn[table] == nil {
		b.drawn[table] = &drawing{}
	}
	return b.drawn[table]
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
		if other.Disabled || other.CatchAll || other.Match.Called == "" || other.Match.Caller != "" || len(other.Match.Trunks) > 0 {
			continue
		}
		if theirs, err := digits.Compile(other.Match.Called); err == nil && mine.Within(theirs) {
			return other.Name
		}
	}
	return ""
}

// inside proposes emergency numbers without the prefix, and the extensions.
func (b *builder) inside() {
	if path := b.ask.Paths[numbering.ClassEmergency]; path != "" {
		b.emergency(b.ask.InboundTable, b.ask.InboundTable+"-guide-emergency", "Emergency", path, "dialled without a prefix")
	}
	for _, d := range b.p.Destinations {
		trunk := b.index.Trunks[d.Trunk]
		if trunk == nil || trunk.Switch != b.ask.Switch || d.Kind == "outside" {
			continue
		}
		called := d.NumberPattern
		if called == "" {
			called = d.Number
		}
		numbers, err := digits.Compile(called)
		if called == "" || called[0] == '+' || err != nil {
			continue
		}
		if !b.drawing(b.ask.InboundTable).take(numbers.Set()) {
			continue // another destination has them
		}
		b.propose(b.ask.InboundTable, plan.Rule{
			ID: b.ask.InboundTable + "-guide-" + d.ID, Name: d.Name, Match: plan.Match{Called: called}, Class: numbering.ClassInternal,
			CalledSteps: readAs(numbering.Private), Then: plan.Then{Destination: d.ID},
		}, "numbers of the destination, unchanged")
	}
}

func readAs(f numbering.Format) []rewrite.Step {
	return []rewrite.Step{{Op: rewrite.InterpretAs, Format: f}}
}

func (b *builder) emergency(table, id, name, path, why string) {
	numbers, err := digits.SetOf(b.region.Emergency()...)
	if err != nil {
		return
	}
	b.add(table, plan.Rule{ID: id, Name: name, Class: numbering.ClassEmergency, CallerSteps: b.shown(), Then: plan.Then{Path: path}}, numbers, why)
}

// shown are the steps that give calls their number.
func (b *builder) shown() []rewrite.Step {
	if b.ask.Main == "" {
		return nil
	}
	return []rewrite.Step{{Op: rewrite.ReplaceAll, Digits: b.ask.Main}, {Op: rewrite.InterpretAs, Format: numbering.E164}}
}

// toOutside proposes the outside line.
func (b *builder) toOutside() {
	if b.prefix.Empty() {
		return
	}
	all, err := digits.Compile(b.ask.Prefix + "xx.")
	if err != nil {
		return
	}
	b.add(b.ask.InboundTable, plan.Rule{
		ID: b.ask.InboundTable + "-guide-outside", Name: "Outside line, " + b.ask.Prefix,
		CalledSteps: []rewrite.Step{{Op: rewrite.RemoveFirst, Count: b.prefix.Len()}}, CallerSteps: b.shown(), Then: plan.Then{Table: b.outside},
	}, all.Set(), "removes the prefix and continues in the outside table")
	if path := b.ask.Paths[numbering.ClassEmergency]; path != "" {
		b.emergency(b.outside, b.id("emergency"), "Emergency after "+b.ask.Prefix, path, "also after the outside prefix")
	}
}

// service proposes short numbers.
func (b *builder) service() {
	path := b.ask.Paths[numbering.ClassService]
	numbers, err := b.region.ShortNumbers()
	if path == "" || err != nil || numbers.Empty() {
		return
	}
	b.add(b.outside, plan.Rule{
		ID: b.id("service"), Name: "Service numbers", Class: numbering.ClassService, CalledSteps: readAs(b.form()), Then: plan.Then{Path: path},
	}, numbers, "short numbers of "+b.region.Country+", never converted")
}

// abroad proposes international numbers.
func (b *builder) abroad() {
	path := b.ask.Paths[numbering.ClassInternational]
	if path == "" || b.region.International == "" {
		return
	}
	all, err := digits.Compile(b.region.International + "[1-9]xxxxxx.")
	if err != nil {
		return
	}
	b.fromAbroad()
	b.add(b.outside, plan.Rule{
		ID: b.id("abroad"), Name: "Abroad", Class: numbering.ClassInternational, CalledSteps: readAs(numbering.International), Then: plan.Then{Path: path},
	}, all.Set(), fmt.Sprintf("%s and country code, up to 15 digits (E.164), variable length", b.region.International))
}

// form is that in which national numbers are dialled.
func (b *builder) form() numbering.Format {
	if b.region.National == "" {
		return numbering.NationalBare
	}
	return numbering.National
}

// resorts proposes what becomes of wrong numbers.
func (b *builder) resorts() {
	for _, table := range []string{b.ask.InboundTable, b.outside} {
		then := plan.Then{RejectCause: 1}
		if b.ask.Operator != "" {
			then = plan.Then{Destination: b.ask.Operator}
		}
		b.propose(table, plan.Rule{ID: table + "-guide-wrong", Name: "Unallocated numbers", CatchAll: true, Then: then}, "numbers without another matching rule")
		if b.prefix.Empty() {
			return
		}
	}
}
