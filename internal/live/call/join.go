package call

import (
	"net/netip"
	"slices"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// A party that comes in the place of another, and two calls that become one.

// Replacing is a call that came in to take the place of a leg.
type Replacing struct {
	Trunk  *plan.Trunk
	Who    string // the caller's number, as it was said
	Media  *media.Session
	From   netip.Addr
	Remote string
	ID     string // names the leg in the record
	Leg    Leg
	By     Carrier // carries the leg
}

// Replace has a call take the place of the leg of a handle. begin tells the call of it, when the
// leg has its handle.
func (h *Handle) Replace(r Replacing) (fresh *Handle, begin func()) {
	fresh = &Handle{}
	fresh.call.Store(h.call.Load())
	return fresh, func() {
		h.Post(func() {
			c := h.call.Load()
			fresh.call.Store(c)
			fresh.id = c.machine.NewLeg()
			side := relay.Called
			if old := c.parties.of(h.id); old != nil {
				side = old.side
			}
			c.parties = append(c.parties, &party{id: fresh.id, leg: r.Leg, by: r.By, handle: fresh, trunk: r.Trunk, at: r.From, side: side, who: r.Who, remote: r.Remote, recordID: r.ID, description: r.Media})
			c.tell(core.Event{Kind: core.ReplaceAsked, Leg: h.id, New: fresh.id, Media: r.Media})
		})
	}
}

// prepareReplace looks whether who wants to come can be connected with who stays.
func (c *Call) prepareReplace(e *core.Event) {
	fresh, old := c.parties.of(e.New), c.parties.of(e.Leg)
	body := e.Media.Description()
	if c.isHouse() {
		e.Unfit = "the switch itself is in that call"
		return
	}
	switch c.machine.State {
	case core.Ringing:
		if err := c.path.fits(old.side, fresh.trunk, body, false); err != nil {
			e.Unfit = err.Error()
		}
	case core.Connected:
		if c.machine.RoleOf(e.Leg) != core.Near && c.machine.RoleOf(e.Leg) != core.Far || c.at(old.side.Other()) == nil {
			e.Unfit = "that call has no other party"
			return
		}
		if c.next != nil {
			return // another one is about to come
		}
		next := c.pathWith(old.side.Other())
		next.endsAt(old.side, fresh.leg)
		if _, _, err := next.begin(old.side, fresh.trunk, fresh.at, nil); err != nil {
			e.Unfit = err.Error()
			return
		}
		if err := next.fits(old.side, fresh.trunk, body, false); err != nil {
			e.Unfit = err.Error()
			return
		}
		c.next = next
	}
}

// replace puts a leg in the place of another: with its trunk, its channel, the media path
// between both sides from now on, and its leg in the record.
func (c *Call) replace(a core.Replace) {
	fresh := c.parties.of(a.Leg)
	old := c.at(fresh.side)
	switch a.How {
	case core.PickedUp:
		c.noteReplaced(fresh, trail.HowPickedUp)
		if c.path != nil {
			c.path.ends[fresh.side] = nil
			_, _, _ = c.path.begin(fresh.side, fresh.trunk, fresh.at, c.in.Media.Description()) // it was seen to fit
			c.path.endsAt(fresh.side, fresh.leg)
		}
	case core.TookOver:
		c.noteReplaced(fresh, trail.HowTakenOver)
		c.swap()
	case core.Transferred:
		c.swap()
	case core.JoinedWith:
		c.swap()
	}
	if a.How == core.PickedUp || a.How == core.TookOver {
		if old != nil { // the one call in place of the other keeps its channel
			fresh.channel, old.channel = old.channel, live.Channel{}
		}
		c.ctl.Trunks.CameIn(fresh.trunk.ID, time.Now())
	}
	c.sides[fresh.side] = fresh.id
	c.legs[fresh.side] = fresh.record
	if fresh.side == relay.Called && fresh.name != "" {
		c.called = fresh.name
	}
	c.replaces, c.fetch = core.Body{}, nil
	c.save()
}

// swap has the media go between the party that stays and the one that has come.
func (c *Call) swap() {
	c.closePath()
	c.path, c.next = c.next, nil
}

// noteReplaced keeps in the record who has come in another's place, as a leg.
func (c *Call) noteReplaced(fresh *party, how string) {
	kept := c.at(fresh.side.Other())
	c.eval, _ = c.run.Snapshot.Join(c.rec.Trail, how, fresh.trunk.ID, kept.trunk.ID, fresh.trunk.ID, fresh.who)
	c.rec.Legs = append(c.rec.Legs, record.Leg{
		Trunk: fresh.trunk.ID, FarEnd: farEnd(fresh.trunk), Remote: fresh.remote, Step: len(c.eval.Trail()) - 1, Media: record.ReadMedia(fresh.description.Description()),
	}.Named(c.ctl.Protocol(fresh.trunk), fresh.recordID))
	fresh.record = len(c.rec.Legs) - 1
}

// fetchParty asks another call for the party that talks with a leg of it: first who that is, so
// that the plan can say whether the two may be connected.
func (c *Call) fetchParty() {
	other := c.fetch
	of := other.call.Load()
	by := c.at(c.place())
	kept := c.at(c.place().Other())
	no := func(status int) {
		c.happened(core.Event{Kind: core.NotJoined, Cause: cause.Said{Q850: cause.FromSIP(status), SIP: status}})
	}
	if of == c {
		no(481)
		return
	}
	other.Post(func() {
		of := other.call.Load()
		mine := of.parties.of(other.id)
		if of == c || mine == nil || mine.trunk == nil || mine.trunk.ID != by.trunk.ID || of.machine.State != core.Connected {
			no(481)
			return
		}
		theirs := of.at(mine.side.Other())
		if theirs == nil || theirs.trunk == nil {
			no(481)
			return
		}
		id, trunk := of.rec.ID, theirs.trunk.ID
		c.owner.post(func() {
			if c.machine.State != core.Fetching {
				return
			}
			var may bool
			c.eval, may = c.run.Snapshot.Join(c.rec.Trail, trail.HowJoined, by.trunk.ID, kept.trunk.ID, trunk, "call "+id)
			c.save()
			if !may {
				end, _ := c.eval.Ended()
				c.tell(core.Event{Kind: core.NotJoined, Cause: cause.Said{Q850: end.Cause.Q850, SIP: end.Cause.SIP}})
				return
			}
			other.Post(func() {
				of := other.call.Load()
				of.wantedBy = c
				of.tell(core.Event{Kind: core.JoinAsked, Leg: other.id, Call: c.rec.ID})
			})
		})
	})
}

// give hands a party over to the call that has asked for it.
func (c *Call) give(a core.Give) {
	to, p := c.wantedBy, c.parties.of(a.Leg)
	c.parties = slices.DeleteFunc(c.parties, func(p *party) bool { return p.id == a.Leg })
	leg := c.rec.Legs[p.record]
	leg.Step = 0
	c.wantedBy = nil
	c.owner.handOver(p.handle, to, func() {
		side := to.place()
		p.id, p.side = to.machine.NewLeg(), side
		p.handle.id = p.id
		to.rec.Legs = append(to.rec.Legs, leg)
		p.record = len(to.rec.Legs) - 1
		to.parties = append(to.parties, p)
		var err error
		if to.machine.State == core.Fetching {
			to.next = to.pathWith(side.Other())
			to.next.endsAt(side, p.leg)
			_, _, err = to.next.begin(side, p.trunk, p.at, nil)
		}
		e := core.Event{Kind: core.Joined, New: p.id, Media: p.description}
		if err != nil {
			e.Unfit = err.Error()
		}
		to.tell(e)
	})
}

// keepParty tells who has asked for a party that it does not get it.
func (c *Call) keepParty() {
	if to := c.wantedBy; to != nil {
		c.wantedBy = nil
		to.happened(core.Event{Kind: core.NotJoined, Cause: cause.Said{Q850: cause.TemporaryFailure, SIP: 481}})
	}
}
