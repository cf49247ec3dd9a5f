package sip

import (
	"fmt"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
)

// Transfer by REFER (RFC 3515, RFC 5589), and calls that take the place of others by Replaces
// (RFC 3891).

// replacesBody is the Replaces of a Refer-To for a call that is none of ours: it goes to the far
// end that has it.
const replacesBody = "Replaces"

// onRefer takes a REFER.
func (l *leg) onRefer(d *dialog, t *inbound) {
	tag := d.key.localTag
	refuse := func(status int, why string) {
		t.reply(status, tag, [2]string{"Warning", fmt.Sprintf("399 switchback %q", why)})
	}
	if !l.trunk.Services.Transfer {
		refuse(403, l.trunk.Name+" may not transfer calls")
		return
	}
	if d.isEarly() || l.refer != nil || l.notices != nil {
		t.reply(500, tag, retrySoon)
		return
	}
	to, replaces, err := wire.ReadReferTo(t.req)
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
	l.refer = t
	e := core.Event{Kind: core.TransferAsked, To: number}
	if replaces != nil {
		if other := l.a.findReplaced(*replaces); other != nil {
			l.h.TransferTo(other.leg.h, e)
			return
		}
		e.Body = core.Body{Type: replacesBody, Bytes: []byte(replaces.String())}
	}
	l.tell(e)
}

// status tells the far end how its transfer goes.
func (l *leg) status(a core.TransferStatus) {
	switch {
	case a.Accepted:
		t := l.refer
		l.refer = nil
		l.notices = newNotices(l.d, t.req)
		t.reply(202, l.d.key.localTag, [2]string{"Contact", l.a.contact(l.trunk, t.source.by)})
		l.notices.tell("100 Trying", false)
	case a.Rings:
		if a.Cause.SIP > 100 {
			l.notices.tell(fmt.Sprintf("%d %s", a.Cause.SIP, a.Cause.Text), false)
		} else {
			l.notices.tell("180 Ringing", false)
		}
	case a.Done:
		l.notices.tell("200 OK", true)
	default:
		status := a.Cause.SIP
		if status < 300 {
			status = cause.ToSIP(a.Cause.Q850)
		}
		l.notices.tell(fmt.Sprintf("%d %s", status, cause.Phrase(status)), true)
		l.notices = nil // it may transfer again
	}
}

// findReplaced finds the dialog that Replaces names: its to-tag is ours, its from-tag
// the far end's (RFC 3891 section 3).
func (a *Agent) findReplaced(r wire.Replaces) *dialog {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.dialogs[dialogKey{r.CallID, r.ToTag, r.FromTag}]
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
	case d.isEarly() && d.byThem:
		refuse(481, "that call is not answered yet, and did not begin here")
		return
	case !d.isEarly() && replaces.EarlyOnly:
		refuse(486, "that call is answered already")
		return
	}
	t.reply(100, "")
	from, _ := wire.ReadAddress(t.req.Get("From")) // verified
	who, _ := telephone(from.URI)
	l := a.newLeg(trunk)
	fresh, begin := d.leg.h.Replace(call.Replacing{
		Trunk: trunk, Who: who, Media: session(t.req), From: t.source.Addr(), Remote: t.source.String(), ID: t.req.Get("Call-ID"), Leg: l, By: Carrier{a},
	})
	l.h = fresh
	a.newCaller(t, l)
	l.watch()
	begin()
}

// begin begins a call that came in by a trunk.
func (a *Agent) begin(t *inbound, run *live.Running, in call.Incoming) {
	l := a.newLeg(in.Trunk)
	a.newCaller(t, l)
	in.Leg = l
	l.h = a.Control.Receive(run, in)
	if in.Overlap {
		a.collect(l)
	}
	l.watch()
	if !l.h.Begin() {
		t.reply(503, l.caller.tag)
	}
}
