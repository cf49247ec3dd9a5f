package demo

import (
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

// Mistake is one honest mistake of the demo's draft: the kind that is made on a Friday, and
// that findings, checks and the impact of a change are there to show.
type Mistake struct {
	Name string
	Make func(p *plan.Plan) error
}

// Mistakes are those of the demo's draft.
func Mistakes() []Mistake {
	return []Mistake{
		{"a catch-all rule above the rule for mobiles", catchAllFirst},
		{"a block mapping that is off by a hundred", blockOffByHundred},
		{"a missing +", missingPlus},
		{"an emergency path with one trunk", oneEmergencyTrunk},
		{"a signalling address that is not trusted", untrustedAddress},
	}
}

// Draft returns the demo's draft: its plan with the mistakes.
func Draft() (plan.Plan, error) {
	p, err := Plan()
	if err != nil {
		return p, err
	}
	for _, m := range Mistakes() {
		if err := m.Make(&p); err != nil {
			return p, fmt.Errorf("the demo's draft, %s: %w", m.Name, err)
		}
	}
	return p, nil
}

func catchAllFirst(p *plan.Plan) error {
	rules, err := rulesOf(p, "outside")
	if err != nil {
		return err
	}
	at := slices.IndexFunc(*rules, func(r plan.Rule) bool { return r.ID == "outside-mobile" })
	if at < 0 {
		return missing("outside-mobile")
	}
	*rules = slices.Insert(*rules, at, plan.Rule{
		ID: "outside-other", Name: "Other numbers", Match: plan.Match{Called: "0x."},
		CalledSteps: []rewrite.Step{{Op: "interpret-as", Format: "national"}}, Then: plan.Then{Path: "national"},
	})
	return nil
}

func blockOffByHundred(p *plan.Plan) error {
	step, err := mapping(p, "phones-out", "phones-outside-sales", func(r *plan.Rule) []rewrite.Step { return r.CallerSteps })
	if err == nil {
		step.To = &rewrite.Range{First: "02079460500", Last: "02079460599"}
	}
	return err
}

func missingPlus(p *plan.Plan) error {
	step, err := mapping(p, "phones-out", "phones-desks", func(r *plan.Rule) []rewrite.Step { return r.CalledSteps })
	if err == nil {
		step.To = &rewrite.Range{First: "442079460480", Last: "442079460499"}
	}
	return err
}

func oneEmergencyTrunk(p *plan.Plan) error {
	for i := range p.Paths {
		if path := &p.Paths[i]; path.ID == "emergency" {
			path.Choices = path.Choices[:1]
			return nil
		}
	}
	return missing("emergency")
}

func untrustedAddress(p *plan.Plan) error {
	for i := range p.Trunks {
		if t := &p.Trunks[i]; t.ID == "ostrel" {
			t.Link = t.Link.Distrust("127.0.30.3")
			return nil
		}
	}
	return missing("ostrel")
}

func rulesOf(p *plan.Plan, table string) (*[]plan.Rule, error) {
	for i := range p.Tables {
		if p.Tables[i].ID == table {
			return &p.Tables[i].Rules, nil
		}
	}
	return nil, missing(table)
}

// mapping is the step of a rule that maps a block.
func mapping(p *plan.Plan, table, rule string, steps func(*plan.Rule) []rewrite.Step) (*rewrite.Step, error) {
	rules, err := rulesOf(p, table)
	if err != nil {
		return nil, err
	}
	for i := range *rules {
		if r := &(*rules)[i]; r.ID == rule {
			list := steps(r)
			for j := range list {
				if list[j].Op == "map-block" {
					return &list[j], nil
				}
			}
		}
	}
	return nil, missing(rule)
}

func missing(id string) error { return fmt.Errorf("the plan has no %s", id) }
