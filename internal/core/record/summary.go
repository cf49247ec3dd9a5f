package record

import (
	"time"

	"switchback.example/switchback/internal/core/trail"
)

// Summary is a call in one line: what lists show, and what a search looks at.
type Summary struct {
	ID       string     `json:"id"`
	Switch   string     `json:"switch"`
	Started  time.Time  `json:"started"`
	Answered *time.Time `json:"answered,omitempty"`
	Ended    *time.Time `json:"ended,omitempty"`
	Running  bool       `json:"running"`
	// Trunks are named as they were when the call ran; the ids find it.
	TrunkIn    string `json:"trunkIn" doc:"Name of the inbound trunk"`
	TrunkInID  string `json:"trunkInId,omitempty"`
	CalledIn   string `json:"calledIn" doc:"Called number as received"`
	Caller     string `json:"caller" doc:"Calling number as received"`
	TrunkOut   string `json:"trunkOut" doc:"Name of the last outbound trunk; empty if no attempt was made"`
	TrunkOutID string `json:"trunkOutId,omitempty"`
	CalledOut  string `json:"calledOut" doc:"Called number as sent"`
	Attempts   int    `json:"attempts"`
	Outcome    string `json:"outcome" enum:"answered,refused,failed,abandoned,running"`
	Q850       int    `json:"q850"`
	SIP        int    `json:"sip"`
	Why        string `json:"why"`
	// Media is what came from both sides through the switch; empty where that is not known.
	// Silent is the far end from which nothing came, where it is one-way.
	Media  Sound  `json:"media,omitempty" enum:"both-ways,one-way,none"`
	Silent string `json:"silent,omitempty"`
	// LastResort: the catch-all rule or the last-resort destination took the call.
	LastResort bool `json:"lastResort,omitempty"`
	// Trial: a plan on trial decided it.
	Trial bool `json:"trial,omitempty"`
	// PostDialDelayMs is the time from the received call to the first ringing or, without
	// ringing, to the answer (the session request delay of RFC 6076 section 4.3, as the caller
	// sees it); 0 if neither came. RingMs is the time from there to the answer.
	PostDialDelayMs int64 `json:"postDialDelayMs,omitempty" doc:"Time to ringing or answer, in ms (RFC 6076, 4.3)"`
	RingMs          int64 `json:"ringMs,omitempty" doc:"Time from ringing to the answer or the end, in ms"`
	// Codec is what the called side's answer named first.
	Codec string `json:"codec,omitempty"`
	// ReleasedBy is the side that ended an answered call.
	ReleasedBy Side `json:"releasedBy,omitempty" enum:"calling,called,switch,other"`
}

// Side is who ended a call.
type Side string

// The sides of a call. Other is a party that came into the call later.
const (
	SideCalling Side = "calling"
	SideCalled  Side = "called"
	SideSwitch  Side = "switch"
	SideOther   Side = "other"
)

// Summarize reads a call's summary out of its record.
func Summarize(c Call) Summary {
	s := Summary{
		ID: c.ID, Switch: c.Switch, Started: c.Started, Answered: orNil(c.Answered), Ended: orNil(c.Ended), Running: c.Running(),
		Outcome: "running", LastResort: c.LastResort(),
	}
	if !s.Running {
		s.Outcome = string(trail.Failed) // unless its trail says more: the process ended within it
	}
	if s.Answered != nil {
		s.ReleasedBy = c.ReleasedBy
	}
	s.Media, s.Silent = c.SoundOf()
	s.readTrail(c.Trail)
	s.readTimes(c)
	if last := len(c.Legs) - 1; last > 0 && c.Legs[last].Media != nil {
		s.Codec = c.Legs[last].Media.Codec
	}
	return s
}

func (s *Summary) readTrail(steps []trail.Step) {
	own := steps // what follows a transfer is another call in the place of this one
	for i, step := range steps {
		switch {
		case step.Received != nil && s.TrunkIn == "":
			s.received(step.Received)
		case step.Sent != nil:
			s.TrunkOut, s.TrunkOutID, s.CalledOut = step.Sent.Trunk.Name, step.Sent.Trunk.ID, step.Sent.Called.Number.String()
		case step.Redirected != nil && step.Redirected.How != trail.HowDiverted && len(own) == len(steps):
			own = steps[:i]
		case step.Ended != nil:
			s.Why = step.Ended.Why
			if len(own) == len(steps) {
				s.Outcome, s.Q850, s.SIP = string(step.Ended.Outcome), int(step.Ended.Cause.Q850), step.Ended.Cause.SIP
			}
		}
	}
	s.Attempts = len(trail.Attempts(own))
}

func (s *Summary) received(r *trail.Received) {
	s.Trial, s.TrunkInID = r.Trial, r.Trunk.ID
	if s.TrunkIn = r.Trunk.Name; s.TrunkIn == "" {
		s.TrunkIn = r.By // a call of no trunk, or of several
	}
	s.CalledIn = r.Called.Number.String() + r.CalledText
	s.Caller = r.Caller.Number.String() + r.CallerText
}

func (s *Summary) readTimes(c Call) {
	end := c.Answered
	if end.IsZero() {
		end = c.Ended
	}
	for _, leg := range c.Legs {
		if leg.RangMs > 0 && (s.PostDialDelayMs == 0 || leg.RangMs < s.PostDialDelayMs) {
			s.PostDialDelayMs = leg.RangMs
		}
	}
	switch {
	case s.PostDialDelayMs > 0 && !end.IsZero():
		s.RingMs = max(0, end.Sub(c.Started).Milliseconds()-s.PostDialDelayMs)
	case s.PostDialDelayMs == 0 && !c.Answered.IsZero():
		s.PostDialDelayMs = max(1, c.Answered.Sub(c.Started).Milliseconds())
	}
}

// Seconds is how long an answered call lasted, until now if it runs; 0 if it was not answered.
func (s Summary) Seconds(now time.Time) float64 {
	if s.Answered == nil {
		return 0
	}
	if s.Ended != nil {
		now = *s.Ended
	}
	return now.Sub(*s.Answered).Seconds()
}

func orNil(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
