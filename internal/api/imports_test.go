package api_test

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

func TestAnImportIsCheckedReportedAndAllOrNothing(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	var p plan.Plan
	c.Ask("GET", "/api/draft/plan", nil, &p)
	p.Tables = slices.Clone(p.Tables)
	p.Name = "Skerry Line, new"
	rows := slices.Collect(p.Numbers.All())
	p.Numbers = inventory.New(append(rows, inventory.Number{First: "+448081570124", State: inventory.Active, Destination: "operator"}))
	p.Tables[1].Rules = p.Tables[1].Rules[1:]
	var report api.Imported
	c.Ask("PUT", "/api/draft?check=true", p, &report)
	assert.False(t, report.Applied)
	assert.Equal(t, draft.Version, report.Version)
	assert.Equal(t, len(rows)+1, report.Objects[plan.KindNumber])
	assert.Equal(t, 2, report.Differences)
	var told []string
	for _, ch := range report.Changes {
		told = append(told, ch.What+" "+string(ch.Kind)+" "+ch.ID)
	}
	assert.ElementsMatch(t, []string{"removed rule outside-emergency", "added number 448081570124"}, told)
	var same api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &same)
	assert.Equal(t, draft, same, "a check leaves the draft as it is")

	bad := p
	bad.Numbers = inventory.New([]inventory.Number{{First: "0808"}})
	problem := c.Problem(422, "PUT", "/api/draft", bad)
	assert.Len(t, problem.Errors, 2)
	c.Ask("GET", "/api/draft", nil, &same)
	assert.Equal(t, draft, same, "an import never half applies")

	c.Ask("PUT", "/api/draft", p, &report)
	assert.True(t, report.Applied)
	c.Ask("GET", "/api/draft", nil, &same)
	assert.Equal(t, "Skerry Line, new", same.Plan.Name)
	assert.Zero(t, same.Plan.Numbers.Len(), "numbers are asked for apart")
}
