package plan_test

import (
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

func TestNumbersAreValidated(t *testing.T) {
	type number = inventory.Number
	good := number{First: "+442079460400", Last: "+442079460499", State: inventory.Active}
	const at = "/numbers/442079460400-442079460499"
	for reason, change := range map[string]func(n *number){
		at + `/state: "sold" is not a state; these are ordered, trial, active, porting and spare`:                                               func(n *number) { n.State = "sold" },
		`/numbers/02079460400/first: a public number is written as E.164: +, country code, at most 15 digits`:                                   func(n *number) { n.First, n.Last = "02079460400", "" },
		`/numbers/2345/first: a public number is written as E.164: +, country code, at most 15 digits; 2345 is an extension of Quay extensions`: func(n *number) { n.First, n.Last = "2345", "" },
		`/numbers/442079460400-44/first: +442079460400 and +44 have different widths`:                                                           func(n *number) { n.Last = "+44" },
		`/numbers/442079460400-442079460400/first: the block has one number only; leave its last one empty`:                                     func(n *number) { n.Last = n.First },
		`/numbers/442079460499-442079460400/first: +442079460499 lies above +442079460400`:                                                      func(n *number) { n.First, n.Last = n.Last, n.First },
		at + `/destination: unknown destination "nobody"`:                                                                                       func(n *number) { n.Destination = "nobody" },
		at + `/carrier: unknown far end "nobody"`:                                                                                               func(n *number) { n.Carrier = "nobody" },
		at + `/extension: needs a destination`:                                                                                                  func(n *number) { n.Extension = "2000" },
		at + `/extension: maps +442079460400 to +442079460499 to 2400 to 2499; 100 of these are not at Quay extensions (2400 to 2499)`:          func(n *number) { n.Extension, n.Destination = "2400", "quay-extensions" },
		at + `/extension: maps +442079460400 to +442079460499 to 2300 to 2399; 20 of these are not at Quay extensions (2380 to 2399)`:           func(n *number) { n.Extension, n.Destination = "2300", "quay-extensions" },
		at + `/extension: 9950 is too short for 100 numbers`:                                                                                    func(n *number) { n.Extension, n.Destination = "9950", "quay-extensions" },
		at + `/extension: Operator has one number only; clear the extension`:                                                                    func(n *number) { n.Extension, n.Destination = "2000", "operator" },
		at + `/busy: forward on busy needs a destination`:                                                                                       func(n *number) { n.ForwardOnBusy = "907700900461" },
		at + `/tag: "a \"b\"" contains a quotation mark, a backslash or outer spaces`:                                                           func(n *number) { n.NamePrefix = `a "b"` },
		at + `/ring: invalid Alert-Info "ring-2"; use a URI in angle brackets such as <urn:alert:source:external>`:                              func(n *number) { n.AlertInfo = "ring-2" },
		`/numbers/+44x/first: number "+44x", position 4: "x" is not a symbol of a number; these are: 0-9 * # A B C D, and + in front`:           func(n *number) { n.First, n.Last = "+44x", "" },
	} {
		n := good
		change(&n)
		p := skerry(t)
		p.Numbers = inventory.New([]number{n})
		var all []string
		for _, problem := range p.Validate() {
			all = append(all, problem.Place+": "+problem.Reason)
		}
		assert.Contains(t, all, reason)
	}
	p := skerry(t)
	p.Numbers = inventory.New([]number{good, {First: "+442079460450", State: inventory.Active}, {First: "+442079460500", Last: "+442079460599", State: inventory.Active, Destination: "quay-extensions", Extension: "2300", Gaps: true}})
	assert.Empty(t, p.Validate(), "a number in a block is its own; gaps that are known are no fault")
	p.Numbers = inventory.New([]number{good, {First: "+442079460499", Last: "+442079460598", State: inventory.Active}})
	assert.Equal(t, []plan.Problem{
		{Place: "/numbers/442079460499-442079460598/first", Reason: "+442079460499 to +442079460598 overlaps +442079460400 to +442079460499"},
		{Place: at + "/first", Reason: "+442079460400 to +442079460499 overlaps +442079460499 to +442079460598"},
	}, p.Validate())
	inside := number{First: "+442079460410", Last: "+442079460419", State: inventory.Active}
	p.Numbers = inventory.New([]number{good, inside, {First: "+442079460430", Last: "+442079460439", State: inventory.Active}})
	assert.Len(t, p.Validate(), 4, "each block within another is told, and not only the first")
	p.Numbers = inventory.New([]number{good, good})
	assert.Equal(t, []plan.Problem{{Place: at + "/first", Reason: "duplicate entry +442079460400 to +442079460499"}}, p.Validate())
}

// What is checked again after an edit must find what checking all of it finds.
func TestNumbersAreValidatedAgainAfterAnEdit(t *testing.T) {
	before := skerry(t)
	var rows []inventory.Number
	for i := range 5000 {
		rows = append(rows, inventory.Number{First: numberText(i), State: inventory.Active, Destination: "quay-extensions", Extension: "2000"})
	}
	before.Numbers = inventory.New(rows)
	assert.Empty(t, before.Validate())
	after := before
	after.Numbers, _ = before.Numbers.With([]inventory.Number{{First: numberText(77), State: inventory.Active, Destination: "gone"}}, nil)
	assert.Equal(t, after.Validate(), after.ValidateAfter(before))
	assert.Len(t, after.Validate(), 1)
	after = before
	after.Destinations = append([]plan.Destination{}, before.Destinations...)
	for i := range after.Destinations {
		if after.Destinations[i].ID == "quay-extensions" {
			after.Destinations[i].NumberPattern = "23xx"
		}
	}
	assert.Len(t, after.ValidateAfter(before), 5000, "another pattern of the destination is another landing")
}

func numberText(i int) string { return "+44" + strconv.Itoa(2079460000+i*7) }
