package plan

import "slices"

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
	if d.Number == "" {
		v.bad(at, "%s has many numbers; a last resort rings at one", d.Name)
	}
	if t := v.index.Trunks[d.Trunk]; t != nil {
		if far := v.index.FarEnds[t.FarEnd]; far == nil || far.Kind != PhoneSystem && far.Kind != Application {
			v.bad(at, "%s is reached by %s, which leads outside; a last resort rings at a phone system or an application", d.Name, t.Name)
		}
	}
}

// setHours checks a rule that sets a calendar by hand.
func (v *validator) setHours(at string, r Rule, set SetHours) {
	h := v.index.Hours[set.Hours]
	v.known(at+"/hours", "hours", set.Hours, h != nil)
	if h != nil && set.State != "" && !slices.Contains(h.States(), set.State) {
		v.bad(at+"/state", "%s has no state %q; it has %q", h.Name, set.State, h.States())
	}
	if set.Toggle && set.State == "" {
		v.bad(at+"/toggle", "goes there and back, and no state is named")
	}
	if set.Minutes < 0 || set.Minutes > MaxOverrideMinutes {
		v.bad(at+"/minutes", "is %d; it is 0 (no end) to %d", set.Minutes, MaxOverrideMinutes)
	}
	if set.Minutes > 0 && set.State == "" {
		v.bad(at+"/minutes", "is an end, and no state is named that would end")
	}
	if len(r.For) == 0 {
		v.bad(at, "changes what other callers meet; say in the rule's groups who alone may")
	}
}
