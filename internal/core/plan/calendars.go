package plan

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/hours"
)

// Hours is a named calendar: at every moment it is in one of its states.
type Calendar struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	// TimeZone is the IANA name of the place whose clock counts; empty is that of the
	// switch that decides the call.
	TimeZone string `json:"timeZone,omitempty" maxLength:"60"`
	// Dates win over Holidays, and these over Week.
	Dates    []hours.Dated  `json:"dates,omitempty" maxItems:"2000"`
	Holidays hours.Holidays `json:"holidays,omitzero"`
	Week     []hours.Weekly `json:"week" nullable:"false" maxItems:"200"`
	// More are states in which it only is by hand, such as storm.
	OverrideOnlyStates []string `json:"overrideOnlyStates,omitempty" maxItems:"20"`
	// Otherwise is the state where no span of the week is.
	DefaultState string `json:"defaultState" maxLength:"40"`
	Note         string `json:"note,omitempty"`
}

// States are those in which the calendar can be, in the order of the week,
// the others behind.
func (h Calendar) States() []string {
	var out []string
	add := func(state string) {
		if !slices.Contains(out, state) {
			out = append(out, state)
		}
	}
	for _, s := range h.Week {
		add(s.State)
	}
	add(h.DefaultState)
	if h.Holidays.Country != "" {
		add(h.Holidays.State)
	}
	for _, d := range h.Dates {
		add(d.State)
	}
	for _, s := range h.OverrideOnlyStates {
		add(s)
	}
	return out
}

// Compile makes the calendar of a valid Hours as a switch of a time zone has it.
func (h Calendar) Compile(switchZone string) *hours.Calendar {
	c, _ := hours.Compile(h.Times(switchZone))
	return c
}

// Times are those by which a switch of a time zone goes.
func (h Calendar) Times(switchZone string) hours.Times {
	if h.TimeZone != "" {
		switchZone = h.TimeZone
	}
	return hours.Times{Zone: switchZone, Dates: h.Dates, Holidays: h.Holidays, Week: h.Week, DefaultState: h.DefaultState}
}

// When is some states of a calendar. The zero When is always.
type When struct {
	Calendar string   `json:"calendar,omitempty" ref:"calendar" doc:"Id of the calendar; empty is always"`
	States   []string `json:"states,omitempty" maxItems:"20"`
}

// Always tells whether it does not depend on the hour.
func (w When) Always() bool { return w.Calendar == "" }

func (v *validator) calendar(at string, h Calendar) {
	v.named("calendar", at, h.ID, h.Name, h.Note)
	_, faults := hours.Compile(h.Times(""))
	for _, f := range faults {
		v.bad(at+"/"+f.Field, "%s", f.Reason)
	}
	for i, s := range h.Week {
		v.stateName(fmt.Sprintf("%s/week/%d/state", at, i), s.State)
	}
	for i, d := range h.Dates {
		v.stateName(fmt.Sprintf("%s/dates/%d/state", at, i), d.State)
		if strings.TrimSpace(d.Name) == "" {
			v.bad(fmt.Sprintf("%s/dates/%d/name", at, i), "is missing")
		}
	}
	if h.Holidays.Country != "" {
		v.stateName(at+"/holidays/state", h.Holidays.State)
	}
	for i, s := range h.OverrideOnlyStates {
		v.stateName(fmt.Sprintf("%s/overrideOnlyStates/%d", at, i), s)
	}
	v.stateName(at+"/defaultState", h.DefaultState)
}

func (v *validator) stateName(at, name string) {
	if strings.TrimSpace(name) != name || name == "" {
		v.bad(at, "invalid state name %q", name)
	}
}

func (v *validator) when(at string, w When) {
	if w.Always() {
		if len(w.States) > 0 {
			v.bad(at+"/calendar", "is missing; states need a calendar")
		}
		return
	}
	h := v.index.Calendars[w.Calendar]
	v.known(at+"/calendar", "calendar", w.Calendar, h != nil)
	if len(w.States) == 0 {
		v.bad(at+"/states", "is empty; it would never apply")
	}
	for i, s := range w.States {
		if h != nil && !slices.Contains(h.States(), s) {
			v.bad(fmt.Sprintf("%s/states/%d", at, i), "unknown state %[2]q of %[1]s; allowed: %[3]q", h.Name, s, h.States())
		}
	}
}

// Problems are what is wrong with the calendar by itself; places begin at it.
func (h Calendar) Problems() []Problem {
	v := validator{ids: map[named]string{}}
	v.calendar("", h)
	return v.fromHere()
}
