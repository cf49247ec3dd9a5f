package sip

import (
	"fmt"
	"slices"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// call is one call through the switch. One goroutine owns it from the INVITE
// to its end.
type call struct {
	a        *Agent
	run      *live.Running
	id       decide.Identity
	trunk    *plan.Trunk // by which it came
	out      *plan.Trunk // by which it leaves, or was tried last
	tx       *inbound
	from     wire.Address // of the caller, as received
	channel  live.Channel // of that trunk
	outgoing live.Channel // of the other one, while one is tried or has answered
	number   *oneNumber   // of digits that come one by one; nil if it does not count
	tag      string       // ours, on the caller's side
	hops     int          // Max-Forwards as received
	journey  *journey     // where it was on this switch before

	eval *decide.Evaluation
	rec  record.Call

	caller   *dialog
	callee   *dialog // that progress was heard of last, or that answered
	called   string  // the name of the called end (RFC 7989)
	requests chan asked
	ended    chan goodbye
	faults   chan string
	ticks    chan *dialog  // whose session timer is over
	over     chan struct{} // closed when an answered call ends
	todo     chan func()   // what is to be done on the call's goroutine
	pickUps  chan *pickUp  // who wants to answer in the place of the one that rings
	relays   sync.WaitGroup
	transfer *transfer // nil unless it is being sent on
	progress progress
	sound    atomic.Pointer[sound]
	legs     [2]int // of the record, by side
	finished bool   // it was answered, and is over
	left     bool   // the caller said BYE before the answer
	deaf     bool   // the caller does not acknowledge what it is told
}

// defaultHops stands for a missing Max-Forwards (RFC 3261 section 16.6).
const defaultHops = 70

func (a *Agent) newCall(run *live.Running, trunk *plan.Trunk, t *inbound) *call {
	c := &call{
		a: a, run: run, trunk: trunk, tx: t, tag: newID(), hops: defaultHops, called: newName(),
		requests: make(chan asked, 8), ended: make(chan goodbye, MaxForks+2), faults: make(chan string, 1), ticks: make(chan *dialog, 4), over: make(chan struct{}), todo: make(chan func()), pickUps: make(chan *pickUp),
	}
	c.from, _ = wire.ReadAddress(t.req.Get("From")) // verified
	c.caller = c.callerDialog(t, trunk, c.tag)
	if c.rec.Session = nameIn(t.req); c.rec.Session == "" {
		c.rec.Session = newName()
	}
	c.caller.rename(identity{c.called, c.rec.Session})
	c.sound.Store(newSound(a, run, relay.Caller, trunk, t.source.Addr()))
	return c
}

// carry takes the call from its INVITE to its end.
func (c *call) carry() {
	defer c.a.forgetDialog(c.caller)
	c.rec = record.Call{ID: newID(), Session: c.rec.Session, Switch: c.a.Switch, Revision: c.run.Revision, Started: time.Now()}
	if c.trunk.Digits.OneByOne {
		if !c.counts() {
			c.tx.reply(484, c.tag)
			return
		}
		defer c.leave()
	}
	in := c.receive()
	defer func() { c.a.journeys.over(c.journey) }()
	defer func() { c.channel.Release() }() // that which it has by then
	defer c.endSound()
	if !c.collect(&in) {
		return
	}
	c.eval, _ = c.run.Snapshot.Begin(in) // the trunk was just identified in this snapshot
	c.rec.Legs = append(c.rec.Legs, record.Leg{
		Trunk: c.trunk.ID, FarEnd: c.farEnd(c.trunk), CallID: c.tx.req.Get("Call-ID"), Remote: c.tx.source.String(), Media: record.ReadMedia(c.tx.req.Body),
	})
	c.save()
	c.a.Trunks.CameIn(c.trunk.ID, time.Now())
	if n, ok := c.run.Snapshot.PublicNumber(c.trunk.ID, in.Called); ok {
		c.a.Arrivals.Note(n, c.trunk.ID, c.rec.Started)
	}
	if c.isGone() { // while its digits were waited for
		c.eval.Abandon()
	}
	for o, more := c.eval.Next(); more; o, more = c.eval.Next() {
		if answered := c.offer(o); answered {
			return
		}
	}
	if sets := c.eval.Sets(); sets != nil && !c.isGone() {
		c.setHours(*sets)
		return
	}
	c.refuse()
}

func (c *call) farEnd(t *plan.Trunk) string {
	if t.FarEnd != "" {
		return t.FarEnd
	}
	return t.Peer
}

// receive reads what the evaluator wants to know, and takes a channel.
func (c *call) receive() decide.Call {
	in, fault := c.a.asked(c.tx.req, c.trunk)
	in.Numbers, in.Trial, in.By, in.Others = c.a.turns, c.run.Trial, c.id.By, c.id.Others
	if hops, err := strconv.Atoi(c.tx.req.Get("Max-Forwards")); err == nil {
		c.hops = hops
	}
	switch {
	case fault != nil:
		in.Refusal = &decide.Refusal{Own: cause.Incomplete, Why: fault.Error()}
	case !c.firstTime(in):
		in.Refusal = &decide.Refusal{Own: cause.Loop, Why: decide.BeenHere("this switch")}
	case c.hops < 1:
		in.Refusal = &decide.Refusal{Own: cause.TooManyHops, Why: "Max-Forwards is used up: the call went in a circle"}
	case c.tx.req.Has("Replaces"):
		in.Refusal = &decide.Refusal{Own: cause.NotPermitted, Why: c.trunk.Name + " may not take calls over (Replaces)"}
	default:
		in.Refusal = c.admit(in)
	}
	return in
}

// asked reads of an INVITE what the evaluator wants to know. The error says why what was
// called is no number.
func (a *Agent) asked(req *wire.Message, trunk *plan.Trunk) (in decide.Call, err error) {
	in = decide.Call{Trunk: trunk.ID, At: time.Now()}
	in.Overrides = a.Overrides.At(in.At)
	from, _ := wire.ReadAddress(req.Get("From")) // verified
	caller, _ := telephone(from.URI)
	in.Caller, in.CallerText = decide.ParseCaller(caller)
	in.Diversions = diversionsIn(req)
	if numbering.IsServiceURN(req.URI) {
		in.Service, in.CalledText = req.URI, req.URI
		return in, nil
	}
	text, _, called := calledIn(req, trunk.SIP.CalledField)
	if _, err = digits.ParseNumber(text); err != nil {
		in.CalledText = text
	}
	in.Called = called
	return in, err
}

// admit takes a channel of the trunk by which the call came, unless it is out of
// service or full.
//
// An emergency call is taken in any case. It may be one behind a prefix, which only the plan
// knows; that is asked where the call would be refused otherwise.
func (c *call) admit(in decide.Call) *decide.Refusal {
	snap := c.run.Snapshot
	help := in.Service != "" || snap.IsEmergencyNumber(c.trunk.ID, in.Called)
	helpBehind := func() bool { return help || snap.IsEmergencyCall(in) }
	if v, out := c.a.Trunks.OutOfService(c.trunk.ID, in.At); out && !helpBehind() {
		return &decide.Refusal{Own: cause.AllDown, Why: fmt.Sprintf("%s is %s and takes no new call", c.trunk.Name, v.Word)}
	}
	channel, why, ok := c.a.Trunks.Reserve(c.trunk, live.Want{Emergency: help, Anyway: help})
	if !ok && helpBehind() {
		channel, why, ok = c.a.Trunks.Reserve(c.trunk, live.Want{Emergency: true, Anyway: true})
	}
	if !ok {
		return &decide.Refusal{Own: cause.Full, Why: fmt.Sprintf("%s: %s", c.trunk.Name, why)}
	}
	c.channel = channel
	return nil
}

// offer tries one trunk. It returns when the attempt is over: with true when
// the whole call is.
func (c *call) offer(o decide.Offer) (over bool) {
	if !c.a.journeys.attempt(c.rec.Session) {
		c.report(decide.Report{Kind: trail.ReportRefused, Status: 482, Detail: fmt.Sprintf("the call was offered to %d trunks here already", decide.MaxAttempts)})
		return false
	}
	ways, channel, not := c.a.reach(o)
	if not != nil {
		c.report(*not)
		return false
	}
	c.outgoing = channel
	defer func() {
		c.outgoing.Release()
		c.outgoing = live.Channel{}
	}()
	var t *attempt
	r := c.a.inTurn(ways, func(to way) (r decide.Report) {
		t, r = c.send(o, to)
		return r
	}, func(r decide.Report) bool {
		if !c.isGone() {
			c.eval.NextServer(r)
		}
		return !c.isGone()
	})
	c.report(r)
	if r.Kind != trail.ReportAnswered {
		return false
	}
	c.bridge(t)
	return true
}

// send sends the call to one server of a trunk, and says what came of it; without
// an attempt nothing was sent.
func (c *call) send(o decide.Offer, to way) (*attempt, decide.Report) {
	trunks := c.a.Trunks
	description, skip, err := c.sound.Load().begin(relay.Called, o.Trunk, to.hop.Addr(), c.tx.req.Body)
	if err != nil {
		return nil, decide.Report{Kind: trail.ReportUnavailable, Skip: skip, Detail: err.Error()}
	}
	began := time.Now()
	c.out, c.callee = o.Trunk, nil
	t := &attempt{c: c, a: c.a, trunk: o.Trunk, to: to, invite: c.buildInvite(o, to, description), session: sessionWanted(o.Trunk.SIP), early: map[string]*dialog{}}
	c.eval.Sent(to.String())
	c.rec.Legs = append(c.rec.Legs, record.Leg{
		Trunk: o.Trunk.ID, FarEnd: c.farEnd(o.Trunk), CallID: t.invite.Get("Call-ID"),
		Remote: to.String(), Step: len(c.eval.Trail()) - 1,
	})
	c.legs[relay.Called] = len(c.rec.Legs) - 1
	c.save()
	r := c.try(o, t)
	if r.Kind == trail.ReportNoResponse || r.Kind == trail.ReportOnlyTrying {
		trunks.Silent(o.Trunk.ID, time.Now())
	}
	if r.Kind == trail.ReportAnswered && !c.settled() {
		t.hangUp(t.answer)
		r.Kind = trail.ReportAbandoned
	}
	trunks.Offered(o.Trunk.ID, time.Now(), r.Kind == trail.ReportAnswered, time.Since(began))
	if r.Kind == trail.ReportAnswered {
		c.rec.Answered = time.Now()
		c.a.journeys.answered(c.rec.Session)
	}
	return t, r
}

// settled waits until the caller has acknowledged a description that it was given
// before the answer: the answer must not overtake it (RFC 3262 section 3). It is
// false if the caller is gone meanwhile.
func (c *call) settled() bool {
	for {
		w := c.progress.waiting
		if w == nil || len(w.res.Body) == 0 {
			return !c.isGone()
		}
		select {
		case q := <-c.requests:
			c.onAsked(q)
		case g := <-c.ended:
			c.left = c.left || g.d == c.caller
		case <-c.progress.due():
			c.deaf = c.unheard()
		case <-c.tx.gone:
		case <-c.a.ctx.Done():
			return false
		}
		if c.isGone() || c.deaf {
			return false
		}
	}
}

func (c *call) isGone() bool {
	if c.left {
		return true
	}
	select {
	case <-c.tx.gone:
		return true
	default:
		return false
	}
}

func (c *call) report(r decide.Report) {
	c.eval.Report(r)
	c.save()
}

// save stamps the trail's new steps and hands the record on.
func (c *call) save() {
	c.rec.Trail = c.eval.Trail()
	now := time.Since(c.rec.Started).Milliseconds()
	for len(c.rec.Stamps) < len(c.rec.Trail) {
		c.rec.Stamps = append(c.rec.Stamps, now)
	}
	if _, ended := c.eval.Ended(); ended && c.rec.Answered.IsZero() && c.rec.Ended.IsZero() {
		c.rec.Ended = time.Now()
	}
	c.a.Recorder.Call(c.rec)
}

// lastLeg is the leg of the attempt that is being made. Records that were handed
// on share the older legs, so it is made anew before it is changed.
func (c *call) lastLeg() *record.Leg {
	c.rec.Legs = slices.Clone(c.rec.Legs)
	return &c.rec.Legs[len(c.rec.Legs)-1]
}

// rang notes the first ringing or early media of an attempt.
func (c *call) rang(res *wire.Message) {
	leg := c.lastLeg()
	media := record.ReadMedia(res.Body)
	if leg.Rang && media == nil {
		return
	}
	leg.Rang = true
	if media != nil {
		leg.Media = media
	}
	c.save()
}

// refuse gives the caller the end that the evaluator decided; one who cancelled
// gets 487 (RFC 3261 section 9.2).
func (c *call) refuse() {
	end, _ := c.eval.Ended()
	c.endSound()
	c.save()
	status := end.Cause.SIP
	switch {
	case c.isGone():
		status = 487
	case c.deaf:
		status = 504
	case end.Outcome == trail.Abandoned: // the switch is stopping
		end.Cause = cause.AllDown.Code()
		status = end.Cause.SIP
	}
	c.tx.reply(status, c.tag, [2]string{"Reason", reasonHeader(end.Cause.Q850)}, [2]string{"Session-ID", c.caller.names().String()})
}

// release closes the record of an answered call.
func (c *call) release(how string) {
	c.endSound()
	c.rec.Ended = time.Now()
	c.rec.Release = how
	c.save()
}
