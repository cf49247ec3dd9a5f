package call

import (
	"slices"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/record"
)

// save stamps the trail's new steps and hands the record on.
func (c *Call) save() {
	c.rec.Trail = c.eval.Trail()
	now := time.Since(c.rec.Started).Milliseconds()
	for len(c.rec.Stamps) < len(c.rec.Trail) {
		c.rec.Stamps = append(c.rec.Stamps, now)
	}
	if _, ended := c.eval.Ended(); ended && c.rec.Answered.IsZero() && c.rec.Ended.IsZero() {
		c.rec.Ended = time.Now()
	}
	c.ctl.Recorder.Call(c.rec)
}

// heardOf notes on a party's leg that it rang, and what it says of its media.
func (c *Call) heardOf(p *party, e *core.Event) {
	if p.trunk == nil || p.record == 0 || e.Ask != 0 {
		return
	}
	leg := c.rec.Legs[p.record]
	said := record.ReadMedia(e.Media.Description())
	if e.Kind != core.Answered && leg.Rang && said == nil {
		return
	}
	if e.Kind != core.Answered {
		if leg.Rang = true; leg.RangMs == 0 {
			leg.RangMs = max(1, time.Since(c.rec.Started).Milliseconds())
		}
	}
	if said != nil || e.Kind == core.Answered {
		leg.Media = said
	}
	c.rec.Legs = slices.Clone(c.rec.Legs) // records that were handed on share the older ones
	c.rec.Legs[p.record] = leg
	if e.Kind != core.Answered {
		c.save()
	}
}

// heardBy notes on the last leg what the switch itself has heard of it, in a test call.
func (c *Call) heardBy(near *listener) {
	last := len(c.rec.Legs) - 1
	if c.rec.Legs[last].Media == nil {
		return
	}
	heard := *c.rec.Legs[last].Media
	heard.Heard = &record.Reception{Packets: near.ear.packets.Load()}
	c.rec.Legs = slices.Clone(c.rec.Legs)
	c.rec.Legs[last].Media = &heard
}
