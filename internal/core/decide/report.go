package decide

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/trail"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/numbering"
)

// What came of an offer, and what follows from it.

// Sent tells that the last offer is being sent, so that the trail says so
// before anything is heard, and where to: the trunk's own address, or that from
// which its far end registered. Report does it too, where it was not done.
func (e *Evaluation) Sent(address string) {
	if !e.offered || e.sent || e.ended {
		return
	}
	e.sent = true
	e.hunt.tried++
	if e.told {
		t := e.snap.Trunks[e.offer.Trunk.ID]
		e.tellPresented(t)
		e.tell(trail.Step{Kind: trail.StepSent, Sent: &trail.Sent{Trunk: t.Ref, FarEnd: t.FarEndRef, Address: address, Called: e.offer.Called, Caller: e.leaves(t), Diverted: e.offer.Diverted, Alert: e.offer.Alert}})
	}
}

// NextServer tells that a server of the far end failed, and that its next is tried
// for the same offer. It must follow Sent.
func (e *Evaluation) NextServer(r Report) {
	if !e.offered || !e.sent || e.ended {
		return
	}
	e.sent = false
	e.hunt.tried-- // it is one try of the path
	e.tellHeard(heard{trunk: e.snap.Trunks[e.offer.Trunk.ID], what: r.Kind, cause: causeOf(&r), more: r.Detail}, "next-server", "next server of the far end")
}

// Report tells what came of the last offer. It must follow a Next that
// returned one.
func (e *Evaluation) Report(r Report) {
	if !e.offered || e.ended {
		return
	}
	t := e.snap.Trunks[e.offer.Trunk.ID]
	if r.Kind == trail.ReportUnavailable {
		e.offered = false
		if e.emergency && !e.hunt.anyway {
			e.hunt.keepForLast(r.Skip)
		}
		e.skip(t, r.Skip, e.offer.Called, e.offer.Caller.Number, func() string { return r.Detail })
		return
	}
	e.Sent(t.Where)
	e.offered, e.sent = false, false
	if e.told {
		e.trail = append(e.trail, r.Trail...)
	}
	e.hear(t, &r)
}

// hear judges what came back: the end of the call, or on to the next choice.
func (e *Evaluation) hear(t *compiled.Trunk, r *Report) {
	h := heard{trunk: t, what: r.Kind, cause: causeOf(r), more: r.Detail}
	if r.Kind == trail.ReportRefused && e.told {
		h.hint = e.formHint(t, h.cause.Q850)
	}
	if r.Kind == trail.ReportAnswered {
		e.tellHeard(h, "answered", "")
		e.close(trail.Ended{Outcome: trail.Answered, Cause: cause.Answered, Name: cause.NormalClearing.Name()}, func() string { return t.FarEndRef.Name + " answered" })
		return
	}
	if e.mayDivert(t, r) {
		e.tellHeard(h, "diverted", "forwarding permitted")
		e.divert(t, r)
		return
	}
	if e.hasSecond(r, h.cause.Q850) {
		e.tellHeard(h, "diverted", "forward on busy")
		e.callSecond(t)
		return
	}
	next, why := e.goOnOrEnd(r, h.cause.Q850)
	e.tellHeard(h, next, why)
	e.hunt.heard = h
	if r.Kind == trail.ReportAbandoned {
		e.endWith(trail.Abandoned, cause.Abandoned, func() string { return "the caller hung up" })
	} else if next == "ends" {
		e.fail(h)
	}
}

// tellHeard tells what came back and what follows; %d in why stands for the
// cause.
func (e *Evaluation) tellHeard(h heard, next, why string) {
	if !e.told {
		return
	}
	step := &trail.Heard{Trunk: h.trunk.Ref, What: h.what, Cause: h.cause, Detail: h.more, Hint: h.hint, Next: next, Why: strings.Replace(why, "%d", strconv.Itoa(int(h.cause.Q850)), 1)}
	if h.what != trail.ReportAnswered {
		step.Name = h.cause.Q850.Name()
	}
	e.tell(trail.Step{Kind: trail.StepHeard, Heard: step})
}

// causeOf is the cause of a report: a trusted Reason before the status.
func causeOf(r *Report) cause.Cause {
	switch r.Kind {
	case trail.ReportRefused:
		q := r.Reason
		if q == 0 {
			q = cause.FromSIP(r.Status)
		}
		return cause.Cause{Q850: q, SIP: relayedStatus(r.Status, q)}
	case trail.ReportNoResponse, trail.ReportOnlyTrying, trail.ReportUnreachable:
		return cause.Silent.Code()
	case trail.ReportUnanswered:
		return cause.Unanswered.Code()
	case trail.ReportAbandoned:
		return cause.Abandoned.Code()
	}
	return cause.Cause{}
}

// relayedStatus is what the caller is given for a far end's status: the same,
// but for a challenge, which only its addressee can answer, and a redirection,
// which the switch does not follow.
func relayedStatus(status int, q cause.Q850) int {
	if status == 401 || status == 407 || status < 400 {
		return cause.ToSIP(q)
	}
	return status
}

func (e *Evaluation) goOnOrEnd(r *Report, q cause.Q850) (next, why string) {
	h := &e.hunt
	switch {
	case r.Kind == trail.ReportAbandoned:
		return "ends", "the caller hung up"
	case e.emergency:
		return "goes-on", "emergency calls fail over after any failure"
	case r.Credential:
		return "goes-on", "credentials of the switch rejected"
	case r.Kind == trail.ReportUnanswered:
		return "ends", "no answer"
	case r.Progress && !h.path.FailoverAfterRinging:
		return "ends", "ringing or early media already sent to the caller"
	case h.path.GoesOn(q):
		return "goes-on", "cause %d is a failover cause"
	}
	return "ends", "cause %d is a stop cause"
}

// exhausted ends a call for which no choice is left.
func (e *Evaluation) exhausted() {
	h := &e.hunt
	if h.heard.trunk != nil {
		e.fail(h.heard)
		return
	}
	own, why := cause.AllDown, "no trunk of the path available"
	switch {
	case slices.Contains(h.skips, trail.SkipOutside):
		own, why = cause.NotPermitted, "trunk-to-trunk is off for "+e.sentOn.by.Name
	case slices.Contains(h.skips, trail.SkipPermission) && !slices.ContainsFunc(h.skips, func(s trail.Skip) bool { return s != trail.SkipPermission }):
		own, why = cause.NotPermitted, "no permission for the call as sent"
	case slices.Contains(h.skips, trail.SkipFull):
		own, why = cause.Full, "all trunks of the path are full"
	case slices.Contains(h.skips, trail.SkipPorts):
		own, why = cause.Full, "no RTP port free"
	case slices.Contains(h.skips, trail.SkipCodec):
		own, why = cause.NoCodec, "no common codec"
	case slices.Contains(h.skips, trail.SkipAbsent) && !slices.Contains(h.skips, trail.SkipDown):
		own, why = cause.NotRegistered, "no registration"
	case slices.Contains(h.skips, trail.SkipDown) || slices.Contains(h.skips, trail.SkipOff):
	case slices.Contains(h.skips, trail.SkipContract) || slices.Contains(h.skips, trail.SkipSteps):
		own, why = cause.Contract, "no trunk accepts the format of the called number"
	case slices.Contains(h.skips, trail.SkipHairpin):
		own, why = cause.Loop, "only a hairpin route is left"
	}
	e.refuse(own, func() string { return why })
}

// fail ends the call with what a far end said.
func (e *Evaluation) fail(h heard) {
	name := h.cause.Q850.Name()
	e.close(trail.Ended{Outcome: trail.Failed, Cause: h.cause, Name: name}, func() string {
		switch h.what {
		case trail.ReportNoResponse:
			return h.trunk.Name + " did not respond"
		case trail.ReportUnreachable:
			return h.trunk.Name + " refused the connection"
		case trail.ReportOnlyTrying:
			return h.trunk.Name + " sent only 100 Trying"
		case trail.ReportUnanswered:
			return h.trunk.Name + " did not answer"
		}
		why := fmt.Sprintf("%s: %s", h.trunk.Name, name)
		for _, more := range []string{h.more, h.hint} {
			if more != "" {
				why += "; " + more
			}
		}
		return why
	})
}

// formHint says of a refusal what may be wrong with the numbers as they were sent: the
// contract, or the far end's own settings as they are kept by hand, name another form.
func (e *Evaluation) formHint(t *compiled.Trunk, q cause.Q850) string {
	if e.straight {
		return ""
	}
	var wanted numbering.Format
	which, sent := "called", e.offer.Called
	switch q {
	case cause.Unallocated, 2, 3, cause.AddressIncomplete:
		if wanted = t.Out.Called.Domestic; !wanted.Public() {
			wanted = t.FarEndSettings.OutboundFormat
		}
	case cause.Rejected:
		which, sent = "caller", e.offer.Caller.Number
		if wanted = t.Out.Caller.Domestic; sent.Number.Empty() && wanted.Public() {
			return fmt.Sprintf("no calling number sent, contract: %s", wanted)
		}
	}
	if !wanted.Public() || sent.Number.Empty() {
		return ""
	}
	region := &t.On.Numbering
	if kind := region.Read(sent.Number, sent.Format).Kind; kind == numbering.Emergency || kind == numbering.Short || kind == numbering.Foreign {
		return ""
	}
	if ok, why := region.Fits(sent.Number, wanted); !ok {
		return fmt.Sprintf("%s number sent as %s, expected %s: %s", which, sent.Number, wanted, why)
	}
	return ""
}
