package decide

import (
	"slices"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Matched are the rules that a call matched on its way, each once, in order.
func Matched(steps []trail.Step) (ids []string) {
	for _, s := range steps {
		if s.LookedUp != nil && s.LookedUp.Winner != nil && !slices.Contains(ids, s.LookedUp.Winner.ID) {
			ids = append(ids, s.LookedUp.Winner.ID)
		}
	}
	return ids
}

// Uncovered is a rule that no check matches.
type Uncovered struct {
	Table     string `json:"table"`
	TableName string `json:"tableName"`
	Rule      string `json:"rule"`
	Name      string `json:"name"`
}

// Coverage says how many enabled rules of a plan are matched by some check, of how many, and which
// are not. matched are the ids of rules that checks matched.
func Coverage(p plan.Plan, matched map[string]bool) (covered, all int, missing []Uncovered) {
	missing = []Uncovered{}
	for _, t := range p.Tables {
		for _, r := range t.Rules {
			if r.Disabled {
				continue
			}
			if all++; matched[r.ID] {
				covered++
				continue
			}
			missing = append(missing, Uncovered{t.ID, t.Name, r.ID, r.Name})
		}
	}
	return covered, all, missing
}
