package plan

import (
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/digits"
)

// What decides where a call goes: tables and their rules, paths, destinations.

func (v *validator) table(at string, t Table) {
	v.named("table", at, t.ID, t.Name, t.Note)
	v.known(at+"/switch", "switch", t.Switch, v.index.Switches[t.Switch] != nil)
	v.form(at+"/format", t.Format)
	if t.Order != AsListed && t.Order != SpecificFirst {
		v.bad(at+"/order", "unknown order %q; allowed: %s, %s", t.Order, SpecificFirst, AsListed)
	}
	if old := v.before[t.ID]; v.sameFrame && old != nil && old.Switch == t.Switch && SameSlice(old.Rules, t.Rules) {
		v.takeIDs(at, t.Rules)
		return
	}
	for i, r := range t.Rules {
		id := r.ID
		if id == "" {
			id = fmt.Sprint(i)
		}
		v.rule(at+"/rules/"+id, t, r)
	}
}

// takeIDs checks only what depends on other tables: that no rule of theirs has
// the same id.
func (v *validator) takeIDs(at string, rules []Rule) {
	for i := range rules {
		v.takeID("rule", at+"/rules/"+rules[i].ID, rules[i].ID)
	}
}

func (v *validator) rule(at string, t Table, r Rule) {
	v.named("rule", at, r.ID, r.Name, r.Note)
	v.pattern(at+"/match/called", r.Match.Called)
	v.pattern(at+"/match/caller", r.Match.Caller)
	if r.Match.NoDigits && r.Match.Called != "" {
		v.bad(at+"/match/noDigits", "cannot be combined with a called pattern")
	}
	if r.Match.NoCaller && r.Match.Caller != "" {
		v.bad(at+"/match/noCaller", "cannot be combined with a calling pattern")
	}
	for i, id := range r.Match.Trunks {
		trunk := v.index.Trunks[id]
		v.known(fmt.Sprintf("%s/match/trunks/%d", at, i), "trunk", id, trunk != nil)
	}
	for i, g := range r.Match.TrunkGroups {
		if len(v.index.TrunkGroups[g]) == 0 {
			v.bad(fmt.Sprintf("%s/match/trunkGroups/%d", at, i), "no trunk bears the group %q", g)
		}
	}
	v.when(at+"/match/when", r.Match.When)
	for i, id := range r.CallerGroups {
		v.known(fmt.Sprintf("%s/callerGroups/%d", at, i), "caller group", id, v.index.CallerGroups[id] != nil)
	}
	if r.Class != "" {
		v.class(at+"/class", r.Class)
	}
	v.oneOf(at+"/complete", r.Complete, "", CompleteWait, CompleteAtOnce)
	if r.CatchAll && r.Complete != "" {
		v.bad(at+"/complete", "not allowed in a catch-all rule")
	}
	v.steps(at+"/calledSteps", r.CalledSteps)
	v.steps(at+"/callerSteps", r.CallerSteps)
	v.then(at+"/then", t.Switch, r.Then)
	if r.Then.SetCalendar != nil {
		v.setCalendar(at+"/then/setCalendar", r, *r.Then.SetCalendar)
	}
}

func (v *validator) then(at, sw string, then Then) {
	set := 0
	if then.Table != "" {
		set++
		v.onSwitch(at+"/table", "table", then.Table, sw, v.index.tableSwitch(then.Table))
	}
	if then.Path != "" {
		set++
		v.onSwitch(at+"/path", "path", then.Path, sw, v.index.pathSwitch(then.Path))
	}
	if then.Destination != "" {
		set++
		v.onSwitch(at+"/destination", "destination", then.Destination, sw, v.index.destinationSwitch(then.Destination))
	}
	if then.Inventory {
		set++
	}
	if then.RejectCause != 0 {
		set++
		if then.RejectCause < 1 || then.RejectCause > 127 {
			v.bad(at+"/rejectCause", "%d is out of range (Q.850 cause 1 to 127)", then.RejectCause)
		}
	}
	if then.SetCalendar != nil {
		set++
	}
	if set != 1 {
		v.bad(at, "exactly one of table, path, destination, inventory, rejectCause and setCalendar is allowed; %d are set", set)
	}
}

func (v *validator) path(at string, p Path) {
	v.named("path", at, p.ID, p.Name, p.Note)
	v.known(at+"/switch", "switch", p.Switch, v.index.Switches[p.Switch] != nil)
	if len(p.Choices) == 0 {
		v.bad(at+"/choices", "is empty; add a trunk")
	}
	if len(p.Choices) > MaxChoices {
		v.bad(at+"/choices", "%d entries exceed the maximum of %d", len(p.Choices), MaxChoices)
	}
	if !slices.Contains([]string{"", ChoicesAsListed, CheapestFirst, ByWeight, RoundRobin}, p.Order) {
		v.bad(at+"/order", "unknown order %q; allowed: as-listed, cheapest-first, by-weight, round-robin", p.Order)
	}
	for i, c := range p.Choices {
		at := fmt.Sprintf("%s/choices/%d", at, i)
		if c.Weight < 0 || c.Weight > 1000 {
			v.bad(at+"/weight", "%d is out of range (1 to 1,000)", c.Weight)
		}
		v.onSwitch(at+"/trunk", "trunk", c.Trunk, p.Switch, v.index.trunkSwitch(c.Trunk))
		v.steps(at+"/calledSteps", c.CalledSteps)
		v.steps(at+"/callerSteps", c.CallerSteps)
	}
	for _, causes := range []struct {
		field string
		list  []int
	}{{"failoverCauses", p.FailoverCauses}, {"stopCauses", p.StopCauses}} {
		for i, q := range causes.list {
			if q < 1 || q > 127 {
				v.bad(fmt.Sprintf("%s/%s/%d", at, causes.field, i), "%d is out of range (Q.850 cause 1 to 127)", q)
			}
		}
	}
	v.timers(at+"/timers", p.Timers)
	if p.MaxAttempts < 0 || p.MaxAttempts > 100 {
		v.bad(at+"/maxAttempts", "%d is out of range (0 for all, or 1 to 100)", p.MaxAttempts)
	}
}

func (v *validator) timers(at string, t Timers) {
	for _, f := range []struct {
		name    string
		ms, max int
	}{{"noResponseMs", t.NoResponseMs, 32_000}, {"only100Ms", t.Only100Ms, 180_000}, {"ringingMs", t.RingingMs, 600_000}} {
		if f.ms != 0 && (f.ms < 100 || f.ms > f.max) {
			v.bad(at+"/"+f.name, "%d is out of range (0 for default, or 100 to %d ms)", f.ms, f.max)
		}
	}
}

func (v *validator) destination(at string, d Destination) {
	v.named("destination", at, d.ID, d.Name, d.Note)
	v.oneOf(at+"/kind", d.Kind, DestinationKinds...)
	v.known(at+"/trunk", "trunk", d.Trunk, v.index.Trunks[d.Trunk] != nil)
	if d.Number != "" && d.NumberPattern != "" {
		v.bad(at+"/number", "cannot be combined with numberPattern")
	}
	if _, err := digits.ParseNumber(d.Number); err != nil {
		v.bad(at+"/number", "%s", err)
	}
	v.pattern(at+"/numberPattern", d.NumberPattern)
}
