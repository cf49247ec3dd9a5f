package plan

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/hours"
)

// Hours is a named calendar: at every moment it is in one of its states.
type Hours struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	// TimeZone is the IANA name of the place whose clock counts; empty is that of the
	// switch that decides the call.
	TimeZone string         `json:"timeZone,omitempty" maxLength:"60"`
	Week     []hours.Weekly `json:"week" nullable:"false" maxItems:"200"`
	// Otherwise is the state where no span of the week is.
	Otherwise string `json:"otherwise" maxLength:"40"`
	Note      string `json:"note,omitempty"`
}

// States are those in which the calendar can be, in the order of the week.
func (h Hours) States() []string {
	var out []string
	for _, s := range h.Week {
		if !slices.Contains(out, s.State) {
			out = append(out, s.State)
		}
	}
	if !slices.Contains(out, h.Otherwise) {
		out = append(out, h.Otherwise)
	}
	return out
}

// Compile makes the calendar of a valid Hours as a switch of a time zone has it.
func (h Hours) Compile(switchZone string) *hours.Calendar {
	zone := h.TimeZone
	if zone == "" {
		zone = switchZone
	}
	c, _ := hours.Compile(zone, h.Week, h.Otherwise)
	return c
}

// When is some states of a calendar. The zero When is always.
type When struct {
	Hours  string   `json:"hours,omitempty" doc:"Id of the calendar; empty is always"`
	States []string `json:"states,omitempty" maxItems:"20"`
}

// Always tells whether it does not depend on the hour.
func (w When) Always() bool { return w.Hours == "" }

func (v *validator) hours(at string, h Hours) {
	v.named("hours", at, h.ID, h.Name, h.Note)
	_, faults := hours.Compile(h.TimeZone, h.Week, h.Otherwise)
	for _, f := range faults {
		v.bad(at+"/"+f.Field, "%s", f.Reason)
	}
	for i, s := range h.Week {
		v.stateName(fmt.Sprintf("%s/week/%d/state", at, i), s.State)
	}
	v.stateName(at+"/otherwise", h.Otherwise)
}

func (v *validator) stateName(at, name string) {
	if strings.TrimSpace(name) != name || name == "" {
		v.bad(at, "%q is no name of a state, such as day", name)
	}
}

func (v *validator) when(at string, w When) {
	if w.Always() {
		if len(w.States) > 0 {
			v.bad(at+"/hours", "is missing; the states are those of a calendar")
		}
		return
	}
	h := v.index.Hours[w.Hours]
	v.known(at+"/hours", "hours", w.Hours, h != nil)
	if len(w.States) == 0 {
		v.bad(at+"/states", "is empty; it would never be")
	}
	for i, s := range w.States {
		if h != nil && !slices.Contains(h.States(), s) {
			v.bad(fmt.Sprintf("%s/states/%d", at, i), "%s has no state %q; it has %q", h.Name, s, h.States())
		}
	}
}
