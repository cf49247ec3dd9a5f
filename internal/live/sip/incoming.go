package sip

import (
	"net/netip"
	"strconv"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
)

// onInvite runs on the reading goroutine: the call gets one of its own.
func (a *Agent) onInvite(t *inbound) {
	run := a.Plan.Current()
	if run == nil {
		t.forget()
		return
	}
	if a.findDialog(t.req) != nil {
		a.within(t)
		return
	}
	id, ok := a.identify(t, run)
	if !ok {
		return
	}
	if hasTag(t.req.Get("To")) {
		t.reply(481, "")
		return
	}
	if t.refusesBody(newID()) {
		return
	}
	trunk, _ := run.Snapshot.Trunk(id.Trunk)
	if _, tooSmall := machine.AnswerSession(readSession(t.req), 0); tooSmall {
		t.reply(422, newID(), [2]string{"Min-SE", itoa(machine.MinSession)})
		return
	}
	in := a.incoming(t, trunk, id)
	if in.Overlap {
		if l := a.collects(t); l != nil { // further digits of a number are no further call
			t.reply(100, "")
			l.h.Post(func() { l.further(t, in) })
			return
		}
	}
	if !a.inTime(t, run, trunk) && !a.isForHelp(t, run, trunk) {
		t.reply(503, newID(), [2]string{"Retry-After", "1"})
		return
	}
	if trunk.Services.Replaces && t.req.Has("Replaces") {
		a.takeOver(t, trunk)
		return
	}
	t.reply(100, "")
	a.begin(t, a.Plan.For(run, trunk.ID, in.Call.Caller.Number.Number), in)
}

// defaultHops stands for a missing Max-Forwards (RFC 3261 section 16.6).
const defaultHops = 70

// incoming reads what an INVITE asks.
func (a *Agent) incoming(t *inbound, trunk *plan.Trunk, id compiled.Identity) call.Incoming {
	asked, fault := a.asked(t.req, trunk)
	asked.By, asked.Others = id.By, id.Others
	dialled, _, _ := calledIn(t.req, trunk.Link.SIP.CalledField)
	in := call.Incoming{
		Trunk: trunk, Session: nameIn(t.req), Hops: defaultHops, Dialled: dialled, Overlap: trunk.Overlap.Enabled,
		Confirms: lists(t.req, "Supported", "100rel") || lists(t.req, "Require", "100rel"), Media: session(t.req), From: t.source.Addr(), Remote: t.source.String(), ID: t.req.Get("Call-ID"), By: Carrier{a},
	}
	if hops, err := strconv.Atoi(t.req.Get("Max-Forwards")); err == nil {
		in.Hops = hops
	}
	switch {
	case fault != nil:
		asked.Refusal = &decide.Refusal{Own: cause.Incomplete, Why: fault.Error()}
	case in.Hops < 1:
		asked.Refusal = &decide.Refusal{Own: cause.TooManyHops, Why: "Max-Forwards is used up: the call went in a circle"}
	case t.req.Has("Replaces"):
		asked.Refusal = &decide.Refusal{Own: cause.NotPermitted, Why: trunk.Name + " may not take calls over (Replaces)"}
	}
	in.Call = asked
	return in
}

// identify says by which trunk a request came; without one it was answered, or not,
// as the switch says. A credential that is right beats an address, which a datagram only
// claims.
func (a *Agent) identify(t *inbound, run *live.Running) (id compiled.Identity, ok bool) {
	sw, _ := run.Snapshot.Switch(a.Switch)
	o := a.origin(t)
	var s showing
	if id = run.Snapshot.Identify(a.Switch, o); id.Verdict == compiled.Challenge || t.req.Has("Authorization") {
		s = a.shown(t, run, sw)
		switch {
		case s.right:
			o.Proven = &compiled.Proven{Trunk: s.trunk.ID, User: s.account.User}
			if proven := run.Snapshot.Identify(a.Switch, o); proven.Verdict == compiled.Known || id.Verdict == compiled.Challenge {
				id = proven
			}
		case id.Verdict != compiled.Challenge: // its address is enough
		case s.wrong != "":
			a.failed(t, run, sw, 403, s.wrong, s)
			return id, false
		default:
			a.noteOthers(t, id)
			a.challenge(t, run, sw, s.stale)
			return id, false
		}
	}
	switch id.Verdict {
	case compiled.Known:
		if s.right {
			a.succeeded(t, s)
			a.Trunks.Seen(id.Trunk, t.source.AddrPort, time.Now(), t.req.Method)
		}
		return id, true
	case compiled.Misplaced:
		a.noteOthers(t, id)
		a.keepUnplaced(t, run, id)
		a.failed(t, run, sw, 403, id.By, s)
	case compiled.Tied:
		a.keepUnplaced(t, run, id)
		t.reply(403, newID(), [2]string{"Reason", reasonHeader(cause.Rejected)})
	default:
		a.noteOthers(t, id)
		a.stranger(t, run, sw)
	}
	return id, false
}

// noteOthers keeps a request at the trunks whose it would have been, had it come otherwise.
func (a *Agent) noteOthers(t *inbound, id compiled.Identity) {
	for _, o := range id.Others {
		a.noteStray(o.Trunk.ID, t.source, t.req, o.Why)
	}
}

// keepUnplaced keeps the record of a call that was refused since nothing tells which trunk it
// is of, or since it has the right credential from the wrong place: somebody who may call
// cannot, and the plan, or who has the secret, must be looked at.
func (a *Agent) keepUnplaced(t *inbound, run *live.Running, id compiled.Identity) {
	if t.req.Method != "INVITE" {
		return
	}
	from, _ := wire.ReadAddress(t.req.Get("From")) // verified
	text, _, called := calledIn(t.req, "")
	in := decide.Call{Called: called}
	if called.Empty() {
		in.CalledText = text
	}
	in.Caller = callerOf(from)
	now := time.Now()
	c := record.Call{
		ID: newID(), Session: nameIn(t.req), Switch: a.Switch, Revision: run.Revision, Started: now, Ended: now,
		Legs:  []record.Leg{record.Leg{Remote: t.source.String()}.Named(plan.ProtocolSIP, t.req.Get("Call-ID"))},
		Trail: run.Snapshot.Unplaced(a.Switch, id, in),
	}
	c.Stamps = make([]int64, len(c.Trail))
	a.Recorder.Call(c)
}

// asked reads of an INVITE what the evaluator wants to know. The error says why what was
// called is no number.
func (a *Agent) asked(req *wire.Message, trunk *plan.Trunk) (in decide.Call, err error) {
	in = decide.Call{Trunk: trunk.ID, At: time.Now()}
	in.Overrides = a.Overrides.At(in.At)
	in.Caller = callerIn(req, trunk)
	in.Diversions = diversionsIn(req)
	if numbering.IsServiceURN(req.URI) {
		in.Service, in.CalledText = req.URI, req.URI
		return in, nil
	}
	text, _, called := calledIn(req, trunk.Link.SIP.CalledField)
	if _, err = digits.ParseNumber(text); err != nil {
		in.CalledText = text
	}
	in.Called = called
	return in, err
}

// inTime tells whether a source and its trunk may begin another call in this
// second.
func (a *Agent) inTime(t *inbound, run *live.Running, trunk *plan.Trunk) bool {
	now := time.Now()
	if trunk.CallsPerSecond > 0 && !a.Trunks.InTime(trunk.ID, now, trunk.CallsPerSecond) {
		return false
	}
	if run.Snapshot.Trusts(a.Switch, t.source.sender()) {
		return true // by the trunk's own limit
	}
	sw, _ := run.Snapshot.Switch(a.Switch)
	return a.paced(t.source.Addr(), now, sw.UnknownSources.OrDefault().CallsPerSecond, func(p *pace) *guard.Rate { return &p.calls })
}

// isForHelp tells whether an INVITE is an emergency call, which no pace holds back.
func (a *Agent) isForHelp(t *inbound, run *live.Running, trunk *plan.Trunk) bool {
	in, err := a.asked(t.req, trunk)
	return err == nil && run.Snapshot.IsEmergencyCall(in)
}

// pace is how fast a source goes.
type pace struct{ calls, challenges guard.Rate }

// paced counts one thing that a source does, and is false if it did as many in this
// second as it may.
func (a *Agent) paced(from netip.Addr, now time.Time, most int, which func(*pace) *guard.Rate) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	p, ok := a.paces.Get(from)
	if !ok {
		p = &pace{}
		a.paces.Add(from, p)
	}
	return which(p).Take(now, most)
}
