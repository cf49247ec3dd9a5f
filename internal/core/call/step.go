package call

import (
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/trail"
)

// step is one event being taken.
type step struct {
	Call
	e    Event
	role Role // of the leg that it is of
	out  []Action
}

func (s *step) do(list ...Action) { s.out = append(s.out, list...) }

// from is the leg that the event is of.
func (s *step) from() *leg { return &s.legs[s.role] }

// enter puts a leg in a role. What comes from outside has the id that was promised to it.
func (s *step) enter(r Role, l leg) {
	s.last = max(s.last, l.id)
	s.legs[r] = l
}

// arrive is the leg that the event brings, of somebody who calls.
func (s *step) arrive(parting How) leg {
	return leg{id: s.e.New, inbound: true, early: true, offered: s.e.Media != nil, said: s.e.Media, parting: parting}
}

// release ends the leg in a role, and forgets it.
func (s *step) release(r Role, why cause.Said) {
	if l := s.legs[r]; l.id != 0 {
		s.settle(l.id, true)
		s.do(Release{l.id, why})
		s.legs[r] = leg{}
	}
}

// gone forgets the leg in a role, whose far end has ended it.
func (s *step) gone(r Role) {
	s.settle(s.legs[r].id, false)
	s.legs[r] = leg{}
}

// end releases all that is left, and ends the call. A trunk that is being tried for a transfer is
// given up.
func (s *step) end(how How, why cause.Said) {
	switch s.State {
	case Redirecting:
		s.do(Abandon{})
	case Transferring:
		s.report(decide.Report{Kind: trail.ReportAbandoned})
	}
	for t := range Timers {
		s.stop(t)
	}
	s.own = own{}
	for r := Near; r <= Third; r++ {
		s.release(r, why)
	}
	s.State = Over
	s.do(End{how})
}

func (s *step) start(t Timer, millis, spread int) {
	s.timers[t] = timer{s.timers[t].starts + 1, true}
	s.do(Start{t, s.timers[t].starts, millis, spread})
}

func (s *step) stop(t Timer) {
	if s.timers[t].running {
		s.timers[t].running = false
		s.do(Stop{t})
	}
}

// hear notes what a leg says of its media, if it says something that can be used.
func (s *step) hear(l *leg) *media.Session {
	if s.e.Media == nil || s.e.Unfit != "" {
		return nil
	}
	l.said = s.e.Media
	return s.e.Media
}

// Causes of the switch's own.
var (
	normal    = ownCause(cause.NormalClearing)
	elsewhere = cause.Said{Q850: cause.NormalClearing, SIP: 200, Text: "Call completed elsewhere"} // RFC 3326: a phone shows no missed call
	expired   = ownCause(cause.TimerExpiry)
	stopping  = ownCause(cause.TemporaryFailure)
	unfit     = cause.Said{Q850: cause.NoBearer, SIP: 488}
	noCall    = cause.Said{Q850: cause.TemporaryFailure, SIP: 481}
	busyNow   = cause.Said{Q850: cause.TemporaryFailure, SIP: 603}
)

// ownCause is a cause of the switch's own, with its name.
func ownCause(q cause.Q850) cause.Said { return cause.Said{Q850: q, Text: q.Name()} }

// or is a cause that was said, or another where none was.
func or(said, otherwise cause.Said) cause.Said {
	if said == (cause.Said{}) {
		return otherwise
	}
	return said
}
