package plan

import (
	"slices"
	"time"

	"switchback.example/switchback/internal/core/digits"
)

// Check is a kept test call: what is dialled from where, under which suppositions, and
// what is expected to come of it. It decides nothing, and what it names need not be there
// any more: then it fails.
type Check struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	// Group is the heading under which it is listed.
	Group string `json:"group,omitempty" maxLength:"60"`
	// From is a trunk, a far end that has one, or an extension.
	From   string `json:"from" maxLength:"200"`
	Called string `json:"called" maxLength:"200"`
	Caller string `json:"caller,omitempty" doc:"Empty is the extension's own" maxLength:"200"`
	// Simulate is what is taken for granted of the moment.
	Simulate Simulated `json:"simulate,omitzero"`
	// Expected is what must come of it.
	Expected Expected `json:"expected"`
	Note     string   `json:"note,omitempty"`
}

// Simulated is the time, the state of trunks and that of calendars that a check supposes.
type Simulated struct {
	// Time of the call, RFC 3339; empty is that of the run.
	Time string   `json:"time,omitempty" maxLength:"40"`
	Down []string `json:"down,omitempty" doc:"Trunks that are down" maxItems:"1000"`
	Full []string `json:"full,omitempty" doc:"Trunks that are full" maxItems:"1000"`
	// Overrides are states of calendars, by the id of the calendar.
	Overrides map[string]string `json:"overrides,omitempty"`
}

// Expected is what must come of a check; what is empty is not compared.
type Expected struct {
	Outcome string `json:"outcome" enum:"answered,refused,failed"`
	// Trunk is the one by which the call left last.
	TrunkOut string `json:"trunkOut,omitempty"`
	// Called and Caller are the numbers as they left.
	CalledOut string `json:"calledOut,omitempty" maxLength:"100"`
	CallerOut string `json:"callerOut,omitempty" maxLength:"100"`
	// Cause is that of Q.850 with which it ended.
	Cause int `json:"cause,omitempty" minimum:"0" maximum:"127"`
}

func (v *validator) testCall(at string, c Check) {
	v.named("check", at, c.ID, c.Name, c.Note)
	if c.From == "" {
		v.bad(at+"/from", "is missing; name a trunk, a far end or an extension")
	}
	for _, f := range []struct{ field, text string }{{"called", c.Called}, {"expected/calledOut", c.Expected.CalledOut}, {"expected/callerOut", c.Expected.CallerOut}} {
		if _, err := digits.ParseNumber(f.text); err != nil {
			v.bad(at+"/"+f.field, "%s", err)
		}
	}
	if c.Simulate.Time != "" {
		if _, err := time.Parse(time.RFC3339, c.Simulate.Time); err != nil {
			v.bad(at+"/simulate/time", "invalid time %q; use RFC 3339", c.Simulate.Time)
		}
	}
	if o := c.Expected.Outcome; !slices.Contains([]string{"answered", "refused", "failed"}, o) {
		v.bad(at+"/expected/outcome", "unknown outcome %q; allowed: answered, refused, failed", o)
	}
	if q := c.Expected.Cause; q < 0 || q > 127 {
		v.bad(at+"/expected/cause", "%d is out of range (Q.850 cause 1 to 127)", q)
	}
}
