package plan_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/plan"
)

func TestNumbersAreValidated(t *testing.T) {
	good := plan.Number{ID: "a", First: "+442079460400", Last: "+442079460499", State: plan.NumberActive}
	for reason, change := range map[string]func(n *plan.Number){
		`/numbers/a/state: "sold" is not a state; these are ordered, trial, active, porting and spare`:                             func(n *plan.Number) { n.State = "sold" },
		`/numbers/a/first: a public number is written as E.164: +, country code, at most 15 digits`:                                func(n *plan.Number) { n.First, n.Last = "02079460400", "" },
		`/numbers/a/first: +442079460400 and +44 have different widths`:                                                            func(n *plan.Number) { n.Last = "+44" },
		`/numbers/a/destination: no destination has the id "nobody"`:                                                               func(n *plan.Number) { n.Destination = "nobody" },
		`/numbers/a/carrier: no far end has the id "nobody"`:                                                                       func(n *plan.Number) { n.Carrier = "nobody" },
		`/numbers/a/extension: is mapped at a destination, and none is named`:                                                      func(n *plan.Number) { n.Extension = "2000" },
		`/numbers/a/first: number "+44x", position 4: "x" is not a symbol of a number; these are: 0-9 * # A B C D, and + in front`: func(n *plan.Number) { n.First = "+44x" },
	} {
		p := plan.New("numbers")
		n := good
		change(&n)
		p.Numbers = []plan.Number{n}
		problems := p.Validate()
		if assert.Len(t, problems, 1, reason) {
			assert.Equal(t, reason, problems[0].Error())
		}
	}
	p := plan.New("numbers")
	other := good
	other.ID, other.First, other.Last = "b", "+442079460490", "+442079460510"
	p.Numbers = []plan.Number{good, other}
	assert.Equal(t, []plan.Problem{{Place: "/numbers/b/first", Reason: "+442079460490 to +442079460510 overlaps +442079460400 to +442079460499"}}, p.Validate())
	other.First, other.Last = "+442079460490", ""
	p.Numbers = []plan.Number{good, other}
	assert.Empty(t, p.Validate(), "a single number inside a block")
}
