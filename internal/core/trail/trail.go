// Package trail holds what is told of a call: its steps, in the order in which they were taken, and
// their words. It decides nothing, so that reading a trail needs no evaluator.
package trail

import (
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// StepKind names what a step of a trail tells.
type StepKind string

// The kinds of step, in the order in which a call can meet them.
const (
	StepReceived    StepKind = "received"
	StepRedirected  StepKind = "redirected"
	StepLookedUp    StepKind = "looked-up"
	StepRewrote     StepKind = "rewrote"
	StepWentOn      StepKind = "went-on"
	StepPermitted   StepKind = "permitted"
	StepFoundNumber StepKind = "found-number"
	StepResorted    StepKind = "resorted"
	StepSetHours    StepKind = "set-calendar"
	StepDelivered   StepKind = "delivered"
	StepTookPath    StepKind = "took-path"
	StepSkipped     StepKind = "skipped"
	StepPresented   StepKind = "presented"
	StepSent        StepKind = "sent"
	StepHeard       StepKind = "heard"
	StepEnded       StepKind = "ended"
)

// Step is one step of a call trail. Exactly one of the pointers is set: the
// one that Kind names.
type Step struct {
	Kind        StepKind     `json:"kind" enum:"received,redirected,looked-up,rewrote,went-on,permitted,found-number,resorted,set-calendar,delivered,took-path,skipped,presented,sent,heard,ended"`
	Switch      string       `json:"switch"`
	Received    *Received    `json:"received,omitempty"`
	Redirected  *Redirected  `json:"redirected,omitempty"`
	LookedUp    *LookedUp    `json:"lookedUp,omitempty"`
	Rewrote     *Rewrote     `json:"rewrote,omitempty"`
	WentOn      *WentOn      `json:"wentOn,omitempty"`
	Permitted   *Permitted   `json:"permitted,omitempty"`
	FoundNumber *FoundNumber `json:"foundNumber,omitempty"`
	Resorted    *Resorted    `json:"resorted,omitempty"`
	SetCalendar *CalendarSet `json:"setCalendar,omitempty"`
	Delivered   *Delivered   `json:"delivered,omitempty"`
	TookPath    *TookPath    `json:"tookPath,omitempty"`
	Skipped     *Skipped     `json:"skipped,omitempty"`
	Presented   *Presented   `json:"presented,omitempty"`
	Sent        *Sent        `json:"sent,omitempty"`
	Heard       *Heard       `json:"heard,omitempty"`
	Ended       *Ended       `json:"ended,omitempty"`
}

// Ref points to the thing in the plan that did something.
type Ref struct {
	Kind string `json:"kind" enum:"switch,farEnd,trunk,table,rule,path,destination,contract,number,callerGroup,calendar"`
	ID   string `json:"id"`
	Name string `json:"name"`
}

// Received: the call came in, by which trunk.
type Received struct {
	Trunk      Ref               `json:"trunk"`
	FarEnd     Ref               `json:"farEnd"`
	Called     numbering.Written `json:"called"`
	Caller     numbering.Written `json:"caller"`
	CalledText string            `json:"calledText,omitempty" doc:"Dialled text, if not a number"`
	CallerText string            `json:"callerText,omitempty" doc:"Calling text, if not a number"`
	CallerName string            `json:"callerName,omitempty"`
	// Presentation is what came of it; empty stands for allowed, and without a number for
	// unavailable. Screening is empty for a number that nobody screened.
	Presentation callerid.Presentation `json:"presentation,omitempty" enum:"allowed,restricted,unavailable"`
	Screening    callerid.Screening    `json:"screening,omitempty" enum:"not-screened,verified,network-provided"`
	// CallerFields are the parts of the message that said so.
	CallerFields callerid.Fields `json:"callerFields,omitzero"`
	// Diverted are the diversions before it came, the last one first, and
	// Unbelieved counts those that the trunk may not speak of.
	Diverted   []Diverted `json:"diverted,omitempty"`
	Unbelieved int        `json:"unbelieved,omitempty"`
	// By is how the trunk was found, and Others are those that it could have
	// been; empty in a dry try, which names its trunk.
	By     string       `json:"by,omitempty"`
	Others []Considered `json:"others,omitempty"`
	// Collected is how the digits came, and why no more were waited for; empty where the
	// number came whole.
	Collected string `json:"collected,omitempty"`
	// ByHand are the calendars that were set by hand then, with their states.
	Overrides map[string]string `json:"overrides,omitempty"`
	// Trial: a plan decided it that is tried on some calls.
	Trial bool `json:"trial,omitempty"`
}

// LookedUp: a table was searched.
type LookedUp struct {
	Table  Ref               `json:"table"`
	Called numbering.Written `json:"called"`
	Caller numbering.Written `json:"caller"`
	// Winner is empty if no rule took the call.
	Winner *Ref `json:"winner,omitempty"`
	// AnyHour: it is an emergency call, which no rule takes at this hour; the rule takes
	// it at another.
	AnyHour bool `json:"anyHour,omitempty"`
	// LastResort: the rule takes what no other takes.
	CatchAll bool `json:"catchAll,omitempty"`
	// Lost are the rules that were considered and did not win, with the first
	// reason why, in effective order.
	Lost []Lost `json:"lost" nullable:"false"`
	// Omitted counts rules that lost and are not listed.
	Omitted int `json:"omitted,omitempty"`
}

// Lost is a rule that did not win, and the first reason why.
type Lost struct {
	Rule Ref `json:"rule"`
	// Why: disabled, called, caller, from, hours (the match failed there), or later
	// (it matches, and a rule before it won).
	Why    string `json:"why" enum:"disabled,called,caller,trunk,calendar,later"`
	Detail string `json:"detail"`
}

// Rewrote: a digit step, a table's form or a contract changed a number, or
// could not.
type Rewrote struct {
	Number string            `json:"number" enum:"called,caller,redirecting"`
	By     Ref               `json:"by"`
	Label  string            `json:"label"`
	Before numbering.Written `json:"before"`
	After  numbering.Written `json:"after"`
	Runs   []digits.Run      `json:"runs" nullable:"false"`
	// Note says why nothing changed, where something might have.
	Note string `json:"note,omitempty"`
	// Failed is set if the step could not act on this number at all.
	Failed bool `json:"failed,omitempty"`
}

// WentOn: the rule sent the call on to another table.
type WentOn struct {
	Table Ref `json:"table"`
}

// FoundNumber: the called number is in the inventory of public numbers.
type FoundNumber struct {
	Number Ref    `json:"number"`
	State  string `json:"state"`
	// Answers is the destination that answers it; nil if none does yet.
	Answers *Ref `json:"answers,omitempty"`
	// Instead is where the plan sends the call that somebody of ours makes to a number of
	// our own; it stays inside.
	Instead *Ref `json:"instead,omitempty"`
	// Tag and Ring are those of the number.
	NamePrefix string `json:"namePrefix,omitempty"`
	AlertInfo  string `json:"alertInfo,omitempty"`
}

// Delivered: the rule sent the call to a destination.
type Delivered struct {
	Destination Ref `json:"destination"`
	Trunk       Ref `json:"trunk"`
}

// TookPath: the rule gave the call to a path.
type TookPath struct {
	Path    Ref `json:"path"`
	Choices int `json:"choices"`
	// Emergency calls go on after anything but an answer.
	Emergency bool `json:"emergency,omitempty"`
	// Order is that of the path, empty for as listed; First says which choice
	// begins and why.
	Order string `json:"order,omitempty"`
	First string `json:"first,omitempty"`
}

// Skip is why a choice was passed over.
type Skip string

// The reasons for passing over a choice.
const (
	SkipOff        Skip = "off"
	SkipAbsent     Skip = "not-registered"
	SkipDown       Skip = "down"
	SkipFull       Skip = "full"
	SkipCodec      Skip = "codec" // none is left that both sides may use
	SkipPorts      Skip = "ports" // none is left for sound
	SkipHairpin    Skip = "hairpin"
	SkipOutside    Skip = "outside"    // it would bring two outside parties together
	SkipPermission Skip = "permission" // as it would leave here, the caller may not make the call
	SkipContract   Skip = "contract"
	SkipSteps      Skip = "steps"
	SkipTries      Skip = "tries"
)

// Skipped: a choice was passed over.
type Skipped struct {
	Trunk  Ref               `json:"trunk"`
	Reason Skip              `json:"reason" enum:"off,not-registered,down,full,codec,ports,hairpin,outside,permission,contract,steps,tries"`
	Detail string            `json:"detail"`
	Called numbering.Written `json:"called"`
	Caller numbering.Written `json:"caller"`
}

// Sent: the call was offered to a trunk; these numbers left.
type Sent struct {
	Trunk   Ref               `json:"trunk"`
	FarEnd  Ref               `json:"farEnd"`
	Address string            `json:"address"`
	Called  numbering.Written `json:"called"`
	Caller  numbering.Written `json:"caller"`
	// Diverted are the diversions that the far end was told of.
	Diverted []Diverted `json:"diverted,omitempty"`
	// Alert is what makes it ring otherwise than other calls.
	Alert Alert `json:"alert,omitzero"`
}

// Heard: what came back, and what follows from it.
type Heard struct {
	Trunk Ref        `json:"trunk"`
	What  ReportKind `json:"what" enum:"answered,refused,unreachable,no-response,only-trying,unanswered,abandoned"`
	// Cause is what the far end's answer means; the zero cause if answered.
	Cause cause.Cause `json:"cause"`
	Name  string      `json:"name,omitempty" doc:"The cause in words"`
	// Detail says more, such as why no connection could be made.
	Detail string `json:"detail,omitempty"`
	// Hint is what may be wrong with the numbers as they were sent.
	Hint string `json:"hint,omitempty"`
	Next string `json:"next" enum:"answered,next-server,goes-on,diverted,ends"`
	Why  string `json:"why,omitempty"`
}

// Outcome is how a call ended.
type Outcome string

// The outcomes. Refused: by the switch itself. Failed: a far end was tried and
// none answered.
const (
	Answered  Outcome = "answered"
	Refused   Outcome = "refused"
	Failed    Outcome = "failed"
	Abandoned Outcome = "abandoned"
)

// Ended: the last step of every trail.
type Ended struct {
	Outcome Outcome     `json:"outcome" enum:"answered,refused,failed,abandoned"`
	Own     cause.Own   `json:"own,omitempty" doc:"Which of the switch's own outcomes it was"`
	Cause   cause.Cause `json:"cause"`
	Name    string      `json:"name"`
	Why     string      `json:"why"`
}

// Attempt is one choice of a path that was offered or skipped.
type Attempt struct {
	Switch  string `json:"switch"`
	Trunk   string `json:"trunk"`
	Called  string `json:"called"`
	Caller  string `json:"caller"`
	Skipped bool   `json:"skipped"`
	// Reason: why it was skipped, or what came back other than an answer.
	Reason string `json:"reason"`
}

// Attempts reads the attempts out of a trail, in order, over all switches.
func Attempts(trail []Step) []Attempt {
	out := []Attempt{}
	var open []int // attempts that nothing was heard of yet; trails nest
	for _, s := range trail {
		switch {
		case s.Skipped != nil:
			out = append(out, Attempt{s.Switch, s.Skipped.Trunk.ID, s.Skipped.Called.Number.String(), s.Skipped.Caller.Number.String(), true, string(s.Skipped.Reason)})
		case s.Sent != nil:
			open = append(open, len(out))
			out = append(out, Attempt{s.Switch, s.Sent.Trunk.ID, s.Sent.Called.Number.String(), s.Sent.Caller.Number.String(), false, ""})
		case s.Heard != nil && len(open) > 0:
			out[open[len(open)-1]].Reason = s.Heard.reason()
			open = open[:len(open)-1]
		}
	}
	return out
}

func (h Heard) reason() string {
	switch h.What {
	case ReportAnswered:
		return ""
	case ReportRefused:
		return h.Name
	}
	return string(h.What)
}
