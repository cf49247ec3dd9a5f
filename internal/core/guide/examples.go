package guide

import (
	"fmt"
	"slices"

	"github.com/nyaruka/phonenumbers"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// ExampleCall is an example number of the country, decided by the plan as it is and with
// the proposed rules.
type ExampleCall struct {
	Class   numbering.Class `json:"class" enum:"emergency,internal,service,local,national,mobile,freephone,shared-cost,premium,international,unknown"`
	Dialled string          `json:"dialled"`
	World   string          `json:"world" doc:"The number in E.164, or unchanged if it has no such format"`
	Before  Decided         `json:"before"`
	After   Decided         `json:"after"`
	OK      bool            `json:"ok" doc:"Afterwards: routed via the chosen path in the right format, or rejected where no path is chosen"`
	Why     string          `json:"why,omitempty" doc:"Why not"`
}

// Decided is what becomes of an example number.
type Decided struct {
	Rule   *trail.Ref `json:"rule,omitempty" doc:"Last rule matched"`
	Path   *trail.Ref `json:"path,omitempty" doc:"Path taken"`
	Leaves string     `json:"leaves,omitempty" doc:"Called number sent, in E.164"`
	Why    string     `json:"why,omitempty" doc:"Why no path was taken"`
	// answered tells that the plan answers the call by a destination.
	answered bool
}

// Proven is what the proposals do to the plan as a whole.
type Proven struct {
	Examples []ExampleCall `json:"examples" nullable:"false"`
	// Findings are what is wrong with proposed rules where they would stand.
	Findings []findings.Finding `json:"findings" nullable:"false"`
}

// Prove decides the example numbers of the country by a plan without and with the
// proposals, except those that the question leaves out, and those that the draft has. The
// error says why nothing can be decided.
func Prove(p plan.Plan, ask Ask, list []Proposal) (Proven, error) {
	out := Proven{Examples: []ExampleCall{}, Findings: []findings.Finding{}}
	list = slices.DeleteFunc(slices.Clone(list), ask.omits)
	before, err := trialOf(p, ask, nil)
	if err != nil {
		return out, err
	}
	after, err := trialOf(p, ask, list)
	if err != nil {
		return out, err
	}
	for _, e := range examples(&after.region, ask) {
		out.Examples = append(out.Examples, compare(&before, &after, e))
	}
	proposed := map[string]bool{}
	for _, x := range list {
		proposed[x.Rule.ID] = true
	}
	for _, table := range slices.Compact([]string{ask.InboundTable, outsideOf(ask)}) {
		for _, f := range findings.InTable(after.s, table, "") {
			if proposed[f.Rule] && f.Kind != "unentered" {
				out.Findings = append(out.Findings, f)
			}
		}
	}
	return out, nil
}

// omits tells whether a proposal is not to be added. Until somebody chooses, rules that
// would take nothing are left out.
func (a Ask) omits(x Proposal) bool {
	return x.Present != "" || a.Omit == nil && x.Covered != "" || slices.Contains(a.Omit, x.Rule.ID)
}

// trialOf compiles a plan with proposals.
func trialOf(p plan.Plan, ask Ask, list []Proposal) (trial, error) {
	whole := with(p, ask, list)
	from := enters(&whole, ask)
	s, problems := decide.Compile(whole)
	if len(problems) > 0 {
		return trial{}, fmt.Errorf("the draft with these rules has a problem: %w", problems[0])
	}
	region, err := plan.NewIndex(whole).Switches[ask.Switch].Region.Compile()
	return trial{s: s, ask: ask, from: from, region: region}, err
}

func outsideOf(ask Ask) string {
	if ask.Prefix == "" {
		return ask.InboundTable
	}
	return ask.Outside
}

// with is a plan with the proposals behind the rules that are there. Who may call what is
// left out: it is another question.
func with(p plan.Plan, ask Ask, list []Proposal) plan.Plan {
	p.Tables = slices.Clone(p.Tables)
	for _, x := range list {
		at := slices.IndexFunc(p.Tables, func(t plan.Table) bool { return t.ID == x.Table })
		if at < 0 {
			p.Tables = append(p.Tables, plan.Table{ID: x.Table, Name: x.Table, Switch: ask.Switch, Order: plan.AsListed})
			at = len(p.Tables) - 1
		}
		t := &p.Tables[at]
		t.Rules = slices.DeleteFunc(slices.Clone(t.Rules), func(r plan.Rule) bool { return r.ID == x.Rule.ID })
		t.Rules = append(t.Rules, x.Rule)
	}
	every := []plan.Permission{}
	for _, c := range numbering.Classes() {
		if c != numbering.ClassEmergency { // which needs no permission
			every = append(every, plan.Permission{Class: c})
		}
	}
	p.CallerGroups = slices.Clone(p.CallerGroups)
	for i := range p.CallerGroups {
		p.CallerGroups[i].Permissions, p.CallerGroups[i].InboundTable = every, ""
	}
	return p
}

// enters is a trunk by which calls enter the table of the guide; a plan that has none yet
// gets one.
func enters(p *plan.Plan, ask Ask) string {
	for _, t := range p.Trunks {
		if t.Switch == ask.Switch && t.InboundTable == ask.InboundTable && t.OppositeTrunk == "" {
			return t.ID
		}
	}
	const id = "guide-phones"
	p.FarEnds = append(slices.Clone(p.FarEnds), plan.FarEnd{ID: id, Name: "Phones", Kind: plan.PhoneSystem})
	p.Trunks = append(slices.Clone(p.Trunks), plan.Trunk{
		ID: id, Name: "Phones", Switch: ask.Switch, FarEnd: id, Channels: 1, InboundTable: ask.InboundTable,
		Link: plan.ExampleLink(),
	})
	return id
}

type trial struct {
	s      *decide.Snapshot
	ask    Ask
	from   string
	region numbering.Region
}

// compare dials an example before and after, and judges what comes of it after.
func compare(before, after *trial, e example) ExampleCall {
	out := ExampleCall{Class: e.class, Dialled: after.ask.Prefix + e.dialled, World: e.world}
	n, err := digits.ParseNumber(out.Dialled)
	if err != nil {
		out.Why = err.Error()
		return out
	}
	if after.region.IsEmergency(n) { // with the prefix before it, it is another one
		out.World = out.Dialled
	}
	out.Before, out.After = before.dial(n), after.dial(n)
	out.Why = out.After.against(after.ask.Paths[e.class], e.class, out.World)
	out.OK = out.Why == ""
	return out
}

// dial decides a number.
func (t *trial) dial(n digits.Number) (out Decided) {
	res, err := t.s.Dry(decide.Call{Trunk: t.from, Called: n}, decide.Suppose{})
	if err != nil {
		out.Why = err.Error()
		return out
	}
	var called numbering.Written
	for _, s := range res.Steps {
		switch {
		case out.Path != nil:
		case s.LookedUp != nil && s.LookedUp.Winner != nil:
			out.Rule, called = s.LookedUp.Winner, s.LookedUp.Called
		case s.Rewrote != nil && s.Rewrote.Number == "called":
			called = s.Rewrote.After
		case s.TookPath != nil:
			out.Path = &s.TookPath.Path
			out.Leaves = t.region.Convert(called.Number, called.Format, numbering.E164).Edit.After().String()
		}
	}
	if out.answered = res.Outcome == trail.Answered; out.Path == nil {
		out.Why = res.Why()
	}
	return out
}

// against says what is wrong with a call of a class that is to take a path, or to be
// rejected where that is empty; nothing if it is as asked.
func (d Decided) against(want string, class numbering.Class, world string) string {
	switch {
	case d.Path == nil && want == "" && !d.answered:
		return ""
	case d.Path == nil:
		return "not routed: " + d.Why
	case want == "":
		return fmt.Sprintf("routed, but no path is chosen for %s calls", class)
	case d.Path.ID != want:
		return "routed via path " + d.Path.Name
	case d.Leaves != world:
		return "called number sent as " + d.Leaves
	}
	return ""
}

// example is a number and how it is dialled.
type example struct {
	class          numbering.Class
	dialled, world string
}

// kinds are the types of the library whose examples are tried.
var kinds = []phonenumbers.PhoneNumberType{
	phonenumbers.FIXED_LINE, phonenumbers.MOBILE, phonenumbers.TOLL_FREE, phonenumbers.PREMIUM_RATE, phonenumbers.SHARED_COST,
	phonenumbers.VOIP, phonenumbers.PERSONAL_NUMBER, phonenumbers.PAGER, phonenumbers.UAN,
}

// examples are those of the phone-number library for the country and for countries that
// share its code, each in all ways in which it is dialled, emergency numbers, and one of
// another country.
func examples(r *numbering.Region, ask Ask) (list []example) {
	add := func(class numbering.Class, dialled, world string) {
		e := example{class, dialled, world}
		if !slices.Contains(list, e) {
			list = append(list, e)
		}
	}
	for _, n := range r.Emergency() {
		add(numbering.ClassEmergency, n.String(), n.String())
	}
	for _, country := range sharing(r) {
		for _, kind := range kinds {
			n := phonenumbers.GetExampleNumberForType(country, kind)
			if n == nil {
				continue
			}
			world, err := digits.ParseNumber(phonenumbers.Format(n, phonenumbers.E164))
			if err != nil {
				continue
			}
			class, _ := r.Class(numbering.As(world, numbering.E164))
			for _, f := range formsOf(r, ask, class) {
				c := r.Convert(world, numbering.E164, f)
				if c.Form == f && !(f == numbering.Local && ambiguous(r, c.Edit.After())) {
					add(class, c.Edit.After().String(), world.String())
				}
			}
		}
	}
	abroad := "+33199001234"
	if r.CountryCode == "33" {
		abroad = "+442079460850"
	}
	add(numbering.ClassInternational, r.Convert(digits.MustNumber(abroad), numbering.E164, numbering.International).Edit.After().String(), abroad)
	return list
}

// formsOf are the forms in which numbers of the country are dialled there.
func formsOf(r *numbering.Region, ask Ask, class numbering.Class) []numbering.Format {
	list := []numbering.Format{numbering.National}
	if r.National == "" || r.CountryCode == "1" {
		list = append(list, numbering.NationalBare)
	}
	if ask.Paths[numbering.ClassInternational] != "" {
		list = append(list, numbering.International)
	}
	if ask.ShortLocal && class == numbering.ClassLocal && r.National != "" {
		list = append(list, numbering.Local)
	}
	return list
}

// ambiguous tells whether a local number begins as a national or an international one, so
// that it cannot be dialled without its area code.
func ambiguous(r *numbering.Region, n digits.Number) bool {
	if r.CountryCode == "1" { // +1 310 1234 is a number of seven digits
		if class, _ := r.Class(numbering.As(n, numbering.NationalBare)); class != numbering.ClassUnknown {
			return true
		}
	}
	return n.HasPrefix(r.National) || r.International != "" && n.HasPrefix(r.International)
}

// sharing are the country and those that share its country code.
func sharing(r *numbering.Region) []string {
	list := []string{r.Country}
	for _, c := range numbering.Countries() {
		if other, err := numbering.NewRegion(c, ""); err == nil && c != r.Country && other.CountryCode == r.CountryCode {
			list = append(list, c)
		}
	}
	return list
}
