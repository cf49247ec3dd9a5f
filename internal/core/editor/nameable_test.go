package editor_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/editor"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
)

// What a setting offers, the plan takes; what it does not offer of the kind, the plan refuses.
func TestWhatCanBeNamedIsWhatThePlanTakes(t *testing.T) {
	p, err := demo.Plan()
	require.NoError(t, err)
	offered := func(list []plan.Named) map[string]bool {
		out := map[string]bool{}
		for _, n := range list {
			out[n.ID] = true
		}
		return out
	}
	for i, trunk := range p.Trunks {
		can := editor.Nameable(p, plan.KindTrunk, trunk.Switch, trunk.ID)
		for place, put := range map[string]func(*plan.Trunk, string){
			"lastResort":   func(t *plan.Trunk, id string) { t.LastResort = id },
			"inboundTable": func(t *plan.Trunk, id string) { t.InboundTable = id },
		} {
			var all []string
			if place == "lastResort" {
				for _, d := range p.Destinations {
					all = append(all, d.ID)
				}
			} else {
				for _, d := range p.Tables {
					all = append(all, d.ID)
				}
			}
			is := offered(can[place])
			for _, id := range all {
				changed := p
				changed.Trunks = append([]plan.Trunk{}, p.Trunks...)
				put(&changed.Trunks[i], id)
				refused := false
				for _, problem := range changed.Validate() {
					refused = refused || problem.Place == "/trunks/"+trunk.ID+"/"+place
				}
				assert.Equal(t, is[id], !refused, "%s of %s: %s", place, trunk.ID, id)
			}
		}
	}
	can := editor.Nameable(p, plan.KindTrunk, "quay", "quay-cape")
	assert.NotContains(t, can["oppositeTrunk"], plan.Named{ID: "quay-cape", Name: "Quay to Cape"}, "a trunk is not its own opposite")
	assert.Len(t, can["oppositeTrunk"], len(p.Trunks)-1)
	assert.Len(t, can["farEnd"], len(p.FarEnds))
	assert.Empty(t, editor.Nameable(p, "nothing", "", ""))
}
