package plan

import (
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// lastResort checks a destination of calls that nobody answers: one number, inside.
func (v *validator) lastResort(at, sw, id string) {
	if id == "" {
		return
	}
	v.onSwitch(at, "destination", id, sw, v.index.destinationSwitch(id))
	d := v.index.Destinations[id]
	if d == nil {
		return
	}
	for _, why := range v.index.noLastResort(d) {
		v.bad(at, "%s", why)
	}
}

// noLastResort says why calls that nobody answers cannot go to a destination.
func (x Index) noLastResort(d *Destination) (why []string) {
	if d.Number == "" {
		why = append(why, fmt.Sprintf("%s has many numbers; a last resort rings at one", d.Name))
	}
	if t := x.Trunks[d.Trunk]; t != nil {
		if far := x.FarEnds[t.FarEnd]; far == nil || far.Kind != PhoneSystem && far.Kind != Application {
			why = append(why, fmt.Sprintf("%s is reached by %s, which leads outside; a last resort rings at a phone system or an application", d.Name, t.Name))
		}
	}
	return why
}

// setCalendar checks a rule that overrides a calendar.
func (v *validator) setCalendar(at string, r Rule, set SetCalendar) {
	h := v.index.Calendars[set.Calendar]
	v.known(at+"/calendar", "calendar", set.Calendar, h != nil)
	if h != nil && set.State != "" && !slices.Contains(h.States(), set.State) {
		v.bad(at+"/state", "unknown state %[2]q of %[1]s; allowed: %[3]q", h.Name, set.State, h.States())
	}
	if set.Toggle && set.State == "" {
		v.bad(at+"/toggle", "toggles, so a state is needed")
	}
	if set.Minutes < 0 || set.Minutes > MaxOverrideMinutes {
		v.bad(at+"/minutes", "%d is out of range (0, no end, to %d)", set.Minutes, MaxOverrideMinutes)
	}
	if set.Minutes > 0 && set.State == "" {
		v.bad(at+"/minutes", "needs a state")
	}
	if len(r.CallerGroups) == 0 {
		v.bad(at, "affects all callers; limit the rule to caller groups")
	}
}

// wholeNumbers checks the digits that make whole numbers of last digits.
func (v *validator) wholeNumbers(at string, t Trunk) {
	if t.In.CalledPrefix == "" {
		return
	}
	n, err := digits.ParseNumber(t.In.CalledPrefix)
	switch {
	case err != nil:
		v.bad(at, "%s", err)
	case !n.Plus() || !n.Digits() || n.Len() < 2 || n.Len() > digits.MaxPacked:
		v.bad(at, "invalid prefix %q; use the beginning of an E.164 number such as +441914", t.In.CalledPrefix)
	case t.In.CalledFormat != "" && t.In.CalledFormat != numbering.AsDialled:
		v.bad(at, "cannot be combined with number format %s", t.In.CalledFormat)
	case t.Overlap.Enabled:
		v.bad(at, "is not available with overlap dialling; use a rule to add digits")
	}
}
