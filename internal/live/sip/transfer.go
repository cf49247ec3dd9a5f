package sip

import (
	"fmt"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// transfer is an answered call that one of its sides sends on (RFC 3515, RFC 5589):
// the switch places the new call itself, since only it knows what the plan lets that
// side do. The party that stays is told by a new description alone. It runs beside
// the call, whose state it touches on the call's goroutine only.
type transfer struct {
	c        *call
	by, kept *dialog
	replaces *wire.Replaces // a call at the far end that is to be taken over; nil for none
	notices  *notices
	gone     chan struct{} // closed when nobody wants it any more
	giveUp   func()
	left     bool // who sends it on has hung up
	refusal  int  // why nothing was tried; 0 if the decision says it
}

// onRefer takes a REFER, on the call's goroutine.
func (c *call) onRefer(q asked) {
	refuse := func(status int, why string) {
		q.t.reply(status, q.d.key.localTag, [2]string{"Warning", fmt.Sprintf("399 switchback %q", why)})
	}
	if !q.d.trunk.Services.Transfers {
		refuse(403, q.d.trunk.Name+" may not transfer calls")
		return
	}
	if q.d != c.caller && q.d != c.callee || q.d.isEarly() || c.transfer != nil {
		q.t.reply(500, q.d.key.localTag, retrySoon)
		return
	}
	to, replaces, err := wire.ReadReferTo(q.t.req)
	if err != nil {
		refuse(400, err.Error())
		return
	}
	text, _ := telephone(to)
	number, err := digits.ParseNumber(text)
	if err != nil {
		refuse(400, "Refer-To: "+err.Error())
		return
	}
	t := &transfer{c: c, by: q.d, kept: c.callee, replaces: replaces, gone: make(chan struct{})}
	if q.d == c.callee {
		t.kept = c.caller
	}
	t.giveUp = sync.OnceFunc(func() { close(t.gone) })
	t.notices = newNotices(q, t.gone)
	c.transfer = t
	q.t.reply(202, q.d.key.localTag, [2]string{"Contact", c.a.contact(q.d.trunk, q.t.source.by)})
	t.notices.tell("100 Trying", false)
	if replaces != nil {
		if d := c.a.findReplaced(*replaces); d != nil {
			c.relays.Go(func() { t.join(d) })
			return
		}
	}
	c.eval, _ = c.run.Snapshot.Begin(decide.Call{ // the trunk is one of the snapshot
		Trunk: t.by.trunk.ID, Called: number, Numbers: c.a.turns, At: time.Now(), Overrides: c.a.Overrides.At(time.Now()),
		Transfer: &decide.Transfer{Before: c.rec.Trail, Party: t.kept.trunk.ID, Caller: c.numberOf(t.kept), By: c.numberOf(t.by).Number},
	})
	c.save()
	c.relays.Go(t.run)
}

// numberOf is the number of a side, with its form.
func (c *call) numberOf(d *dialog) (w numbering.Written) {
	for _, s := range c.rec.Trail {
		switch {
		case s.Received != nil && d == c.caller:
			return s.Received.Caller
		case s.Sent != nil && d == c.callee:
			w = s.Sent.Called
		case s.Redirected != nil && s.Redirected.How != trail.HowDiverted:
			return w
		}
	}
	return w
}

// run tries what the plan offers until somebody answers.
func (t *transfer) run() {
	c := t.c
	for {
		var o decide.Offer
		more := false
		if !c.on(func() {
			o, more = c.eval.Next()
			c.save()
		}) {
			return
		}
		if !more {
			break
		}
		if t.offer(o) {
			return
		}
	}
	t.failed()
}

// failed tells who sent the call on; the call goes on as it was, unless that one has
// left it.
func (t *transfer) failed() {
	c, left, status := t.c, false, 503
	c.on(func() {
		c.transfer, left = nil, t.left
		if end, ok := c.eval.Ended(); ok {
			status = end.Cause.SIP
		}
		if t.refusal != 0 {
			status = t.refusal
		}
		c.save()
	})
	t.notices.tell(fmt.Sprintf("%d %s", status, phrase(status)), true)
	if left {
		c.fault("it was transferred to where nobody answered")
	}
}

// offer tries one trunk; it is true when the transfer is over.
func (t *transfer) offer(o decide.Offer) (over bool) {
	c := t.c
	report := func(r decide.Report) { c.on(func() { c.report(r) }) }
	if t.replaces != nil && o.Trunk.ID != t.by.trunk.ID {
		report(decide.Report{Kind: trail.ReportUnavailable, Skip: trail.SkipAbsent, Detail: "the call that is to be taken over is with " + t.by.trunk.Name})
		return false
	}
	ways, channel, not := c.a.reach(o)
	if not != nil {
		report(*not)
		return false
	}
	var at *attempt
	var with *sound
	began := time.Now()
	r := c.a.inTurn(ways, func(to way) (r decide.Report) {
		if with != nil {
			with.close()
		}
		at, with, r = t.send(o, to)
		return r
	}, func(r decide.Report) bool { return c.on(func() { c.eval.NextServer(r) }) })
	if r.Kind != trail.ReportUnavailable {
		c.a.Trunks.Offered(o.Trunk.ID, time.Now(), r.Kind == trail.ReportAnswered, time.Since(began))
	}
	if r.Kind != trail.ReportAnswered || !t.complete(at, with, channel, r) {
		with.close()
		channel.Release()
		if r.Kind != trail.ReportAnswered {
			report(r)
		}
		return r.Kind == trail.ReportAnswered
	}
	return true
}

// send sends the call to one server, with the description of the party that stays.
func (t *transfer) send(o decide.Offer, to way) (at *attempt, with *sound, r decide.Report) {
	c := t.c
	with = c.soundWith(t.kept)
	place := side(t.by)
	description, skip, err := with.begin(place, o.Trunk, to.hop.Addr(), c.resumed(t.kept))
	if err != nil {
		return nil, with, decide.Report{Kind: trail.ReportUnavailable, Skip: skip, Detail: err.Error()}
	}
	name := ""
	if t.kept == c.caller {
		name = c.from.Name
	}
	at = &attempt{c: c, a: c.a, trunk: o.Trunk, to: to, session: sessionWanted(o.Trunk.SIP)}
	at.invite = c.newInvite(o, to, description, name, false)
	if t.replaces != nil {
		at.invite.Add("Replaces", t.replaces.String())
		at.invite.Add("Require", "replaces")
	}
	if !c.on(func() {
		c.eval.Sent(to.String())
		c.rec.Legs = append(c.rec.Legs, record.Leg{Trunk: o.Trunk.ID, FarEnd: c.farEnd(o.Trunk), CallID: at.invite.Get("Call-ID"), Remote: to.String(), Step: len(c.eval.Trail()) - 1})
		c.save()
	}) {
		return at, with, decide.Report{Kind: trail.ReportAbandoned}
	}
	r = at.wait(o.Timers, t.gone, func(res *wire.Message) {
		if res.Status > 100 {
			t.notices.tell(fmt.Sprintf("%d %s", res.Status, res.Reason), false)
		}
	})
	if r.Kind == trail.ReportAnswered {
		if err := with.answerFits(place, at.answer); err != nil {
			at.hangUp(at.answer)
			r = decide.Report{Kind: trail.ReportRefused, Status: 488, Detail: nothingLeft(err), Progress: at.ringing}
		}
	}
	return at, with, r
}

// soundWith is the sound of a party with another one that is not known yet.
func (c *call) soundWith(d *dialog) *sound {
	d.mu.Lock()
	defer d.mu.Unlock()
	return newSound(c.a, c.run, d.side, d.trunk, d.known.Addr())
}

// resumed is the last description of a side, with its sound both ways again, as it
// was before it was put on hold.
func (c *call) resumed(d *dialog) []byte {
	body := c.sound.Load().of(side(d))
	read, err := media.Read(body)
	if err != nil {
		return body
	}
	read.Resume()
	return read.Bytes()
}

// complete puts who answered in the place of who sent the call on; false if the call
// ended meanwhile.
func (t *transfer) complete(at *attempt, with *sound, channel live.Channel, r decide.Report) bool {
	c := t.c
	place := side(t.by)
	d := at.dialogOf(at.answer)
	d.moveTo(c, place)
	d.hungUp = "the party that it was transferred to hung up"
	d.rename(identity{c.rec.Session, nameOr(at.answer, newName())})
	c.a.keepDialog(d)
	d.on(machine.Answer)
	d.answeredBy(func(body []byte) { at.meetOthers(d, d.ack(at.invite, body)) })
	d.acknowledge(nil)
	d.heardSession(at.answer, at.session)
	if !c.on(func() {
		leg := len(c.rec.Legs) - 1
		c.lastLeg().Media = record.ReadMedia(at.answer.Body)
		c.put(d, at.trunk, channel, with, leg)
		c.report(r)
		c.transfer = nil
	}) {
		c.a.forgetDialog(d)
		d.end("")
		return false
	}
	t.notices.tell("200 OK", true)
	t.dismiss()
	if offer, err := with.describe(side(t.kept), at.answer.Body, true); err == nil {
		c.redescribe(t.kept, with, offer)
	}
	return true
}

// dismiss ends the side that sent the call on, once it was told how that went.
func (t *transfer) dismiss() {
	c := t.c
	c.a.work.begin()
	go func() {
		defer c.a.work.end()
		t.notices.wait()
		t.by.end("")
		c.a.forgetDialog(t.by)
	}()
}

// put makes a dialog a side of the call, with its trunk, its channel, the sound
// between both sides from now on, and its leg in the record. It runs on the call's
// goroutine.
func (c *call) put(d *dialog, trunk *plan.Trunk, channel live.Channel, with *sound, leg int) {
	c.endSound()
	c.sound.Store(with)
	place := side(d)
	c.legs[place] = leg
	if place == relay.Caller {
		c.channel.Release()
		c.caller, c.trunk, c.channel = d, trunk, channel
		return
	}
	c.outgoing.Release()
	c.callee, c.out, c.outgoing = d, trunk, channel
}

// redescribe gives a side a new description and takes what it answers.
func (c *call) redescribe(d *dialog, with *sound, offer []byte) {
	answer, err := c.reoffer(d, offer)
	if err == nil {
		_, err = with.describe(side(d).Other(), answer, true)
	}
	if err != nil {
		c.a.Log.Warn("a side did not take the description of who came in the other's place", "switch", c.a.Switch, "call", c.rec.ID, "error", err)
	}
}

// on runs something on the goroutine of an answered call; false if the call is over.
func (c *call) on(do func()) bool {
	done := make(chan struct{})
	select {
	case c.todo <- func() { do(); close(done) }:
		<-done
		return true
	case <-c.over:
		return false
	}
}
