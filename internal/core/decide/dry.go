package decide

import (
	"fmt"
	"time"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/trail"
)

// MaxSwitches is how many switches one call may pass, dry and live: what goes to the
// next switch has so many hops left at most.
const MaxSwitches = 8

// MaxAttempts is how many trunks one call may be offered to on the switches that it
// passes, those of one switch live and of all of them dry. A call that is rewritten on its
// way round, so that it never looks the same, ends there.
const MaxAttempts = 64

// Suppose says what a dry try takes for granted about the trunks. A trunk that
// is not named is up, and its far end answers.
type Suppose struct {
	Down  map[string]bool
	Full  map[string]bool
	Hears map[string]Report
	// at, overrides and permitted are those of the Call, for the switches that it passes after.
	at        time.Time
	overrides map[string]string
	permitted bool
	way       *way
}

// way is where one call has been, over all switches.
type way struct {
	been     map[place]bool
	attempts int
}

// place is a call at a switch: one that comes there again with the same number goes round
// in a circle.
type place struct {
	sw     *compiled.Switch
	called digits.Number
}

// Result is a decided call, dry or live.
type Result struct {
	Outcome  trail.Outcome   `json:"outcome" enum:"answered,refused,failed,abandoned"`
	Cause    cause.Cause     `json:"cause"`
	Attempts []trail.Attempt `json:"attempts" nullable:"false"`
	// Called and Caller are the numbers as they left on the last trunk that was
	// tried, over all switches; as they stood when the call ended, if none was.
	Called string       `json:"called"`
	Caller string       `json:"caller"`
	Steps  []trail.Step `json:"steps" nullable:"false"`
}

// Dry decides a call without sending anything.
func (s *Snapshot) Dry(c Call, suppose Suppose) (Result, error) {
	suppose.at, suppose.overrides, suppose.permitted = c.At, c.Overrides, c.Permitted
	suppose.way = &way{been: map[place]bool{}}
	trail, _, err := s.dry(c, suppose, MaxSwitches)
	if err != nil {
		return Result{}, err
	}
	return Summarize(trail), nil
}

func (s *Snapshot) dry(c Call, suppose Suppose, depth int) ([]trail.Step, trail.Ended, error) {
	e, ok := s.Begin(c)
	if !ok {
		return nil, trail.Ended{}, fmt.Errorf("unknown trunk %q", c.Trunk)
	}
	suppose.way.been[place{e.sw, c.Called}] = true
	for o, more := e.Next(); more; o, more = e.Next() {
		r, err := s.supposed(o, suppose, depth)
		if err != nil {
			return nil, trail.Ended{}, err
		}
		e.Report(r)
	}
	end, _ := e.Ended()
	return e.Trail(), end, nil
}

// supposed is what a dry try reports for an offer.
func (s *Snapshot) supposed(o Offer, suppose Suppose, depth int) (Report, error) {
	if suppose.way.attempts++; suppose.way.attempts > MaxAttempts {
		return Report{Kind: trail.ReportRefused, Status: 482, Detail: fmt.Sprintf("already sent via %d trunks", MaxAttempts)}, nil
	}
	switch {
	case suppose.Down[o.Trunk.ID] && o.Anyway:
		return Report{Kind: trail.ReportNoResponse, Detail: "simulated as down"}, nil
	case suppose.Full[o.Trunk.ID] && o.Anyway:
		return Report{Kind: trail.ReportRefused, Status: 503, Detail: "simulated as full"}, nil
	case suppose.Down[o.Trunk.ID]:
		return Report{Kind: trail.ReportUnavailable, Skip: trail.SkipDown, Detail: "simulated as down"}, nil
	case suppose.Full[o.Trunk.ID]:
		return Report{Kind: trail.ReportUnavailable, Skip: trail.SkipFull, Detail: "simulated as full"}, nil
	}
	if r, ok := suppose.Hears[o.Trunk.ID]; ok {
		return r, nil
	}
	if o.Trunk.OppositeTrunk == "" {
		return Report{Kind: trail.ReportAnswered}, nil
	}
	peer := s.Trunks[o.Trunk.OppositeTrunk]
	switch {
	case suppose.way.been[place{peer.On, o.Called.Number}]:
		return Report{Kind: trail.ReportRefused, Status: 482, Detail: BeenHere(peer.On.Name)}, nil
	case depth <= 1:
		return Report{Kind: trail.ReportRefused, Status: 483}, nil
	}
	trail, end, err := s.dry(Call{Trunk: o.Trunk.OppositeTrunk, Called: o.Called.Number, Caller: passedOn(o.Caller), At: suppose.at, Overrides: suppose.overrides, Permitted: suppose.permitted}, suppose, depth-1)
	if err != nil {
		return Report{}, err
	}
	return Report{Kind: kindOf(end), Status: end.Cause.SIP, Reason: end.Cause.Q850, Trail: trail}, nil
}

// BeenHere says why a switch does not take a call from another switch.
func BeenHere(sw string) string {
	return "loop: the call passed " + sw + " with this number before"
}

func kindOf(end trail.Ended) trail.ReportKind {
	if end.Outcome == trail.Answered {
		return trail.ReportAnswered
	}
	return trail.ReportRefused
}

// Summarize reads a result out of a whole trail.
func Summarize(steps []trail.Step) Result {
	r := Result{Attempts: trail.Attempts(steps), Steps: steps}
	var sent *trail.Sent
	for i, s := range steps {
		switch {
		case s.Received != nil:
			r.stand(s.Received.Called, s.Received.Caller)
		case s.LookedUp != nil:
			r.stand(s.LookedUp.Called, s.LookedUp.Caller)
		case s.Rewrote != nil && s.Rewrote.Number == "called":
			r.Called = s.Rewrote.After.Number.String()
		case s.Rewrote != nil:
			r.Caller = s.Rewrote.After.Number.String()
		case s.Sent != nil:
			sent = s.Sent
		case s.Redirected != nil && s.Redirected.How != trail.HowDiverted:
			r.Attempts = trail.Attempts(steps[:i]) // what follows is another call in the place of this one
			return r.after(sent)
		case s.Ended != nil:
			r.Outcome, r.Cause = s.Ended.Outcome, s.Ended.Cause
		}
	}
	return r.after(sent)
}

// after makes the numbers those that left last, if any did.
func (r Result) after(sent *trail.Sent) Result {
	if sent != nil {
		r.stand(sent.Called, sent.Caller)
	}
	return r
}

func (r *Result) stand(called, caller numbering.Written) {
	r.Called, r.Caller = called.Number.String(), caller.Number.String()
}

// passedOn is the caller as the next switch of ours reads it: its trunk says in which format.
func passedOn(c callerid.Caller) callerid.Caller {
	c.Number.Format = ""
	c.Fields = callerid.Fields{}
	return c
}
