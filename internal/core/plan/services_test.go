package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/plan"
)

// A trunk may be made before the table in which its calls enter.
func TestServicesNeedNoTableYet(t *testing.T) {
	p := skerry(t)
	p.Trunks[0].InboundTable, p.Trunks[0].Services = "", plan.Services{Transfer: true, MWIAccept: true}
	for _, problem := range p.Validate() {
		assert.NotContains(t, problem.Place, "/services")
	}
}

func TestServicesAreValidated(t *testing.T) {
	for why, c := range map[string]struct {
		set  func(t *plan.Trunk)
		said string
	}{
		"a table without a use":  {func(t *plan.Trunk) { t.Services = plan.Services{Table: "sent-on"} }, "without forwarding or transfer"},
		"an unknown table":       {func(t *plan.Trunk) { t.Services.Table = "nowhere" }, `unknown table "nowhere"`},
		"another switch's table": {func(t *plan.Trunk) { t.Services.Table = "cape-out" }, "cape"},
		"joins without a way":    {func(t *plan.Trunk) { t.Services = plan.Services{TrunkToTrunk: true} }, "has no effect without"},
		"an unknown way":         {func(t *plan.Trunk) { t.Services.Redirecting = "by-post" }, "is not allowed"},
		"SRTP past the switch":   {func(t *plan.Trunk) { t.Media = plan.Media{Path: plan.MediaDirect, Encryption: plan.MediaSRTP} }, "needs media through the switch"},
		"SRTP without TLS":       {func(t *plan.Trunk) { t.Media.Encryption = plan.MediaSRTP }, "use transport TLS"},
		"unknown encryption":     {func(t *plan.Trunk) { t.Media.Encryption = "rot13" }, "is not allowed"},
	} {
		p := skerry(t)
		c.set(&p.Trunks[0])
		problems := p.Validate()
		if assert.NotEmpty(t, problems, why) {
			assert.Contains(t, problems[0].Reason, c.said, why)
		}
	}
}
