package decide

import (
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// MaxTables is how many tables one call may pass on one switch.
const MaxTables = 16

// Call is what the edge knows of a call when it comes in.
type Call struct {
	Trunk      string // by which it came
	Called     digits.Number
	Caller     digits.Number
	CallerText string // what the caller gave that is no number
	// CalledText is what was dialled if it is no number at all.
	CalledText string
	// Refusal ends the call where it comes in: the edge found that it cannot be
	// taken (no channel, digits that are none).
	Refusal *Refusal
}

// Refusal is why the edge cannot take a call.
type Refusal struct {
	Own cause.Own
	Why string
}

// Offer is a trunk that the evaluator wants tried, with what is to be sent.
type Offer struct {
	Trunk  plan.Trunk
	Called numbering.Written
	Caller numbering.Written
	Timers plan.Timers
}

// ReportKind says what came of an offer.
type ReportKind string

// The reports. Unavailable means that nothing was sent.
const (
	ReportUnavailable ReportKind = "unavailable"
	ReportAnswered    ReportKind = "answered"
	ReportRefused     ReportKind = "refused"
	ReportNoResponse  ReportKind = "no-response"
	ReportOnlyTrying  ReportKind = "only-trying"
	ReportUnanswered  ReportKind = "unanswered"
	ReportAbandoned   ReportKind = "abandoned"
)

// Report tells the evaluator what came of its last offer.
type Report struct {
	Kind ReportKind
	// Skip says why a trunk was unavailable: off, down or full; Detail in words.
	Skip   Skip
	Detail string
	// Status is the final SIP status of a refusal; Reason the Q.850 cause of a
	// trusted Reason header, 0 if there was none.
	Status int
	Reason cause.Q850
	// Progress is true if ringing or early media was passed to the caller.
	Progress bool
	// Trail is what the next switch did, where the trunk leads to one of ours.
	Trail []Step
}

// Evaluation is the decision of one call on one switch. It is not safe for
// concurrent use. Next and Report take turns until Next says that it is over.
type Evaluation struct {
	snap   *Snapshot
	sw     *switchNode
	source *trunkNode
	called numbering.Written
	caller numbering.Written
	trail  []Step

	hunt  *hunt // the path being tried; nil before one is taken
	offer *Offer
	sent  bool // the offer was sent
	ended *Ended
}

// Begin starts the decision of a call that came by a trunk of the snapshot.
// ok is false if the snapshot has no such trunk.
func (s *Snapshot) Begin(c Call) (e *Evaluation, ok bool) {
	t := s.trunks[c.Trunk]
	if t == nil {
		return nil, false
	}
	e = &Evaluation{
		snap: s, sw: t.sw, source: t,
		called: numbering.As(c.Called, orAsDialled(t.In.Called)),
		caller: numbering.As(c.Caller, t.In.Caller),
	}
	e.add(Step{Kind: StepReceived, Received: &Received{t.ref, t.farEnd, e.called, e.caller, c.CalledText, c.CallerText}})
	if c.Refusal != nil {
		e.end(Refused, c.Refusal.Own, c.Refusal.Why)
		return e, true
	}
	if t.Entry == "" {
		e.end(Refused, cause.NotPermitted, "the trunk has no entry table, so nothing may call in by it")
		return e, true
	}
	e.route(t.Entry)
	return e, true
}

func orAsDialled(f numbering.Form) numbering.Form {
	if f == "" {
		return numbering.AsDialled
	}
	return f
}

// Next returns the trunk to try next; ok is false when the call is decided.
func (e *Evaluation) Next() (o Offer, ok bool) {
	if e.ended == nil && e.offer == nil {
		e.nextChoice()
	}
	if e.ended != nil {
		return Offer{}, false
	}
	return *e.offer, true
}

// Trail returns the steps so far. The slice must not be changed.
func (e *Evaluation) Trail() []Step { return e.trail }

// Ended returns how the call ended; ok is false while it has not.
func (e *Evaluation) Ended() (end Ended, ok bool) {
	if e.ended == nil {
		return Ended{}, false
	}
	return *e.ended, true
}

// Abandon ends a call whose caller gave up between two offers.
func (e *Evaluation) Abandon() {
	if e.ended == nil {
		e.offer = nil
		e.end(Abandoned, cause.Abandoned, "the caller gave up")
	}
}

func (e *Evaluation) add(s Step) {
	s.Switch = e.sw.ID
	e.trail = append(e.trail, s)
}

// end closes the trail with one of the switch's own outcomes.
func (e *Evaluation) end(o Outcome, own cause.Own, why string) {
	code := own.Code()
	e.close(Ended{Outcome: o, Own: own, Cause: code, Name: code.Q850.Name(), Why: why})
}

func (e *Evaluation) close(end Ended) {
	e.ended = &end
	e.add(Step{Kind: StepEnded, Ended: &end})
}
