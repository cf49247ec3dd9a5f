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
	// From is a trunk, a far end that has one, or an extension.
	From   string `json:"from" maxLength:"200"`
	Dial   string `json:"dial" maxLength:"200"`
	Caller string `json:"caller,omitempty" doc:"Empty is the extension's own" maxLength:"200"`
	// At is the moment of the call, RFC 3339; empty is that of the run.
	At   string   `json:"at,omitempty" maxLength:"40"`
	Down []string `json:"down,omitempty" doc:"Trunks that are supposed to be down" maxItems:"1000"`
	Full []string `json:"full,omitempty" doc:"Trunks that are supposed to be full" maxItems:"1000"`
	// ByHand are calendars that are supposed to be set by hand, by id, with their states.
	ByHand map[string]string `json:"byHand,omitempty"`
	// Expect is what must come of it.
	Expect Expected `json:"expect"`
	Note   string   `json:"note,omitempty"`
}

// Expected is what a check wants; what is empty is not looked at.
type Expected struct {
	Outcome string `json:"outcome" enum:"answered,refused,failed"`
	// Trunk is the one by which the call left last.
	Trunk string `json:"trunk,omitempty"`
	// Called and Caller are the numbers as they left.
	Called string `json:"called,omitempty" maxLength:"100"`
	Caller string `json:"caller,omitempty" maxLength:"100"`
	// Cause is that of Q.850 with which it ended.
	Cause int `json:"cause,omitempty" minimum:"0" maximum:"127"`
}

func (v *validator) check(at string, c Check) {
	v.named("check", at, c.ID, c.Name, c.Note)
	if c.From == "" {
		v.bad(at+"/from", "is missing; name a trunk, a far end or an extension")
	}
	for _, f := range []struct{ field, text string }{{"dial", c.Dial}, {"expect/called", c.Expect.Called}, {"expect/caller", c.Expect.Caller}} {
		if _, err := digits.ParseNumber(f.text); err != nil {
			v.bad(at+"/"+f.field, "%s", err)
		}
	}
	if c.At != "" {
		if _, err := time.Parse(time.RFC3339, c.At); err != nil {
			v.bad(at+"/at", "%q is no moment such as 2026-01-02T15:04:05Z", c.At)
		}
	}
	if o := c.Expect.Outcome; !slices.Contains([]string{"answered", "refused", "failed"}, o) {
		v.bad(at+"/expect/outcome", "%q is no outcome; expect answered, refused or failed", o)
	}
	if q := c.Expect.Cause; q < 0 || q > 127 {
		v.bad(at+"/expect/cause", "%d is not a Q.850 cause, 1 to 127", q)
	}
}
