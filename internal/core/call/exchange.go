package call

import "switchback.example/switchback/internal/core/media"

// Requests of one party to the other within a call: hold, retrieve, another codec, and what is
// carried beside the call.

// ask is a request that waits for its reply, or for the acknowledgement of that.
type ask struct {
	id      AskID
	want    Want
	to      LegID
	from    LegID  // 0: the switch itself asks
	request uint32 // the name that the asking carrier gave it
	offer   bool   // it came with a description
	replied bool   // what is left is its acknowledgement
}

// changing tells whether a change of the media is under way on a leg, in either direction; from
// says that its own far end has asked for it.
func (c *Call) changing(id LegID) (is, from bool) {
	for _, a := range c.asks {
		if a.id != 0 && a.want == Change {
			if a.from == id {
				return true, true
			}
			is = is || a.to == id
		}
	}
	return is, false
}

func (c *Call) findAsk(match func(*ask) bool) *ask {
	for i := range c.asks {
		if a := &c.asks[i]; a.id != 0 && match(a) {
			return a
		}
	}
	return nil
}

// newAsk takes an empty place; nil if there is none.
func (s *step) newAsk(a ask) *ask {
	for i := range s.asks {
		if s.asks[i].id == 0 {
			s.lastAsk++
			a.id = s.lastAsk
			s.asks[i] = a
			return &s.asks[i]
		}
	}
	return nil
}

// asked carries a request to the other party.
func asked(s *step) {
	from, to, e := s.from(), &s.legs[s.role.opposite()], s.e
	refuse := func(r Reply) {
		r.Leg, r.Request, r.Want = from.id, e.Request, e.Want
		s.do(r)
	}
	if to.id == 0 || !to.early {
		refuse(Reply{Verdict: Soon})
		return
	}
	if busy, its := s.changing(from.id); e.Want == Change && busy {
		if its {
			refuse(Reply{Verdict: Soon})
		} else {
			refuse(Reply{Verdict: Glare})
		}
		return
	}
	if busy, _ := s.changing(to.id); e.Want == Change && busy {
		refuse(Reply{Verdict: Glare}) // the switch itself changes the other side
		return
	}
	if e.Unfit != "" {
		why := unfit
		why.Text = e.Unfit
		refuse(Reply{Verdict: Refused, Cause: why})
		return
	}
	a := s.newAsk(ask{want: e.Want, from: from.id, to: to.id, request: e.Request, offer: e.Media != nil})
	if a == nil {
		refuse(Reply{Verdict: Soon})
		return
	}
	if e.Want == Change {
		s.hear(from)
	}
	s.do(Ask{Leg: to.id, Ask: a.id, Want: a.want, Media: e.Media, Body: e.Body, Number: e.Number, As: e.As})
}

// progressOfAsk carries what comes before a reply back to who asked.
func progressOfAsk(s *step) {
	a := s.findAsk(func(a *ask) bool { return a.id == s.e.Ask && a.to == s.e.Leg && !a.replied })
	if a != nil && a.from != 0 {
		s.do(Alert{Leg: a.from, Ring: s.e.Kind == Alerting, Said: s.e.Cause, Ask: a.request})
	}
}

// replied carries a reply back to who asked.
func replied(s *step) {
	a := s.findAsk(func(a *ask) bool { return a.id == s.e.Ask && a.to == s.e.Leg && !a.replied })
	switch {
	case a == nil: // who asked is gone
		return
	case a.from == 0:
		s.ownReplied(a)
		return
	}
	e := s.e
	done := e.Verdict == Accepted
	if done && a.want == Change && e.Unfit != "" {
		s.do(Confirm{Leg: a.to, Ask: a.id})
		e.Verdict, e.Cause, e.Media, done = Refused, unfit, nil, false
	}
	m := e.Media
	if done && a.want == Change {
		s.hear(s.from())
	}
	s.do(Reply{Leg: a.from, Request: a.request, Want: a.want, Verdict: e.Verdict, Cause: e.Cause, Media: m, Answer: a.offer, Body: e.Body})
	switch {
	case !done || a.want != Change:
		*a = ask{}
	case a.offer:
		s.do(Confirm{Leg: a.to, Ask: a.id})
		*a = ask{}
	default:
		a.replied = true
	}
}

// withdrawn takes a request back. Its reply is waited for all the same.
func withdrawn(s *step) {
	a := s.findAsk(func(a *ask) bool { return a.from == s.e.Leg && a.request == s.e.Request && !a.replied })
	if a != nil {
		s.do(Withdraw{a.to, a.id})
	}
}

// confirmed carries an acknowledgement over: of a progress, of a reply, or of the answer.
func confirmed(s *step) {
	other := &s.legs[s.role.opposite()]
	switch {
	case s.e.Number != 0:
		if other.id != 0 {
			s.hear(s.from())
			s.do(Confirm{Leg: other.id, Number: s.e.Number, Media: s.e.Media})
		}
	case s.e.Request != 0:
		a := s.findAsk(func(a *ask) bool { return a.from == s.e.Leg && a.request == s.e.Request && a.replied })
		if a != nil {
			s.do(Confirm{Leg: a.to, Ask: a.id, Media: s.hear(s.from())})
			*a = ask{}
		}
	case other.unconfirmed:
		other.unconfirmed = false
		s.meet(other, s.hear(s.from()))
	}
}

// meet gives a party that has answered the answer to its own offer.
func (s *step) meet(l *leg, m *media.Session) {
	if l.inbound { // it picked the call up
		l.answered = true
		s.do(Answer{l.id, m, true})
		return
	}
	s.do(Confirm{Leg: l.id, Media: m})
}

// settle ends the requests of a leg that leaves the call, and those to it.
func (s *step) settle(id LegID, hears bool) {
	for i := range s.asks {
		a := &s.asks[i]
		if a.id == 0 || a.from != id && a.to != id {
			continue
		}
		switch {
		case a.from == 0:
			s.own = own{}
		case !a.replied && (a.from != id || hears):
			s.do(Reply{Leg: a.from, Request: a.request, Want: a.want, Verdict: Ended})
		case a.replied && a.from == id: // its acknowledgement will not come
			s.do(Confirm{Leg: a.to, Ask: a.id})
		}
		*a = ask{}
	}
}

// own is what the switch itself asks of a party, so that it fits another one.
type own struct {
	purpose purpose
	leg     LegID
	media   *media.Session
	tries   int
}

type purpose uint8

const (
	nothing  purpose = iota
	describe         // tell it of who has come in the other's place
	takeOver         // get its answer to who takes a call over
	join             // get the media of the party of another call
)

// ownTries is how often a request of the switch is tried that meets one of the far end.
const ownTries = 5

// The wait before the next try, in milliseconds, and what is added by chance: less than RFC 3261
// section 14.1 has it, since both requests pass here.
const (
	retryAfter  = 500
	retrySpread = 500
)

// askItself asks a party for another description.
func (s *step) askItself(p purpose, l *leg, m *media.Session) {
	s.own = own{purpose: p, leg: l.id, media: m}
	s.askNow()
}

func (s *step) askNow() {
	o := &s.own
	busy, _ := s.changing(o.leg)
	var a *ask
	if !busy {
		a = s.newAsk(ask{want: Change, to: o.leg, offer: o.media != nil})
	}
	if a == nil {
		s.askLater()
		return
	}
	s.do(Ask{Leg: o.leg, Ask: a.id, Want: Change, Media: o.media, Own: true, Answer: o.purpose == describe})
}

func (s *step) askLater() {
	if s.own.tries++; s.own.tries >= ownTries {
		s.ownFailed()
		return
	}
	s.start(RetryTimer, retryAfter, retrySpread)
}

// askAgain is the retry timer.
func askAgain(s *step) {
	if s.own.purpose != nothing {
		s.askNow()
	}
}

func (s *step) ownReplied(a *ask) {
	id, to := a.id, a.to
	*a = ask{}
	switch s.e.Verdict {
	case Accepted:
		s.do(Confirm{Leg: to, Ask: id})
		if s.e.Unfit != "" {
			s.ownFailed()
			return
		}
		m := s.hear(s.from())
		p := s.own.purpose
		s.own = own{}
		switch p {
		case takeOver:
			s.tookOver(m)
		case join:
			s.joined(m)
		}
	case Glare, Soon:
		s.askLater()
	default:
		s.ownFailed()
	}
}

func (s *step) ownFailed() {
	p := s.own.purpose
	s.own = own{}
	switch p {
	case takeOver:
		s.notTakenOver()
	case join:
		s.release(Third, normal)
		s.notTransferred(unfit)
	}
}

// askedTooSoon is a party that asks before there is anybody to be asked.
func askedTooSoon(s *step) {
	s.do(Reply{Leg: s.e.Leg, Request: s.e.Request, Want: s.e.Want, Verdict: Soon})
}
