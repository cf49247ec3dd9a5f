package findings_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/plan"
)

func exposed(t *testing.T, trunk string, change func(p *plan.Plan)) (trunks []string) {
	p := calltest.Plan(t, "skerry-line")
	if change != nil {
		change(&p)
	}
	for _, e := range findings.Exposure(calltest.Compile(t, p).Graph, trunk) {
		trunks = append(trunks, e.Trunk.ID)
	}
	return trunks
}

func TestExposure(t *testing.T) {
	assert.ElementsMatch(t, []string{"ostrel", "penhallow"}, exposed(t, "quay-phones", nil), "Cape takes calls from here for its extensions only")
	assert.Empty(t, exposed(t, "ostrel", nil), "a carrier reaches extensions, and no other carrier")
	assert.Equal(t, []string{"tamarack"}, exposed(t, "cape-phones", nil))
	assert.Empty(t, exposed(t, "island-phones", nil))
	assert.Empty(t, exposed(t, "nobody", nil))

	// A table too many, and the carrier's calls can leave by a carrier, also by
	// the other switch.
	open := func(p *plan.Plan) {
		for i := range p.Tables {
			switch p.Tables[i].ID {
			case "carriers-in":
				p.Tables[i].Rules[2].Then = plan.Then{Table: "outside"}
			case "from-quay":
				p.Tables[i].Rules[0].Then = plan.Then{Path: "cape-outside"}
			}
		}
	}
	assert.Equal(t, []string{"penhallow"}, exposed(t, "ostrel", open), "not back to where it came from")
	assert.ElementsMatch(t, []string{"ostrel", "penhallow", "tamarack"}, exposed(t, "quay-phones", open))
	// A rule for calls from elsewhere is no way.
	assert.Empty(t, exposed(t, "ostrel", func(p *plan.Plan) {
		open(p)
		for i := range p.Tables {
			if p.Tables[i].ID == "carriers-in" {
				p.Tables[i].Rules[2].Match.Trunks = []string{"penhallow"}
			}
		}
	}))
}

// A caller group's own table and groups of trunks are ways out like any other.
func TestExposureFollowsGroups(t *testing.T) {
	p := calltest.OneRule(plan.CallerGroup{ID: "all", Name: "All", Trunks: []string{"ostrel"}, InboundTable: "world"})
	p.Trunks[1].Group, p.Trunks[1].Hairpin = "carriers", new(bool)
	*p.Trunks[1].Hairpin = true
	for i := range p.Tables[1].Rules {
		p.Tables[1].Rules[i].Match.TrunkGroups = []string{"carriers"}
	}
	assert.Len(t, findings.Exposure(calltest.Compile(t, p).Graph, "ostrel"), 1)
	p.CallerGroups[0].InboundTable = ""
	assert.Empty(t, findings.Exposure(calltest.Compile(t, p).Graph, "ostrel"))
}
