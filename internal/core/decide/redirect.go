package decide

import (
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/trail"
)

// Calls that somebody else sends on than the one who placed them: diverted before
// they are answered, or transferred after. Such a call is decided by the table that
// the trunk of that one names, and with what that trunk may do; it brings two
// outside parties together only where the plan says so.

// MaxDiversions is how often one call may be diverted (common practice: 5, as in
// ISUP); more go round in a circle.
const MaxDiversions = 5

// Diversion is one diversion of a call before it came here.
type Diversion struct {
	Number digits.Number // of who sent it on; empty if that was no number
	Reason string        // as RFC 5806 names it
	Hidden bool          // the number is not to be shown
}

// Transfer says of a call that it continues another one, which the trunk of the
// Call sent on.
type Transfer struct {
	Before []trail.Step // the trail so far
	Party  string       // the trunk of the party that stays
	// Caller is that party, in place of the Call's.
	Caller callerid.Caller
	// By is the number of who transferred the call and answers for it; empty if it is
	// not known.
	By digits.Number
}

// sentOn is who sent a call on, last; by is nil if nobody did.
type sentOn struct {
	by      *compiled.Trunk
	outside bool // the party that stays is
	planned bool // the plan itself names where it goes
}

// answersFor is the number of who answers for a call: the one who sent it on last,
// else its caller.
func answersFor(c *Call, t *compiled.Trunk) digits.Number {
	switch {
	case c.Transfer != nil:
		return c.Transfer.By
	case len(c.Diversions) > 0 && t.Services.Forwarding:
		return c.Diversions[0].Number
	}
	return c.Caller.Number.Number
}

// takeDiversions believes what the trunk says of diversions before the call came.
func (e *Evaluation) takeDiversions(list []Diversion) {
	for _, d := range list {
		e.diverted = append(e.diverted, trail.Diverted{Number: numbering.As(d.Number, e.source.In.CallerFormat), Reason: d.Reason, Hidden: d.Hidden})
	}
	e.sentOn = sentOn{by: e.source, outside: e.source.Outside || !e.snap.IsExtension(e.caller.Number)}
}

// beginTransfer begins where another call was transferred to.
func (e *Evaluation) beginTransfer(t *Transfer) {
	e.party = t.Caller.Settled()
	e.caller = e.party.Number
	e.trail = slices.Clone(t.Before)
	party := e.snap.Trunks[t.Party]
	e.sentOn = sentOn{by: e.source, outside: party != nil && party.Outside}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRedirected, Redirected: &trail.Redirected{How: trail.HowTransferred, By: e.source.Ref, To: e.called, Outside: e.sentOn.outside}})
	}
}

// mayDivert tells whether what a far end answered sends the call on.
func (e *Evaluation) mayDivert(t *compiled.Trunk, r *Report) bool {
	return r.Kind == trail.ReportRefused && r.Status >= 300 && r.Status < 400 && !r.To.Empty() && t.Services.Forwarding && t.SentOn != nil && !e.straight
}

// divert sends the call on to where the far end of a trunk wants it.
func (e *Evaluation) divert(t *compiled.Trunk, r *Report) {
	reason := r.DivertReason
	if reason == "" {
		reason = "unconditional"
	}
	e.sendOn(t, r.To, reason)
}

// sendOn sends the call on from who was called at a trunk.
func (e *Evaluation) sendOn(t *compiled.Trunk, to digits.Number, reason string) {
	diversion := trail.Diverted{Number: e.called, Reason: reason, Hidden: false}
	if e.sentOn.by == nil {
		e.sentOn.outside = e.source.Outside
	}
	e.diverted = slices.Insert(e.diverted, 0, diversion)
	e.source, e.sentOn.by = t, t
	e.group = e.snap.Group(t.ID, e.called.Number)
	e.called = numbering.As(to, orAsDialled(t.In.CalledFormat))
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRedirected, Redirected: &trail.Redirected{
			How: trail.HowDiverted, By: t.Ref, From: diversion.Number, To: e.called, Reason: diversion.Reason, Outside: e.sentOn.outside,
		}})
	}
	e.hunt = hunt{skips: e.hunt.skips[:0]}
	if len(e.diverted) > MaxDiversions {
		e.refuse(cause.Loop, tooOften)
		return
	}
	e.route(t.SentOn)
}

func tooOften() string { return fmt.Sprintf("forwarded more than %d times", MaxDiversions) }

// joinsOutside tells whether offering a trunk would bring two outside parties
// together for somebody who may not do that.
func (e *Evaluation) joinsOutside(t *compiled.Trunk) bool {
	return e.sentOn.by != nil && e.sentOn.outside && !e.sentOn.planned && t.Outside && !e.sentOn.by.Services.TrunkToTrunk
}

// redirecting is what the far end of a trunk is told of the diversions so far, in the form
// that it takes callers in; a number that it takes in no form is left out.
func (e *Evaluation) redirecting(t *compiled.Trunk) (list []trail.Diverted) {
	if t.Services.Redirecting == "" {
		return nil
	}
	for _, d := range e.diverted {
		if !d.Number.Number.Empty() && !e.meet("redirecting", &d.Number, t, &t.Out.Caller).broken {
			list = append(list, d)
		}
	}
	return list
}

// Join is the decision, which is over at once, of a call that a trunk's far end
// connects with another one of its calls: with the party of a trunk, named in words.
// before is the trail so far. It may not where both parties are outside, unless the
// plan says so.
func (s *Snapshot) Join(before []trail.Step, how, by, party, other, with string) (e *Evaluation, ok bool) {
	t, p, o := s.Trunks[by], s.Trunks[party], s.Trunks[other]
	if t == nil || p == nil || o == nil {
		return &Evaluation{trail: before, ended: true}, false
	}
	e = &Evaluation{snap: s, sw: t.On, told: true, trail: slices.Clone(before), sentOn: sentOn{by: t, outside: p.Outside}}
	e.tell(trail.Step{Kind: trail.StepRedirected, Redirected: &trail.Redirected{How: how, By: t.Ref, With: with, Outside: p.Outside}})
	if how == trail.HowJoined && e.joinsOutside(o) {
		e.refuse(cause.NotPermitted, func() string { return outsideOnly(t, o) })
		return e, false
	}
	e.close(trail.Ended{Outcome: trail.Answered, Cause: cause.Answered, Name: cause.NormalClearing.Name()}, func() string { return joined[how] })
	return e, true
}

// joined says why a call goes on that was brought about so.
var joined = map[string]string{
	trail.HowJoined: "both calls were answered before", trail.HowTakenOver: "answered before", trail.HowPickedUp: "the picking-up party answered",
}

func outsideOnly(by, to *compiled.Trunk) string {
	return fmt.Sprintf("trunk-to-trunk is off for %s: the remaining party and %s are both outside", by.Name, to.Name)
}

// Answers says by which trunk an extension is reached from a trunk, and with which
// number: what notices for it go by. ok is false if no phone system or application
// has it.
func (s *Snapshot) Answers(from string, n digits.Number) (o Offer, ok bool) {
	t := s.Trunks[from]
	if t == nil || t.SentOn == nil {
		return o, false
	}
	e := &Evaluation{snap: s, sw: t.On, source: t, called: numbering.As(n, orAsDialled(t.In.CalledFormat))}
	e.route(t.SentOn)
	for o, more := e.Next(); more; o, more = e.Next() {
		if !s.Trunks[o.Trunk.ID].Outside && o.Trunk.OppositeTrunk == "" {
			return o, true
		}
		e.Report(Report{Kind: trail.ReportUnavailable, Skip: trail.SkipOff})
	}
	return Offer{}, false
}
