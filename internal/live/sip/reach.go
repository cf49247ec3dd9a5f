package sip

import (
	"fmt"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live"
)

// reach finds how a trunk that is offered can be had: its servers, and a channel of
// it, which must be released; or why it cannot.
func (a *Agent) reach(o decide.Offer) (ways []way, channel live.Channel, not *decide.Report) {
	unavailable := func(skip trail.Skip, detail string) *decide.Report {
		return &decide.Report{Kind: trail.ReportUnavailable, Skip: skip, Detail: detail}
	}
	trunks, now := a.Trunks, time.Now().In(a.zone())
	if v, out := trunks.OutOfService(o.Trunk.ID, now); out {
		return nil, channel, unavailable(trail.SkipOff, fmt.Sprintf("it is %s (%s)", v.Word, v.By))
	}
	if why, down := a.knownDown(o, now); down && !o.Anyway {
		return nil, channel, unavailable(trail.SkipDown, why)
	}
	ways, err := a.ways(o.Trunk, o.Called.Number.String())
	if err != nil {
		return nil, channel, unavailable(trail.SkipAbsent, err.Error())
	}
	channel, why, ok := trunks.Reserve(o.Trunk, live.Want{Out: true, Emergency: o.Emergency, Anyway: o.Anyway})
	if !ok {
		return nil, channel, unavailable(trail.SkipFull, why)
	}
	trunks.Count(o.Trunk.ID, func(n *judge.CallCounts) { n.Out++ })
	return ways, channel, nil
}

// zone is the zone in which times are told: that of the switch.
func (a *Agent) zone() *time.Location {
	if run := a.Plan.Current(); run != nil {
		if sw, ok := run.Snapshot.Switch(a.Switch); ok {
			return sw.Zone()
		}
	}
	return time.UTC
}

// knownDown says what is known against a trunk: OPTIONS go unanswered, calls were met by
// silence, or it refused to register us.
func (a *Agent) knownDown(o decide.Offer, now time.Time) (why string, is bool) {
	if why, is = a.Trunks.Down(o.Trunk.ID); is {
		return why, true
	}
	if why, is = a.Trunks.Held(o.Trunk.ID, now); is && !o.Emergency {
		return why, true
	}
	return a.Registrations.Refused(o.Trunk, now)
}

// inTurn tries the servers of a far end until one does more than fail to serve; next
// is told of one that does not, and may end it.
func (a *Agent) inTurn(ways []way, try func(way) decide.Report, next func(decide.Report) bool) (r decide.Report) {
	for i, to := range ways {
		r = try(to)
		if r.Kind == trail.ReportUnavailable {
			return r // nothing was sent
		}
		a.noteServer(to, unserved(r))
		if !unserved(r) || i == len(ways)-1 || !next(r) {
			return r
		}
	}
	return r
}
