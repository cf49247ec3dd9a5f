package decide

import (
	"slices"
	"time"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// MaxTables is how many tables one call may pass on one switch.
const MaxTables = 16

// Call is what the edge knows of a call when it comes in.
type Call struct {
	Trunk  string // by which it came
	Called digits.Number
	Caller callerid.Caller // its number as it came; the trunk says in which format, where the message did not
	// Collected is how its digits came, where they came one by one.
	Collected string
	// CalledText is what was dialled if it is no number at all.
	CalledText string
	// Service is the URN of the emergency service that was called in place of a number
	// (RFC 5031); empty for most calls.
	Service string
	// Diversions are those before it came here, the last one first; believed
	// where the trunk may divert.
	Diversions []Diversion
	// Transfer is set where the call continues another one.
	Transfer *Transfer
	// Numbers are what paths by weight and in turn go by; nil for zeros.
	Numbers Numbers
	// By is how the trunk was found, and Others are those that it could have
	// been.
	By     string
	Others []trail.Considered
	// At is the moment of the call, by which calendars go, and Overrides are states of
	// calendars, by id, that hold in place of it.
	At        time.Time
	Overrides map[string]string
	// Permitted: as if the caller had every permission. For dry runs, which show what a
	// permission would change.
	Permitted bool
	// Trial: the plan is one that is tried on some calls.
	Trial bool
	// Refusal ends the call where it comes in: the edge found that it cannot be
	// taken (no channel, digits that are none).
	Refusal *Refusal
}

// Numbers are what depends on chance and on the calls before: the edge knows
// both, the evaluator neither.
type Numbers interface {
	// Draw returns a random number, another one each time.
	Draw() uint64
	// Turn returns how many calls took a path before.
	Turn(path string) uint64
}

// Refusal is why the edge cannot take a call.
type Refusal struct {
	Own cause.Own
	Why string
}

// Offer is a trunk that the evaluator wants tried, with what is to be sent.
type Offer struct {
	Trunk  *plan.Trunk // of the snapshot; must not be changed
	Called numbering.Written
	// Caller is who the far end is told is calling.
	Caller callerid.Caller
	// Diverted are the diversions that the far end is told of, the last one first.
	Diverted []trail.Diverted
	Timers   plan.Timers
	// Emergency calls are not held back by what protects a trunk.
	Emergency bool
	// Anyway: every other choice of an emergency call failed, and this one was passed
	// over. It is to be tried whatever is known against it.
	Anyway bool
	Alert  trail.Alert
}

// Report tells the evaluator what came of its last offer.
type Report struct {
	Kind trail.ReportKind
	// Skip says why a trunk was unavailable: off, down or full; Detail in words,
	// and why one was unreachable.
	Skip   trail.Skip
	Detail string
	// Credential: the far end did not take our credential, which says nothing of the
	// call itself.
	Credential bool
	// Status is the final SIP status of a refusal; Reason the Q.850 cause of a
	// trusted Reason header, 0 if there was none.
	Status int
	Reason cause.Q850
	// To is where a 3xx answer wants the call to go, and DivertReason why, in the
	// words of RFC 5806; empty if it does not say.
	To           digits.Number
	DivertReason string
	// Progress is true if ringing or early media was passed to the caller.
	Progress bool
	// Trail is what the next switch did, where the trunk leads to one of ours.
	Trail []trail.Step
}

// Evaluation is the decision of one call on one switch. It is not safe for
// concurrent use. Next and Report take turns until Next says that it is over.
//
// Begin makes one that tells its trail. Decide uses one again, without a trail
// and without allocating: what is told costs more than what is decided.
type Evaluation struct {
	snap   *Snapshot
	sw     *compiled.Switch
	source *compiled.Trunk
	called numbering.Written
	caller numbering.Written
	// party is the caller as the call came, and numberBy what gave its number since: nil if nothing did.
	party    callerid.Caller
	numberBy *trail.Ref
	// callerHere is the caller in the form of the table that is looked at, in which its
	// caller patterns are written.
	callerHere digits.Number
	emergency  bool // it is a call for help
	told       bool
	looksAhead bool // it only looks whether a call becomes an emergency call
	// straight calls go out as they are: past the plan's rules and contracts.
	straight bool
	trail    []trail.Step

	at        time.Time
	overrides map[string]string
	permitted bool            // whatever the permissions are
	group     *compiled.Group // of who answers for the call; nil for none

	numbers  Numbers
	diverted []trail.Diverted // the diversions so far, the last one first
	sentOn   sentOn

	visits [MaxTables]visit
	passed int // how many tables were visited
	// entered is the first table, and received are the numbers as they came there.
	entered  *compiled.Table
	received struct{ called, caller numbering.Written }
	last     *compiled.Rule     // the last rule that won and whose steps could act
	resorted bool               // some rule on the way was a last resort
	atResort bool               // it is with the last resort of a trunk or a switch
	number   inventory.Entry    // the public number that was found
	sets     *trail.CalendarSet // what it puts a calendar in; nil for most
	hunt     hunt               // the path being tried; without one before it is taken
	single   compiled.Path      // the path of a destination
	only     [1]compiled.Choice
	offer    Offer
	// shown is what decided who the offer presents, and presented that the trail says so.
	shown     decidedBy
	presented bool
	offered   bool // the offer waits for its report
	sent      bool // the offer was sent
	end       trail.Ended
	ended     bool
}

// Begin starts the decision of a call that came by a trunk of the snapshot.
// ok is false if the snapshot has no such trunk.
func (s *Snapshot) Begin(c Call) (e *Evaluation, ok bool) {
	e = &Evaluation{told: true}
	return e, e.begin(s, c)
}

// Decide starts the decision of another call in the memory of e, which may be
// zero, without a trail: every step is taken and none is told. It allocates
// nothing.
func (s *Snapshot) Decide(e *Evaluation, c Call) (ok bool) {
	e.told, e.trail = false, nil
	e.hunt = hunt{skips: e.hunt.skips[:0]}
	e.offered, e.sent, e.ended, e.emergency, e.looksAhead = false, false, false, false, false
	e.passed, e.entered, e.last, e.resorted, e.atResort = 0, nil, nil, false, false
	e.number, e.sets = inventory.Entry{}, nil
	e.diverted, e.sentOn, e.numberBy = e.diverted[:0], sentOn{}, nil
	return e.begin(s, c)
}

func (e *Evaluation) begin(s *Snapshot, c Call) bool {
	t := s.Trunks[c.Trunk]
	if t == nil {
		return false
	}
	e.snap, e.sw, e.source, e.numbers = s, t.On, t, c.Numbers
	e.called = t.On.Numbering.Received(c.Called, orAsDialled(t.In.CalledFormat))
	e.party = c.Caller.Settled()
	e.caller = e.party.Number
	if !e.caller.Format.Public() {
		e.caller = t.On.Numbering.Received(e.caller.Number, t.In.CallerFormat)
	}
	e.party.Number = e.caller
	e.at, e.overrides, e.permitted = c.At, c.Overrides, c.Permitted
	e.group = s.Group(t.ID, answersFor(&c, t))
	entry := t.Entry
	if entry != nil && e.group != nil && e.group.Table != nil {
		entry = e.group.Table
	}
	switch {
	case c.Transfer != nil:
		entry = t.SentOn
		e.beginTransfer(c.Transfer)
	case len(c.Diversions) > 0 && t.Services.Forwarding:
		entry = t.SentOn
		e.takeDiversions(c.Diversions)
	}
	if e.told && c.Transfer == nil {
		came := &trail.Received{
			Trunk: t.Ref, FarEnd: t.FarEndRef, Called: e.called, CalledText: c.CalledText, Diverted: slices.Clone(e.diverted), Unbelieved: len(c.Diversions) - len(e.diverted), By: c.By, Others: c.Others, Collected: c.Collected, Overrides: c.Overrides, Trial: c.Trial,
		}
		came.Said(e.party)
		e.tell(trail.Step{Kind: trail.StepReceived, Received: came})
	}
	switch {
	case c.Refusal != nil:
		e.refuse(c.Refusal.Own, func() string { return c.Refusal.Why })
	case len(e.diverted) > MaxDiversions:
		e.refuse(cause.Loop, tooOften)
	case entry == nil:
		e.refuse(cause.NotPermitted, func() string { return t.Name + " has no inbound routing table" })
	case c.Service != "" && !e.asked(c.Service):
	default:
		e.makeWhole()
		e.noteEmergency(e.called.Number)
		e.entered, e.received.called, e.received.caller = entry, e.called, e.caller
		e.route(entry)
	}
	return true
}

// BeginStraight starts a call that goes out on one trunk with the digits as typed,
// past the plan, so that trunk and plan can be told apart. ok is false if the
// snapshot has no such trunk.
func (s *Snapshot) BeginStraight(trunk string, called, caller digits.Number) (e *Evaluation, ok bool) {
	t := s.Trunks[trunk]
	if t == nil {
		return nil, false
	}
	e = &Evaluation{told: true, straight: true, snap: s, sw: t.On, called: numbering.As(called, numbering.AsDialled), party: callerid.Of(caller)}
	e.caller = numbering.As(caller, "")
	e.party.Number = e.caller
	came := &trail.Received{Called: e.called, By: StraightCall}
	came.Said(e.party)
	e.tell(trail.Step{Kind: trail.StepReceived, Received: came})
	e.only[0] = compiled.Choice{Trunk: t}
	e.single = compiled.Path{Path: plan.Path{Name: t.Name, Timers: plan.Timers{}.OrDefault()}, Ref: t.Ref, Tries: e.only[:]}
	e.hunt.path = &e.single
	return e, true
}

// PlacedCall is how a test call came that began in the switch itself, in Received.
const PlacedCall = "test call from the switch"

// StraightCall is how a straight test call came, in Received.
const StraightCall = "straight test call"

func orAsDialled(f numbering.Format) numbering.Format {
	if f == "" {
		return numbering.AsDialled
	}
	return f
}

// Next returns the trunk to try next; ok is false when the call is decided.
func (e *Evaluation) Next() (o Offer, ok bool) {
	if !e.ended && !e.offered {
		e.nextChoice()
	}
	if e.ended {
		return Offer{}, false
	}
	return e.offer, true
}

// Trail returns the steps so far. The slice must not be changed.
func (e *Evaluation) Trail() []trail.Step { return e.trail }

// Ended returns how the call ended; ok is false while it has not. Why is empty
// where no trail is told.
func (e *Evaluation) Ended() (end trail.Ended, ok bool) { return e.end, e.ended }

// Abandon ends a call whose caller gave up between two offers.
func (e *Evaluation) Abandon() {
	if !e.ended {
		e.offered = false
		e.endWith(trail.Abandoned, cause.Abandoned, func() string { return "the caller hung up" })
	}
}

// tell adds a step to the trail. Callers ask e.told first, so that a step that
// nobody reads is never made.
func (e *Evaluation) tell(s trail.Step) {
	if e.trail == nil {
		e.trail = make([]trail.Step, 0, usualSteps)
	}
	s.Switch = e.sw.ID
	e.trail = append(e.trail, s)
}

// usualSteps is how many steps most calls have at most.
const usualSteps = 12

// refuse ends the call with one of the switch's own outcomes; where nobody answers its
// number, the last resort takes it.
func (e *Evaluation) refuse(own cause.Own, why func() string) {
	if !e.resort(own, why) {
		e.endWith(trail.Refused, own, why)
	}
}

func (e *Evaluation) endWith(o trail.Outcome, own cause.Own, why func() string) {
	code := own.Code()
	e.close(trail.Ended{Outcome: o, Own: own, Cause: code, Name: code.Q850.Name()}, why)
}

// close ends the call; why is only asked where a trail is told.
func (e *Evaluation) close(end trail.Ended, why func() string) {
	e.end, e.ended = end, true
	if e.told {
		e.end.Why = why()
		told := e.end
		e.tell(trail.Step{Kind: trail.StepEnded, Ended: &told})
	}
}
