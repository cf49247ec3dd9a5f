package trail

import (
	"fmt"

	"switchback.example/switchback/internal/core/numbering"
)

// Permitted: the group of the caller was asked whether it may make such a call.
type Permitted struct {
	// Group is nil for a caller of no group, whom only a rule for others holds back.
	Group *Ref            `json:"group,omitempty"`
	Class numbering.Class `json:"class" enum:"emergency,internal,service,local,national,mobile,freephone,shared-cost,premium,international,unknown"`
	// Why it is of that class.
	Why     string `json:"why"`
	Allowed bool   `json:"allowed"`
	// Rule is set where the rule that won is for other groups only.
	Rule   *Ref   `json:"rule,omitempty"`
	Detail string `json:"detail" doc:"What lets the call pass or refuses it"`
}

// Diverted is a diversion of a call, with the form of its number.
type Diverted struct {
	Number numbering.Written `json:"number"`
	Reason string            `json:"reason" doc:"As RFC 5806 names it, such as no-answer"`
	Hidden bool              `json:"hidden,omitempty" doc:"The number is not to be shown"`
}

// How a call was sent on, in Redirected.
const (
	HowDiverted    = "diverted"
	HowTransferred = "transferred"
	HowJoined      = "joined"
	HowTakenOver   = "taken-over"
	HowPickedUp    = "picked-up" // while it rang elsewhere
)

// Redirected: a call was sent on by the far end of a trunk.
type Redirected struct {
	How string `json:"how" enum:"diverted,transferred,joined,taken-over,picked-up"`
	By  Ref    `json:"by" doc:"The trunk whose far end did it"`
	// From is who sent it on, and To where; of a call that was joined with another
	// or taken over, With is the other party.
	From   numbering.Written `json:"from"`
	To     numbering.Written `json:"to"`
	With   string            `json:"with,omitempty"`
	Reason string            `json:"reason,omitempty"`
	// Outside: the party that stays is outside.
	Outside bool `json:"outside,omitempty"`
}

// Resorted: nobody answers the number, so that the last resort of a trunk or a switch
// does.
type Resorted struct {
	Of          Ref    `json:"of" doc:"The trunk or the switch whose last resort it is"`
	Destination Ref    `json:"destination"`
	Why         string `json:"why" doc:"What would have become of the call"`
}

// Alert is what makes a call ring otherwise than others: a name tag before the caller's
// name, and a value of Alert-Info (RFC 3261 section 20.4). By says whose they are, and
// Over what else had one.
type Alert struct {
	NamePrefix   string `json:"namePrefix,omitempty"`
	NamePrefixBy *Ref   `json:"namePrefixBy,omitempty"`
	AlertInfo    string `json:"alertInfo,omitempty"`
	AlertInfoBy  *Ref   `json:"alertInfoBy,omitempty"`
	Over         *Ref   `json:"over,omitempty" doc:"The trunk whose prefix or Alert-Info is not used"`
}

func (a Alert) text() (text string) {
	if a.NamePrefix != "" {
		text += fmt.Sprintf(", caller-name prefix %q", a.NamePrefix)
	}
	if a.AlertInfo != "" {
		text += ", Alert-Info " + a.AlertInfo
	}
	return text
}

func (s *CalendarSet) text() string {
	switch {
	case s.State == "":
		return "calendar " + s.Calendar.ID + ": override cleared"
	case s.Minutes == 0:
		return fmt.Sprintf("calendar %s: override %s until cleared", s.Calendar.ID, s.State)
	}
	return fmt.Sprintf("calendar %s: override %s for %d minutes", s.Calendar.ID, s.State, s.Minutes)
}

// HoursSet: a dialled code put a calendar in a state by hand, or took that back.
type CalendarSet struct {
	Calendar Ref    `json:"calendar"`
	State    string `json:"state,omitempty" doc:"Empty: override cleared"`
	Minutes  int    `json:"minutes,omitempty" doc:"Minutes; 0: until cleared"`
}

// Considered is a trunk that it could have been, and why it is not.
type Considered struct {
	Trunk Ref    `json:"trunk"`
	Why   string `json:"why"`
}

// ReportKind says what came of an offer.
type ReportKind string

// The reports. Unavailable means that nothing was sent.
const (
	ReportUnavailable ReportKind = "unavailable"
	ReportAnswered    ReportKind = "answered"
	ReportRefused     ReportKind = "refused"
	ReportUnreachable ReportKind = "unreachable" // it takes no connection: nothing was sent
	ReportNoResponse  ReportKind = "no-response"
	ReportOnlyTrying  ReportKind = "only-trying"
	ReportUnanswered  ReportKind = "unanswered"
	ReportAbandoned   ReportKind = "abandoned"
)

// Tagged is a caller's name with the tag before it; without a name it is the tag alone.
func (a Alert) Tagged(name string) string {
	switch {
	case a.NamePrefix == "":
		return name
	case name == "":
		return a.NamePrefix
	}
	return a.NamePrefix + ": " + name
}
