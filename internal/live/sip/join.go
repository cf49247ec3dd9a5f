package sip

import (
	"fmt"
	"time"

	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// Two calls that become one: by a REFER whose Refer-To names the other call (RFC
// 5589 section 7), or by an INVITE with Replaces (RFC 3891).

// findReplaced finds the dialog that Replaces names: its to-tag is ours, its from-tag
// the far end's (RFC 3891 section 3).
func (a *Agent) findReplaced(r wire.Replaces) *dialog {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.dialogs[dialogKey{r.CallID, r.ToTag, r.FromTag}]
}

// party is a side that one call hands over to another.
type party struct {
	d       *dialog
	trunk   *plan.Trunk
	channel live.Channel
	leg     record.Leg
}

// join connects the party that stays with that of another call of the same far end.
func (t *transfer) join(d *dialog) {
	c := t.c
	of, _ := d.place()
	other, ok := t.mayJoin(of, d)
	if !ok {
		t.failed()
		return
	}
	var p party
	if !of.on(func() { p = of.handOver(d) }) {
		t.failed()
		return
	}
	place := side(t.by)
	p.d.moveTo(c, place)
	with := c.soundWith(t.kept)
	offer, _, err := with.begin(place, other, p.d.known.Addr(), c.resumed(t.kept))
	var answer []byte
	if err == nil {
		answer, err = c.reoffer(p.d, offer)
	}
	if err == nil {
		offer, err = with.describe(side(t.kept), answer, true)
	}
	if !c.on(func() {
		c.rec.Legs = append(c.rec.Legs, p.leg)
		c.put(p.d, p.trunk, p.channel, with, len(c.rec.Legs)-1)
		c.transfer = nil
		c.save()
	}) {
		p.channel.Release()
		with.close()
		c.a.forgetDialog(p.d)
		p.d.end("")
		return
	}
	t.notices.tell("200 OK", true)
	t.dismiss()
	if err != nil {
		c.fault(fmt.Sprintf("the two calls could not be connected: %s", err))
		return
	}
	c.redescribe(t.kept, with, offer)
}

// mayJoin asks the plan, and the other call whether it is one to be joined.
func (t *transfer) mayJoin(of *call, d *dialog) (other *plan.Trunk, ok bool) {
	c, with := t.c, ""
	t.refusal = 481
	if of == c || d.trunk.ID != t.by.trunk.ID || d.isEarly() {
		return nil, false
	}
	of.on(func() {
		if of.transfer == nil {
			other, with = of.trunk, of.rec.ID
			if d == of.caller {
				other = of.out
			}
		}
	})
	if other == nil {
		return nil, false
	}
	t.refusal = 0
	c.on(func() {
		c.eval, ok = c.run.Snapshot.Join(c.rec.Trail, trail.HowJoined, t.by.trunk.ID, t.kept.trunk.ID, other.ID, "call "+with)
		c.save()
	})
	return other, ok
}

// handOver gives the other side of a call away than the one of a dialog, which is
// over with it, and ends the call here. It runs on the call's goroutine.
func (c *call) handOver(d *dialog) (p party) {
	p = party{d: c.callee, trunk: c.out, channel: c.outgoing}
	if d == c.callee {
		p = party{d: c.caller, trunk: c.trunk, channel: c.channel}
		c.channel = live.Channel{}
	} else {
		c.outgoing = live.Channel{}
	}
	place := side(p.d)
	p.leg = c.rec.Legs[c.legs[place]]
	p.leg.Step = 0
	c.finishBut(p.d, "it was connected with another call", "")
	return p
}

// takeOver is an INVITE that takes the place of a call of the same far end (RFC 3891
// section 3).
func (a *Agent) takeOver(t *inbound, trunk *plan.Trunk) {
	refuse := func(status int, why string) {
		t.reply(status, newID(), [2]string{"Warning", fmt.Sprintf("399 switchback %q", why)})
	}
	values := t.req.All("Replaces")
	if len(values) != 1 {
		refuse(400, "an INVITE has one Replaces at most")
		return
	}
	replaces, err := wire.ReadReplaces(values[0])
	if err != nil {
		refuse(400, err.Error())
		return
	}
	d := a.findReplaced(replaces)
	switch {
	case d == nil:
		refuse(481, "no call of that name")
		return
	case d.trunk.ID != trunk.ID:
		refuse(403, "that call is not one of "+trunk.Name)
		return
	case len(t.req.Body) == 0:
		refuse(488, "a call that takes the place of another one comes with a description")
		return
	}
	c, place := d.place()
	switch early := d.isEarly(); {
	case early && place == relay.Caller:
		refuse(481, "that call is not answered yet, and did not begin here")
		return
	case early:
		t.reply(100, "")
		if !c.pickUp(&pickUp{c: c, tx: t, trunk: trunk}) {
			refuse(481, "that call does not ring any more")
		}
		return
	case replaces.EarlyOnly:
		refuse(486, "that call is answered already")
		return
	}
	t.reply(100, "")
	if !c.takenOver(d, trunk, t) {
		refuse(603, "that call is over, or being sent on")
	}
}

// takenOver puts who calls in the place of a side; false if the call is over or is
// being sent on.
func (c *call) takenOver(old *dialog, trunk *plan.Trunk, t *inbound) bool {
	var kept *dialog
	place := side(old)
	if !c.on(func() {
		if c.transfer == nil && (old == c.caller || old == c.callee) {
			if kept = c.caller; place == relay.Caller {
				kept = c.callee
			}
			c.transfer = &transfer{c: c, by: old, kept: kept, giveUp: func() {}}
		}
	}) || kept == nil {
		return false
	}
	fresh := c.callerDialog(t, trunk, newID())
	fresh.moveTo(c, place)
	fresh.hungUp = "the party that took the call over hung up"
	with := c.soundWith(kept)
	_, _, err := with.begin(place, trunk, t.source.Addr(), nil)
	var offer, answer []byte
	if err == nil {
		offer, err = with.describe(side(kept), t.req.Body, false)
	}
	if err == nil {
		answer, err = c.reoffer(kept, offer)
	}
	if err == nil {
		answer, err = with.describe(place, answer, true)
	}
	if err != nil {
		with.close()
		c.on(func() {
			if c.transfer.left {
				c.fault("the party that was to be taken over is gone")
			}
			c.transfer = nil
		})
		t.reply(488, fresh.key.localTag, [2]string{"Warning", fmt.Sprintf("304 switchback %q", err)})
		return true
	}
	c.a.keepDialog(fresh)
	fresh.on(machine.Answer)
	if !c.on(func() { c.tookOver(fresh, kept, trunk, t, with) }) {
		with.close()
		c.a.forgetDialog(fresh)
		return false
	}
	old.end(completedElsewhere)
	c.a.forgetDialog(old)
	res := c.accepted(t, fresh, nil)
	setDescription(res, answer)
	fresh.described(answer)
	c.answer(t, res, fresh)
	return true
}

// tookOver notes who has come, on the call's goroutine.
func (c *call) tookOver(fresh, kept *dialog, trunk *plan.Trunk, t *inbound, with *sound) {
	channel := c.channel // the one call in place of the other keeps its channel
	if side(fresh) == relay.Called {
		channel = c.outgoing
		c.outgoing = live.Channel{}
	} else {
		c.channel = live.Channel{}
	}
	c.noteReplaced(t, trail.HowTakenOver, trunk, kept.trunk)
	c.put(fresh, trunk, channel, with, len(c.rec.Legs)-1)
	c.transfer = nil
	c.a.Trunks.CameIn(trunk.ID, time.Now())
	c.save()
}

// noteReplaced keeps in the record who has come in another's place, as a leg.
func (c *call) noteReplaced(t *inbound, how string, trunk, kept *plan.Trunk) {
	from, _ := wire.ReadAddress(t.req.Get("From")) // verified
	who, _ := telephone(from.URI)
	c.eval, _ = c.run.Snapshot.Join(c.rec.Trail, how, trunk.ID, kept.ID, trunk.ID, who)
	c.rec.Legs = append(c.rec.Legs, record.Leg{
		Trunk: trunk.ID, FarEnd: c.farEnd(trunk), CallID: t.req.Get("Call-ID"), Remote: t.source.String(), Step: len(c.eval.Trail()) - 1, Media: record.ReadMedia(t.req.Body),
	})
}
