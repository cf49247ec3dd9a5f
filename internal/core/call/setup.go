package call

import (
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/trail"
)

// From the offer of a call to its answer: one trunk after the other, and of each its servers in
// turn, as long as the plan says so.

func offered(s *step) {
	s.enter(Near, s.arrive(CallerHungUp))
	if s.e.Overlap {
		s.State = Collecting
		s.do(Collect{})
		return
	}
	s.choose(Begin{})
}

// choose asks the plan for a trunk.
func (s *step) choose(begin Action) {
	s.State = Choosing
	s.do(begin, Next{})
}

func moreDigits(s *step) {
	s.stop(DigitTimer)
	if s.hear(s.from()) != nil {
		s.from().offered = true
	}
	s.do(Collect{})
}

func waitForDigits(s *step) { s.start(DigitTimer, s.e.Wait, 0) }

func complete(s *step) {
	s.stop(DigitTimer)
	s.choose(Begin{})
}

func noMoreDigits(s *step) { s.choose(Begin{Timeout: true}) }

// gaveUpEarly is a caller who hangs up before a trunk is tried.
func gaveUpEarly(s *step) {
	if s.State == Collecting {
		s.do(Begin{})
	}
	s.do(Abandon{})
	s.gone(Near)
	s.end(NotAnswered, normal)
}

// stoppedEarly is a switch that stops before a trunk is tried.
func stoppedEarly(s *step) {
	if s.State == Collecting {
		s.do(Begin{})
	}
	s.do(Abandon{})
	s.end(NotAnswered, cause.AllDown.Say())
}

// decided gives the caller the end that the plan says.
func decided(s *step) { s.end(NotAnswered, s.e.Cause) }

func chosen(s *step) {
	s.tryNow()
	s.do(Proceed{s.legs[Near].id})
	s.dial(Far, s.legs[Near].said, CalledHungUp)
}

// tryNow begins with the first server of the trunk that was chosen.
func (s *step) tryNow() {
	s.attempt = attempt{ways: s.e.Ways, timers: s.e.Timers.OrDefault(), longest: s.e.Longest, own: s.e.Own}
}

// dial calls the server whose turn it is.
func (s *step) dial(r Role, offer *media.Session, parting How) {
	a := &s.attempt
	a.heard, a.rang = false, false
	var body Body
	if r == Third {
		body = s.transfer.body
		s.State = Transferring
	} else {
		s.State = Dialling
	}
	s.enter(r, leg{id: s.last + 1, parting: parting})
	s.do(Dial{Leg: s.legs[r].id, Way: a.way, Media: offer, Own: a.own, Body: body})
	s.start(NoResponseTimer, a.timers.NoResponseMs, 0)
	s.start(TryingTimer, a.timers.Only100Ms, 0)
}

func proceeding(s *step) {
	s.attempt.heard = true
	s.stop(NoResponseTimer)
	if s.role == Far {
		s.State = Trying
	}
}

// rings is a far end that rings, or says something else before it answers.
func (s *step) rings() (m *media.Session) {
	s.attempt.heard, s.attempt.rang = true, true
	s.stop(NoResponseTimer)
	s.stop(TryingTimer)
	s.start(RingingTimer, s.attempt.timers.RingingMs, 0)
	s.from().early = true
	return s.hear(s.from())
}

func progress(s *step) {
	if s.e.Ask != 0 {
		progressOfAsk(s)
		return
	}
	m := s.rings()
	s.State = Ringing
	s.do(Alert{Leg: s.legs[Near].id, Ring: s.e.Kind == Alerting, Media: m, Answer: s.legs[Near].offered, Number: s.e.Number, Said: s.e.Cause})
}

func (s *step) stopAttempt() {
	s.stop(NoResponseTimer)
	s.stop(TryingTimer)
	s.stop(RingingTimer)
}

// answered connects the two parties.
func answered(s *step) {
	far, near := &s.legs[Far], &s.legs[Near]
	if s.unusable() {
		return
	}
	m := s.hear(far)
	s.connect()
	far.early, far.answered = true, true
	s.do(Answer{near.id, m, near.offered})
	if near.offered {
		s.do(Confirm{Leg: far.id})
	} else {
		far.unconfirmed = true // the caller's acknowledgement has the answer to its offer
	}
}

// report tells the plan what came of a trunk that it chose.
func (s *step) report(r decide.Report) {
	if !s.attempt.own {
		r.Progress = s.attempt.rang
		s.do(Report{r})
	}
}

// unusable is an answer whose media cannot be passed on: as good as a refusal.
func (s *step) unusable() bool {
	if s.e.Unfit == "" {
		return false
	}
	s.release(s.role, unfit)
	s.failed(decide.Report{Kind: trail.ReportRefused, Status: unfit.SIP, Detail: s.e.Unfit})
	return true
}

// connect notes that the attempt was answered.
func (s *step) connect() {
	s.stopAttempt()
	s.report(decide.Report{Kind: trail.ReportAnswered})
	if s.State != Transferring {
		s.legs[Near].answered = true
		s.start(LongestTimer, s.attempt.longest*1000, 0)
	}
	s.State = Connected
}

func refused(s *step) {
	e := s.e
	r := decide.Report{Kind: trail.ReportRefused, Status: e.Cause.SIP, Reason: e.Cause.Q850, Detail: e.Cause.Text, Credential: e.Refusal.Credential, To: e.Refusal.To, DivertReason: e.Refusal.Why}
	switch {
	case e.Refusal.Skip != "":
		r = decide.Report{Kind: trail.ReportUnavailable, Skip: e.Refusal.Skip, Detail: e.Cause.Text}
	case e.Refusal.Unreachable:
		r = decide.Report{Kind: trail.ReportUnreachable, Detail: e.Cause.Text}
	case e.Refusal.Silent:
		r = decide.Report{Kind: s.silence()}
	}
	s.gone(s.role)
	s.failed(r)
}

// timedOut gives an attempt up.
func timedOut(s *step) {
	r := Far
	if s.State == Transferring {
		r = Third
	}
	s.release(r, expired)
	s.failed(decide.Report{Kind: s.silence()})
}

// silence names how far an attempt came.
func (s *step) silence() trail.ReportKind {
	switch {
	case s.attempt.rang:
		return trail.ReportUnanswered
	case s.attempt.heard:
		return trail.ReportOnlyTrying
	}
	return trail.ReportNoResponse
}

// failed goes on with the next server of the trunk, where that may do better, or tells the plan.
func (s *step) failed(r decide.Report) {
	s.stopAttempt()
	a := &s.attempt
	r.Progress = a.rang
	third := s.State == Transferring
	switch {
	case a.own:
		s.end(NotAnswered, cause.Said{Q850: r.Reason, SIP: r.Status})
		return
	case Unserved(r) && a.way+1 < a.ways:
		s.do(NextServer{r})
		a.way++
		if third {
			s.dialThird()
		} else {
			s.dial(Far, s.legs[Near].said, CalledHungUp)
		}
		return
	}
	s.report(r)
	s.do(Next{})
	if s.State = Choosing; third {
		s.State = Redirecting
	}
}

// Unserved tells whether a report is one after which the next server of the same far end may do
// better.
func Unserved(r decide.Report) bool {
	if r.Progress {
		return false
	}
	switch r.Kind {
	case trail.ReportNoResponse, trail.ReportUnreachable, trail.ReportOnlyTrying:
		return true
	case trail.ReportRefused:
		return r.Status == 503 || r.Status == 0 && (r.Reason == cause.TemporaryFailure || r.Reason == cause.Congestion)
	}
	return false
}

// gaveUp is a caller who hangs up while a trunk is tried.
func gaveUp(s *step) {
	s.gone(Near)
	s.abandoned(s.e.Cause)
}

// stoppedTrying is a switch that stops while a trunk is tried.
func stoppedTrying(s *step) {
	s.release(Near, cause.AllDown.Say())
	s.abandoned(stopping)
}

func (s *step) abandoned(why cause.Said) {
	s.report(decide.Report{Kind: trail.ReportAbandoned})
	s.end(NotAnswered, why)
}
