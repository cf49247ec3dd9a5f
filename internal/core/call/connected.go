package call

import (
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/trail"
)

// A connected call: it ends when a party hangs up. A party may transfer it, or have its place
// taken; meanwhile the two that are connected talk on.

// hungUp is a party that ends the call.
func hungUp(s *step) {
	how := s.from().parting
	if s.e.How != "" {
		how = s.e.How
	}
	s.gone(s.role)
	s.end(how, s.e.Cause)
}

func tooLong(s *step) { s.end(TooLong, expired) }

func stopped(s *step) { s.end(SwitchStopped, stopping) }

// kept is the party that stays in a transfer.
func (s *step) kept() *leg { return &s.legs[s.transfer.place.opposite()] }

// transferAsked begins a transfer: to a number, or to the party of another call.
func transferAsked(s *step) {
	if s.own.purpose != nothing {
		s.do(RefuseTransfer{s.e.Leg})
		return
	}
	s.transfer = transfer{place: s.role, body: s.e.Body}
	s.do(TransferStatus{Leg: s.e.Leg, Accepted: true})
	if s.e.Call != "" {
		s.State = Fetching
		s.do(Fetch{Call: s.e.Call, By: s.e.Leg})
		return
	}
	s.State = Redirecting
	s.do(Redirect{By: s.e.Leg, To: s.e.To, Body: s.e.Body}, Next{})
}

func refuseTransfer(s *step) { s.do(RefuseTransfer{s.e.Leg}) }

// status tells who transfers the call how that goes, unless it has hung up.
func (s *step) status(t TransferStatus) {
	if t.Leg = s.legs[s.transfer.place].id; t.Leg != 0 {
		s.do(t)
	}
}

func chosenForTransfer(s *step) {
	s.tryNow()
	s.dialThird()
}

// dialThird offers the party that stays, with its media both ways again.
func (s *step) dialThird() { s.dial(Third, s.kept().said.Resumed(), TransferHungUp) }

func decidedForTransfer(s *step) { s.notTransferred(s.e.Cause) }

// notTransferred lets the call go on as it was, unless who transferred it has left.
func (s *step) notTransferred(why cause.Said) {
	s.status(TransferStatus{Last: true, Cause: why})
	left := s.transfer.left
	s.transfer = transfer{}
	if s.State = Connected; left {
		s.end(TransferFailed, normal)
	}
}

func thirdProgress(s *step) {
	s.rings()
	s.status(TransferStatus{Rings: true, Cause: s.e.Cause})
}

func thirdAnswered(s *step) {
	if s.unusable() {
		return
	}
	third := s.from()
	m := s.hear(third)
	third.early, third.answered = true, true
	s.connect()
	s.do(Confirm{Leg: third.id})
	s.install(Transferred)
	s.askItself(describe, s.kept(), m)
}

// install puts the third leg in the place that it is for, and ends who was there.
func (s *step) install(how Replacement) {
	place, third := s.transfer.place, s.legs[Third]
	s.do(Replace{Leg: third.id, Place: place, How: how})
	s.status(TransferStatus{Last: true, Done: true})
	s.legs[Third] = leg{}
	s.release(place, normal)
	s.legs[place] = third
	s.State = Connected
}

// transferorLeft is a party that has transferred the call, or is to be replaced, and hangs up.
func transferorLeft(s *step) {
	if s.role != s.transfer.place {
		hungUp(s)
		return
	}
	s.transfer.left = true
	s.gone(s.role)
}

// fetched is the party of another call that came.
func fetched(s *step) {
	if s.e.Unfit != "" {
		s.refuseNew(unfit)
		s.notTransferred(unfit)
		return
	}
	s.enter(Third, leg{id: s.e.New, inbound: true, early: true, answered: true, offered: true, said: s.e.Media, parting: TransferHungUp})
	s.State = Joining
	s.askItself(join, &s.legs[Third], s.kept().said.Resumed())
}

func notFetched(s *step) { s.notTransferred(s.e.Cause) }

// joined has the media of the party that came.
func (s *step) joined(m *media.Session) {
	s.install(JoinedWith)
	s.askItself(describe, s.kept(), m)
}

// thirdLeft is a party of another call that hangs up before it is connected.
func thirdLeft(s *step) {
	s.gone(Third)
	s.notTransferred(or(s.e.Cause, normal))
}

// handOver gives the party that talks with a leg to another call, and ends this one.
func handOver(s *step) {
	other := s.role.opposite()
	if s.own.purpose != nothing || s.legs[other].id == 0 {
		s.do(KeepParty{s.e.Call})
		return
	}
	id := s.legs[other].id
	s.settle(id, true)
	s.legs[other] = leg{}
	s.do(Give{Leg: id, Call: s.e.Call})
	s.end(ToAnotherCall, normal)
}

func keepParty(s *step) { s.do(KeepParty{s.e.Call}) }

// replaceAsked is a call that takes the place of a connected party.
func replaceAsked(s *step) {
	if s.own.purpose != nothing {
		refuseReplace(s)
		return
	}
	if s.e.Unfit != "" {
		s.refuseNew(unfit)
		return
	}
	s.transfer = transfer{place: s.role}
	s.enter(Third, s.arrive(TakeOverHungUp))
	s.State = TakingOver
	s.askItself(takeOver, s.kept(), s.e.Media)
}

// tookOver has the kept party's answer for who takes the call over.
func (s *step) tookOver(m *media.Session) {
	third := &s.legs[Third]
	if third.id == 0 { // it has hung up meanwhile: the kept party is told of who was there before
		before := s.legs[s.transfer.place].said
		s.notTakenOver()
		if s.State == Connected {
			s.askItself(describe, s.kept(), before)
		}
		return
	}
	third.answered = true
	id := third.id
	place, taken := s.transfer.place, *third
	s.do(Replace{Leg: id, Place: place, How: TookOver})
	s.legs[Third] = leg{}
	s.release(place, elsewhere)
	s.legs[place] = taken
	s.do(Answer{id, m, true})
	s.State = Connected
}

// notTakenOver lets the call go on as it was.
func (s *step) notTakenOver() {
	s.release(Third, unfit)
	left := s.transfer.left
	if s.State = Connected; left {
		s.end(ReplacedIsGone, normal)
	}
}

// takerLeft is who wanted to take the call over, and hangs up. What the kept party was asked is
// waited for.
func takerLeft(s *step) { s.gone(Third) }

// refuseNew refuses a leg that came for another one's place.
func (s *step) refuseNew(why cause.Said) {
	s.last = max(s.last, s.e.New)
	s.do(Release{s.e.New, why})
}

func refuseReplace(s *step) { s.refuseNew(busyNow) }

func nothingToReplace(s *step) { s.refuseNew(noCall) }

// pickedUp is a call that takes the place of a party that rings: it is the answer.
func pickedUp(s *step) {
	near := &s.legs[Near]
	toNew, toNear, err := media.MeetSessions(near.said, s.e.Media)
	if s.e.Unfit != "" || err != nil {
		s.refuseNew(unfit)
		return
	}
	taker := s.arrive(PickUpHungUp)
	s.stopAttempt()
	s.report(decide.Report{Kind: trail.ReportAnswered})
	s.do(Replace{Leg: taker.id, Place: Far, How: PickedUp})
	s.release(Far, elsewhere)
	s.enter(Far, taker)
	s.State = Connected
	near.answered = true
	s.start(LongestTimer, s.attempt.longest*1000, 0)
	s.do(Answer{near.id, toNear, near.offered})
	if far := &s.legs[Far]; near.offered {
		s.meet(far, toNew)
	} else {
		far.unconfirmed = true
	}
}

// releaseAgain ends a leg that answered as it was released.
func releaseAgain(s *step) { s.do(Release{s.e.Leg, normal}) }

// tooLate releases a leg that comes when the call is over.
func tooLate(s *step) { s.refuseNew(noCall) }

func forget(s *step) { s.do(Forget{}) }

// replyEnded replies to a leg that is none of this call any more.
func replyEnded(s *step) {
	s.do(Reply{Leg: s.e.Leg, Request: s.e.Request, Want: s.e.Want, Verdict: Ended})
}
