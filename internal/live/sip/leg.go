package sip

import (
	"fmt"
	"slices"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live/call"
)

// leg is one leg of a call on SIP. All that happens to it, from the wire or from its call, happens
// in the order of its handle, so that nothing of it needs a lock; but for the dialog, which the
// reading goroutines look at.
type leg struct {
	a      *Agent
	h      *call.Handle
	trunk  *plan.Trunk
	d      *dialog // that was answered, or that is spoken to for now; nil before there is one
	over   bool    // it was released, or its far end has ended it
	caller *callerSide
	callee *calleeSide

	requests map[uint32]*inbound    // of the far end, that wait for a reply; nil before the first
	asks     map[core.AskID]*asking // of ours; nil before the first
	answers  []*answering           // 2xx that wait for their ACK
	last     uint32                 // names given out
	refer    *inbound               // that waits to be accepted or refused
	notices  *notices               // of a transfer; nil for none
}

func (a *Agent) newLeg(t *plan.Trunk) *leg {
	return &leg{a: a, trunk: t}
}

// Do implements call.Leg.
func (l *leg) Do(a core.OfLeg) {
	if l.d != nil {
		l.d.rename(l.identity())
	}
	switch a := a.(type) {
	case core.Proceed:
		l.caller.complete = true
	case core.Alert:
		l.alert(a)
	case core.Answer:
		l.answer(a)
	case core.Confirm:
		l.confirm(a)
	case core.Release:
		l.release(a.Cause)
	case core.Ask:
		l.ask(a)
	case core.Withdraw:
		if q := l.asks[a.Ask]; q != nil && q.tx != nil {
			l.a.cancelInvite(q.tx, "")
		}
	case core.Reply:
		l.reply(a)
	case core.TransferStatus:
		l.status(a)
	case core.RefuseTransfer:
		if l.refer != nil {
			l.refer.reply(500, l.d.key.localTag, retrySoon)
			l.refer = nil
		}
	}
}

// keep has a request of the far end wait for its reply, and gives it a name.
func (l *leg) keep(t *inbound) (name uint32) {
	if l.requests == nil {
		l.requests = map[uint32]*inbound{}
	}
	l.last++
	l.requests[l.last] = t
	return l.last
}

// identity is the Session-ID of the leg's messages.
func (l *leg) identity() identity {
	if l.h == nil {
		return identity{nobody, nobody}
	}
	ours, theirs := l.h.Names()
	return identity{ours, theirs}
}

// tell tells the call what has happened, unless the leg is over.
func (l *leg) tell(e core.Event) {
	if !l.over {
		l.h.Tell(e)
	}
}

// gone is a far end that ended the leg; no action comes for it any more.
func (l *leg) gone(e core.Event) {
	if l.over {
		return
	}
	e.Kind = core.Released
	l.h.Tell(e)
	if n := l.notices; n != nil && !n.told {
		n.giveUp()
	}
	l.close()
}

// fail ends the leg for a reason that its far end did not give.
func (l *leg) fail(how core.How) {
	if l.over {
		return
	}
	d := l.d
	l.gone(core.Event{Cause: cause.Said{Q850: cause.TimerExpiry, Text: cause.TimerExpiry.Name()}, How: how})
	d.end(reasonHeader(cause.TimerExpiry))
}

// close stops what the leg still does, and forgets its dialog.
func (l *leg) close() {
	l.stop()
	if l.d != nil {
		l.a.forgetDialog(l.d)
	}
}

func (l *leg) stop() {
	l.over = true
	for _, w := range slices.Clone(l.answers) {
		if w.then == nil {
			w.stop()
		}
	}
	if l.caller != nil {
		stopTimer(l.caller.progress.again)
		l.a.collected(l)
	}
	for _, q := range l.asks {
		if tx := q.tx; tx != nil {
			time.AfterFunc(l.a.ms(machine.B), tx.forget) // one that is never answered holds nothing
		}
	}
	for name, t := range l.requests { // the call has replied to those that it knows
		t.reply(487, l.d.key.localTag)
		delete(l.requests, name)
	}
}

// release ends the leg from our side.
func (l *leg) release(why cause.Said) {
	if l.over {
		return
	}
	switch {
	case l.caller != nil && !l.caller.answered:
		l.refuse(why)
	case l.callee != nil && l.callee.answer == nil:
		l.callee.reason = reasonOf(why)
		l.abandon()
	case l.notices != nil:
		l.dismiss(reasonOf(why))
		return
	case l.end(reasonOf(why)):
		return
	}
	l.close()
}

// end sends the BYE; at once, or where our own answer was not acknowledged yet, behind that (RFC
// 3261 section 15): it is true then, and the dialog stays until it is.
func (l *leg) end(reason string) (later bool) {
	d := l.d
	i := slices.IndexFunc(l.answers, func(w *answering) bool { return w.request == 0 })
	if i < 0 {
		d.end(reason)
		return false
	}
	l.a.work.Begin()
	l.answers[i].then = func() {
		d.end(reason)
		l.a.forgetDialog(d)
		l.a.work.End()
	}
	l.stop()
	return true
}

// dismiss ends the side that has transferred the call, once it was told how that went.
func (l *leg) dismiss(reason string) {
	l.stop()
	if !l.notices.told {
		l.notices.giveUp()
	}
	l.a.work.Begin()
	go func() {
		defer l.a.work.End()
		l.notices.wait()
		l.d.end(reason)
		l.a.forgetDialog(l.d)
	}()
}

// reasonOf is a cause as Reason (RFC 3326); empty for none.
func reasonOf(why cause.Said) string {
	switch {
	case why.SIP >= 200 && why.SIP < 300:
		return fmt.Sprintf("SIP;cause=%d;text=%q", why.SIP, why.Text)
	case why.Q850 == 0:
		return ""
	case why.Text != "":
		return fmt.Sprintf("Q.850;cause=%d;text=%q", int(why.Q850), why.Text)
	}
	return fmt.Sprintf("Q.850;cause=%d", int(why.Q850))
}

// saidBy is the cause in a BYE.
func saidBy(req *wire.Message) (why cause.Said) {
	why.Q850, _ = cause.FromReason(req.Get("Reason"))
	if why.Q850 != 0 {
		why.Text = quotedIn(req.Get("Reason"))
	}
	return why
}

// confirm acknowledges what the far end said.
func (l *leg) confirm(a core.Confirm) {
	switch {
	case a.Number != 0:
		l.prack(a.Number, a.Media.Description())
	case a.Ask != 0:
		if q := l.asks[a.Ask]; q != nil {
			delete(l.asks, a.Ask)
			if q.accepted != nil && q.method == "INVITE" {
				ack := l.d.ack(q.tx.req, a.Media.Description())
				q.tx.onSuccess(func(*wire.Message) { ack() })
				ack()
			}
		}
	default:
		l.d.acknowledge(a.Media.Description())
	}
}

// session reads what a message says of its sender's media; nil if it says nothing.
func session(m *wire.Message) *media.Session {
	if len(m.Body) == 0 || !isDescription(m) {
		return nil
	}
	return media.ReadSession(m.Body)
}

// answering is a 2xx to an INVITE, which is sent until it is acknowledged (RFC 3261 section
// 13.3.1.4).
type answering struct {
	l       *leg
	t       *inbound
	res     *wire.Message
	request uint32 // of the far end, within the call; 0 for the call itself
	wait    int
	begun   time.Time
	again   *time.Timer
	then    func() // what waits for the ACK; nil for nothing
}

// sendUntilAcked sends a 2xx.
func (l *leg) sendUntilAcked(t *inbound, res *wire.Message, request uint32) {
	w := &answering{l: l, t: t, res: res, request: request, wait: machine.T1, begun: time.Now()}
	l.answers = append(l.answers, w)
	t.respond(res)
	w.in(w.wait)
}

func (w *answering) in(ms int) {
	w.again = time.AfterFunc(w.l.a.ms(ms), func() { w.l.h.Post(w.repeat) })
}

func (w *answering) stop() {
	stopTimer(w.again)
	w.l.answers = slices.DeleteFunc(w.l.answers, func(o *answering) bool { return o == w })
}

func (w *answering) repeat() {
	if !slices.Contains(w.l.answers, w) {
		return
	}
	if time.Since(w.begun) >= w.l.a.ms(machine.B) {
		w.stop()
		if w.then != nil {
			w.then()
		} else {
			w.l.fail(neverAcked)
		}
		return
	}
	w.t.respond(w.res)
	w.wait = min(2*w.wait, machine.T2)
	w.in(w.wait)
}

// neverAcked is how a call ends whose answer is never acknowledged.
const neverAcked core.How = "the answer was never acknowledged"

// acknowledged takes an ACK of the far end.
func (l *leg) acknowledged(seq uint32, m *media.Session) {
	for _, w := range l.answers {
		cseq, _ := wire.ReadCSeq(w.t.req.Get("CSeq")) // verified
		if cseq.Number == seq {
			w.stop()
			if w.then != nil {
				w.then()
			}
			l.tell(core.Event{Kind: core.Confirmed, Request: w.request, Media: m})
			return
		}
	}
}
