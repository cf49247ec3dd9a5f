package call

import (
	"fmt"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// choice is a trunk that the plan has chosen, with a channel of it and its servers.
type choice struct {
	offer   decide.Offer
	carrier Carrier
	ways    []Way
	way     Way // that is being tried
	channel live.Channel
	party   *party
	began   time.Time
	own     *trail.CalendarSet // the switch itself answers, and says by a tone that it has done so
}

// begin begins the decision, with the digits that came.
func (c *Call) begin(timeout bool) {
	if c.straight {
		c.save()
		return
	}
	p := c.at(relay.Caller)
	in := &c.in.Call
	in.Numbers, in.Trial = c.ctl.turns, c.run.Trial
	if in.Collected = c.collected; timeout {
		in.Collected = c.waited()
	}
	var first bool
	c.journey, first = c.ctl.journeys.begin(c.rec.Session, in.Called, p.trunk.OppositeTrunk != "", in.At)
	switch {
	case in.Refusal != nil:
	case !first:
		in.Refusal = &decide.Refusal{Own: cause.Loop, Why: decide.BeenHere("this switch")}
	default:
		in.Refusal = c.admit(p)
	}
	c.eval, _ = c.run.Snapshot.Begin(*in) // the trunk was just identified in this snapshot
	c.rec.Legs = append(c.rec.Legs, record.Leg{Trunk: p.trunk.ID, FarEnd: farEnd(p.trunk), Remote: c.in.Remote, Media: record.ReadMedia(c.in.Media.Description())}.Named(c.ctl.Protocol(p.trunk), c.in.ID))
	c.save()
	c.ctl.Trunks.CameIn(p.trunk.ID, time.Now())
	if n, ok := c.run.Snapshot.PublicNumber(p.trunk.ID, in.Called); ok && c.ctl.Arrivals != nil {
		c.ctl.Arrivals.Note(n, p.trunk.ID, c.rec.Started)
	}
}

func farEnd(t *plan.Trunk) string {
	if t.FarEnd != "" {
		return t.FarEnd
	}
	return t.OppositeTrunk
}

// admit takes a channel of the trunk by which the call came, unless it is out of
// service or full.
//
// An emergency call is taken in any case. It may be one behind a prefix, which only the plan
// knows; that is asked where the call would be refused otherwise.
func (c *Call) admit(p *party) *decide.Refusal {
	snap, in := c.run.Snapshot, c.in.Call
	help := in.Service != "" || snap.IsEmergencyNumber(p.trunk.ID, in.Called)
	helpBehind := func() bool { return help || snap.IsEmergencyCall(in) }
	if v, out := c.ctl.Trunks.OutOfService(p.trunk.ID, in.At); out && !helpBehind() {
		return &decide.Refusal{Own: cause.AllDown, Why: fmt.Sprintf("%s is %s and takes no new call", p.trunk.Name, v.Word)}
	}
	channel, why, ok := c.ctl.Trunks.Reserve(p.trunk, live.Want{Emergency: help, Anyway: help})
	if !ok && helpBehind() {
		channel, why, ok = c.ctl.Trunks.Reserve(p.trunk, live.Want{Emergency: true, Anyway: true})
	}
	if !ok {
		return &decide.Refusal{Own: cause.Full, Why: fmt.Sprintf("%s: %s", p.trunk.Name, why)}
	}
	p.channel = channel
	return nil
}

// choose asks the plan on to a trunk that can be had, or to the end.
func (c *Call) choose() {
	for o, more := c.eval.Next(); more; o, more = c.eval.Next() {
		found, not := c.reach(o)
		if not != nil {
			c.eval.Report(*not)
			c.save()
			continue
		}
		c.choice = found
		c.tell(core.Event{Kind: core.Chosen, Ways: len(found.ways), Timers: o.Timers, Longest: c.longest(o.Trunk)})
		return
	}
	c.save()
	if set := c.eval.Sets(); set != nil && c.machine.State == core.Choosing && c.ctl.Overrides != nil {
		c.choice = choice{own: set}
		c.tell(core.Event{Kind: core.Chosen, Ways: 1, Own: true, Longest: plan.DefaultMaxCallSeconds})
		return
	}
	end, _ := c.eval.Ended()
	said := cause.Said{Q850: end.Cause.Q850, SIP: end.Cause.SIP}
	c.tell(core.Event{Kind: core.Decided, Cause: said})
}

// longest is how long the call may last with a trunk, in seconds: what the stricter of its
// trunks allows.
func (c *Call) longest(with *plan.Trunk) int {
	of := func(t *plan.Trunk) int {
		if t == nil || t.MaxCallSeconds == 0 {
			return plan.DefaultMaxCallSeconds
		}
		return t.MaxCallSeconds
	}
	n := of(with)
	if p := c.at(relay.Caller); p != nil {
		n = min(n, of(p.trunk))
	}
	return n
}

// reach finds how a trunk that is offered can be had: its servers, and a channel of
// it, which must be released; or why it cannot.
func (c *Call) reach(o decide.Offer) (found choice, not *decide.Report) {
	unavailable := func(skip trail.Skip, detail string) *decide.Report {
		return &decide.Report{Kind: trail.ReportUnavailable, Skip: skip, Detail: detail}
	}
	ctl, now := c.ctl, time.Now().In(c.ctl.zone())
	transfer := c.machine.State == core.Redirecting
	if !transfer && !c.straight && !ctl.journeys.attempt(c.rec.Session) {
		return found, &decide.Report{Kind: trail.ReportRefused, Status: 482, Detail: fmt.Sprintf("the call was offered to %d trunks here already", decide.MaxAttempts)}
	}
	if by := c.at(c.place()); transfer && len(c.replaces.Bytes) > 0 && by != nil && o.Trunk.ID != by.trunk.ID {
		return found, unavailable(trail.SkipAbsent, "the call that is to be taken over is with "+by.trunk.Name)
	}
	if past := c.straight && !c.placed; !past {
		if v, out := ctl.Trunks.OutOfService(o.Trunk.ID, now); out {
			return found, unavailable(trail.SkipOff, fmt.Sprintf("it is %s (%s)", v.Word, v.By))
		}
		if why, down := ctl.knownDown(o, now); down && !o.Anyway {
			return found, unavailable(trail.SkipDown, why)
		}
	}
	found = choice{offer: o, carrier: ctl.carrierOf(o.Trunk)}
	if found.carrier == nil {
		return found, unavailable(trail.SkipAbsent, "nothing here speaks "+ctl.Protocol(o.Trunk))
	}
	ways, err := found.carrier.Reach(o.Trunk, o.Called.Number.String())
	if err != nil {
		return found, unavailable(trail.SkipAbsent, err.Error())
	}
	if c.straight && !c.placed {
		ways = ways[:1] // as a call would begin; the trail says which server it is
	}
	channel, why, ok := ctl.Trunks.Reserve(o.Trunk, live.Want{Out: true, Emergency: o.Emergency, Anyway: o.Anyway})
	if !ok {
		return found, unavailable(trail.SkipFull, why)
	}
	ctl.Trunks.Count(o.Trunk.ID, func(n *judge.CallCounts) { n.Out++ })
	found.ways, found.channel = ways, channel
	return found, nil
}

// knownDown says what is known against a trunk: OPTIONS go unanswered, calls were met by
// silence, or it refused to register us.
func (ctl *Control) knownDown(o decide.Offer, now time.Time) (why string, is bool) {
	if why, is = ctl.Trunks.Down(o.Trunk.ID); is {
		return why, true
	}
	if why, is = ctl.Trunks.Held(o.Trunk.ID, now); is && !o.Emergency {
		return why, true
	}
	return ctl.Registrations.Refused(o.Trunk, now)
}

// place is the side that a third leg is to take.
func (c *Call) place() relay.Side {
	if c.machine.Place() == core.Near {
		return relay.Caller
	}
	return relay.Called
}

// dial calls one server of the trunk that was chosen, or has the switch itself answer.
func (c *Call) dial(a core.Dial) {
	transfer := c.machine.State == core.Transferring
	h := &Handle{id: a.Leg}
	h.call.Store(c)
	p := &party{id: a.Leg, handle: h, side: relay.Called}
	if transfer {
		p.side = c.place()
	} else {
		c.sides[p.side] = p.id
	}
	c.parties = append(c.parties, p)
	if a.Own {
		c.closePath()
		c.path = nil
		p.leg = c.newTone(h, a.Media)
		return
	}
	c.send(a, p, c.pathTo(p, transfer), transfer)
}

// pathTo is the media path to a party that is dialled: that of the call, or where the party is to
// come in the place of another, one of its own. A test call has none: the switch itself is on its
// near side.
func (c *Call) pathTo(p *party, transfer bool) *mediaPath {
	if !transfer {
		return c.path
	}
	if c.next != nil {
		c.next.close()
	}
	c.next = c.pathWith(p.side.Other())
	return c.next
}

// send sends the call to the server whose turn it is. Where what the call needs of the switch is
// not there, nothing is sent.
func (c *Call) send(a core.Dial, p *party, with *mediaPath, transfer bool) {
	ch := &c.choice
	o := ch.offer
	ch.way, ch.party, ch.began = ch.ways[a.Way], p, time.Now()
	p.trunk, p.at = o.Trunk, ch.way.Addr()
	description := a.Media.Description()
	if with != nil {
		var skip trail.Skip
		var err error
		with.ends[p.side], with.carries[p.side] = nil, ch.way.CarriesAudio()
		if description, skip, err = with.begin(p.side, o.Trunk, p.at, description); err != nil {
			p.leg = nobody{}
			p.handle.Tell(core.Event{Kind: core.Released, Cause: cause.Said{Text: err.Error()}, Refusal: core.Refusal{Skip: skip}})
			return
		}
	}
	p.recordID = newID() + "@" + c.ctl.hostOf(c.run)
	c.eval.Sent(ch.way.String())
	c.rec.Legs = append(c.rec.Legs, record.Leg{Trunk: o.Trunk.ID, FarEnd: farEnd(o.Trunk), Remote: ch.way.String(), Step: len(c.eval.Trail()) - 1}.Named(c.ctl.Protocol(o.Trunk), p.recordID))
	if p.record = len(c.rec.Legs) - 1; !transfer {
		c.legs[p.side] = p.record
	}
	c.save()
	out := Outgoing{Offer: o, Way: ch.way, Media: readSession(a.Media, description), Hops: c.in.Hops, Confirms: a.Media != nil || c.in.Confirms, Body: a.Body, Leg: p.recordID}
	if transfer {
		out.Confirms = false
	}
	p.by = ch.carrier
	p.leg = ch.carrier.Dial(out, p.handle)
	if with != nil {
		with.endsAt(p.side, p.leg)
	}
}

// nobody is the leg of a call that was never sent.
type nobody struct{}

func (nobody) Do(core.OfLeg) {}

// tried notes what came of one server.
func (c *Call) tried(r decide.Report) {
	ch := &c.choice
	if ch.way == nil || r.Kind == trail.ReportUnavailable {
		return
	}
	now := time.Now()
	ch.way.Note(core.Unserved(r))
	if r.Kind == trail.ReportNoResponse || r.Kind == trail.ReportOnlyTrying {
		c.ctl.Trunks.Silent(ch.offer.Trunk.ID, now)
	}
	c.ctl.Trunks.Offered(ch.offer.Trunk.ID, now, r.Kind == trail.ReportAnswered, now.Sub(ch.began))
}

func (c *Call) nextServer(r decide.Report) {
	c.tried(r)
	c.eval.NextServer(r)
	c.save()
}

// report tells the plan what came of the trunk that was tried.
func (c *Call) report(r decide.Report) {
	c.tried(r)
	if r.Kind == trail.ReportAnswered {
		if c.rec.Answered.IsZero() {
			c.rec.Answered = time.Now()
		}
		if p := c.choice.party; p != nil {
			p.channel, c.choice.channel = c.choice.channel, live.Channel{}
		}
		c.ctl.journeys.answered(c.rec.Session)
	}
	c.choice.channel.Release()
	c.choice = choice{}
	c.eval.Report(r)
	c.save()
}

// redirect begins the decision of where a party transfers the call.
func (c *Call) redirect(a core.Redirect) {
	by := c.parties.of(a.By)
	kept := c.at(by.side.Other())
	c.replaces = a.Body
	now := time.Now()
	c.eval, _ = c.run.Snapshot.Begin(decide.Call{ // the trunk is one of the snapshot
		Trunk: by.trunk.ID, Called: a.To, Numbers: c.ctl.turns, At: now, Overrides: c.ctl.overridesAt(now),
		Transfer: &decide.Transfer{Before: c.rec.Trail, Party: kept.trunk.ID, Caller: c.callerOf(kept.side), By: c.callerOf(by.side).Number.Number},
	})
	c.save()
}

func (ctl *Control) overridesAt(now time.Time) map[string]string {
	if ctl.Overrides == nil {
		return nil
	}
	return ctl.Overrides.At(now)
}

// callerOf is the party of a side, as one who calls.
func (c *Call) callerOf(side relay.Side) (w callerid.Caller) {
	for _, s := range c.rec.Trail {
		switch {
		case s.Received != nil && side == relay.Caller:
			return s.Received.Party()
		case s.Sent != nil && side == relay.Called:
			w = callerid.Caller{Number: s.Sent.Called}.Settled()
		case s.Redirected != nil && s.Redirected.How != trail.HowDiverted:
			return w
		}
	}
	return w
}
