package call

import (
	"math/rand/v2"
	"net/netip"
	"slices"
	"strings"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// Call is one call as it runs. All of it but owner is touched in the order of its events alone.
type Call struct {
	owner owner
	ctl   *Control
	run   *live.Running

	machine core.Call
	events  []core.Event // that wait to be taken
	taking  bool
	ended   bool
	parties parties
	sides   [2]core.LegID // who is where
	timers  [core.Timers]*time.Timer
	ownAsks []core.AskID // what the switch itself has asked, last

	in        Incoming
	collected string // how the digits came, where they came bit by bit
	journey   *journey
	eval      *decide.Evaluation
	straight  bool   // a test call, which was begun already
	placed    bool   // a test call by the plan
	over      func() // called behind its end; nil for nothing
	choice    choice
	replaces  core.Body // of the transfer that is under way
	fetch     *Handle   // of another call, whose party is asked for
	wantedBy  *Call     // who asks for a party of this one

	rec    record.Call
	legs   [2]int // of the record, by side
	called string // the name of the called end (RFC 7989)

	path *mediaPath // between both sides; nil where the switch itself is one of them
	next *mediaPath // between the party that stays and the one that is to come; nil for none
}

// party is a leg, with what the switch knows of it.
type party struct {
	id      core.LegID
	leg     Leg
	by      Carrier // of the leg; nil for the switch itself
	handle  *Handle
	trunk   *plan.Trunk // nil for the switch itself
	at      netip.Addr  // of its signalling
	side    relay.Side
	name    string
	channel live.Channel
	record  int // its place in the record
	// who and remote are of one that comes in another's place.
	who, remote, recordID string
	description           *media.Session
}

// at is who is on a side; nil for nobody.
func (c *Call) at(s relay.Side) *party { return c.parties.of(c.sides[s]) }

// parties are few.
type parties []*party

// of is the party of a leg; nil for none.
func (list parties) of(id core.LegID) *party {
	for _, p := range list {
		if p.id == id {
			return p
		}
	}
	return nil
}

// Receive takes a call that came in by a trunk. The handle is the leg's; the call begins with
// Handle.Begin, when the leg has it.
func (ctl *Control) Receive(run *live.Running, in Incoming) *Handle {
	c := ctl.newCall(run)
	c.in = in
	if c.rec.Session = in.Session; c.rec.Session == "" {
		c.rec.Session = newName()
	}
	h := &Handle{id: core.Call{}.NewLeg()}
	h.call.Store(c)
	c.enter(&party{id: h.id, leg: in.Leg, by: in.By, handle: h, trunk: in.Trunk, at: in.From, side: relay.Caller})
	c.path = newPath(ctl, run, relay.Caller, in.Trunk, in.From)
	c.path.endsAt(relay.Caller, in.Leg)
	return h
}

// Begin begins the call of a handle that Receive gave. A switch that stops takes none: it is
// false, and nothing was said to the leg.
func (h *Handle) Begin() bool {
	c := h.call.Load()
	if !c.ctl.open(c) {
		return false
	}
	c.happened(core.Event{Kind: core.Offered, New: h.id, Media: c.in.Media, Overlap: c.in.Overlap})
	return true
}

func (c *Call) enter(p *party) {
	c.parties = append(c.parties, p)
	c.sides[p.side] = p.id
}

// isOn tells whether a leg of the call is on a carrier.
func (c *Call) isOn(carrier Carrier) bool {
	return slices.ContainsFunc(c.parties, func(p *party) bool { return p.by == carrier })
}

// happened is something that comes from elsewhere than a leg.
func (c *Call) happened(e core.Event) {
	c.owner.post(func() { c.tell(e) })
}

// tell queues an event, and takes what is queued unless that is being done.
func (c *Call) tell(e core.Event) {
	c.events = append(c.events, e)
	if c.taking {
		return
	}
	c.taking = true
	for len(c.events) > 0 {
		next := c.events[0]
		c.events = c.events[1:]
		c.take(next)
	}
	c.taking = false
}

// take gives the machine an event, and carries out what it says.
func (c *Call) take(e core.Event) {
	if c.isHouse() && e.Kind == core.TransferAsked { // the switch itself is not sent elsewhere
		c.do(core.RefuseTransfer{Leg: e.Leg})
		return
	}
	c.prepare(&e)
	var actions []core.Action
	c.machine, actions = c.machine.On(e)
	for _, a := range actions {
		c.do(a)
	}
	if e.Kind == core.Released {
		c.lose(e.Leg)
	}
	if c.next != nil && !c.seeksThird() {
		c.next.close()
		c.next = nil
	}
	if c.ended && len(c.events) == 0 {
		c.finish()
	}
}

// isHouse tells whether the switch itself is one of the parties.
func (c *Call) isHouse() bool {
	return slices.ContainsFunc(c.parties, func(p *party) bool { return p.trunk == nil })
}

// seeksThird tells whether a third leg is to come in the place of a party.
func (c *Call) seeksThird() bool {
	switch c.machine.State {
	case core.Transferring, core.TakingOver, core.Joining:
		return true
	}
	return false
}

// do carries one action out.
func (c *Call) do(a core.Action) {
	switch a := a.(type) {
	case core.Dial:
		c.dial(a)
	case core.Release:
		c.release(a)
	case core.OfLeg:
		if p := c.parties.of(a.On()); p != nil {
			p.leg.Do(c.described(p, a))
		}
	case core.Start:
		c.start(a)
	case core.Stop:
		c.stop(a.Timer)
	case core.Collect:
		c.collect()
	case core.Begin:
		c.begin(a.Timeout)
	case core.Next:
		c.choose()
	case core.NextServer:
		c.nextServer(a.Report)
	case core.Report:
		c.report(a.Report)
	case core.Abandon:
		c.eval.Abandon()
		c.save()
	case core.Redirect:
		c.redirect(a)
	case core.Forget:
		c.choice.channel.Release()
		c.choice = choice{}
	case core.Replace:
		c.replace(a)
	case core.Fetch:
		c.fetchParty()
	case core.Give:
		c.give(a)
	case core.KeepParty:
		c.keepParty()
	case core.End:
		c.end(a.How)
	}
}

// release ends a leg. Its channel is free before the far end is told, which may use it at once.
func (c *Call) release(a core.Release) {
	if p := c.parties.of(a.Leg); p != nil {
		p.free()
		p.leg.Do(a)
		c.lose(a.Leg)
	}
}

// free gives the channel of a party back.
func (p *party) free() {
	p.channel.Release()
	p.channel = live.Channel{}
}

// lose forgets a leg, and gives its channel back. Its media are counted when the call is over.
func (c *Call) lose(id core.LegID) {
	if p := c.parties.of(id); p != nil {
		p.free()
		c.parties = slices.DeleteFunc(c.parties, func(p *party) bool { return p.id == id })
	}
}

func (c *Call) start(a core.Start) {
	c.stop(a.Timer)
	wait := millis(a.Millis)
	if a.Timer == core.LongestTimer {
		wait = time.Duration(a.Millis) * c.ctl.Second / 1000
	}
	if a.Spread > 0 {
		wait += rand.N(millis(a.Spread))
	}
	kind := core.DigitTimeout + core.Kind(a.Timer)
	c.timers[a.Timer] = time.AfterFunc(wait, func() { c.happened(core.Event{Kind: kind, Start: a.Start}) })
}

func (c *Call) stop(t core.Timer) {
	if timer := c.timers[t]; timer != nil {
		timer.Stop()
		c.timers[t] = nil
	}
}

// sideOf is the side of a call that ended it. A carrier adds its own words behind how a call ends.
func sideOf(how core.How) record.Side {
	for side, ways := range map[record.Side][]core.How{
		record.SideCalling: {core.CallerHungUp},
		record.SideCalled:  {core.CalledHungUp},
		record.SideOther:   {core.TransferHungUp, core.PickUpHungUp, core.TakeOverHungUp, core.ReplacedIsGone},
	} {
		for _, way := range ways {
			if strings.HasPrefix(string(how), string(way)) {
				return side
			}
		}
	}
	return record.SideSwitch
}

// end closes the record of a call, once its legs are released.
func (c *Call) end(how core.How) {
	c.ended = true
	c.closePath()
	if !c.rec.Answered.IsZero() {
		c.rec.Ended = time.Now()
		c.rec.Release, c.rec.ReleasedBy = string(how), sideOf(how)
		if c.in.Leg != nil {
			if near, is := c.in.Leg.(*listener); is {
				c.rec.Release += near.told()
				c.heardBy(near)
			}
		}
	}
	c.save()
	c.ctl.Recorder.Over(c.rec)
}

// finish gives back what the call still holds, once nothing more can come of its end.
func (c *Call) finish() {
	c.ended = false
	for _, p := range slices.Clone(c.parties) {
		c.lose(p.id)
	}
	c.choice.channel.Release()
	c.ctl.journeys.over(c.journey)
	c.journey = nil
	if c.over != nil {
		c.over()
	}
	c.ctl.closed(c)
}
