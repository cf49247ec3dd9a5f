package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// hunt is a path being tried.
type hunt struct {
	path      *pathNode
	next      int // the choice to look at next
	tried     int // how many were offered and not refused as unavailable
	emergency bool
	skips     []Skip
	heard     *Heard // what the last far end said; nil if none was reached
}

func (e *Evaluation) takePath(p *pathNode) {
	e.hunt = &hunt{path: p, emergency: e.sw.region.Classify(e.called.Number, e.called.Form) == numbering.Emergency}
	e.add(Step{Kind: StepTookPath, TookPath: &TookPath{p.ref, len(p.choices), e.hunt.emergency}})
}

// nextChoice finds the next choice that may be offered, telling those that it
// skips; with none left it ends the call.
func (e *Evaluation) nextChoice() {
	h := e.hunt
	for h.next < len(h.path.choices) {
		c := h.path.choices[h.next]
		h.next++
		called, caller, reason, detail := e.prepare(c)
		if reason != "" {
			e.skip(c.trunk, reason, detail, called, caller)
			continue
		}
		e.offer = &Offer{Trunk: c.trunk.Trunk, Called: called, Caller: caller, Timers: h.path.Timers}
		return
	}
	e.exhausted()
}

// prepare runs the choice's steps and the trunk's contract on copies of the
// numbers. reason is empty if the choice may be offered.
func (e *Evaluation) prepare(c choiceNode) (called, caller numbering.Written, reason Skip, detail string) {
	called, caller = e.called, e.caller
	h := e.hunt
	if h.path.MaxTries > 0 && h.tried >= h.path.MaxTries {
		return called, caller, SkipTries, fmt.Sprintf("the path tries %d at most", h.path.MaxTries)
	}
	if c.trunk == e.source && !c.trunk.mayGoBack {
		return called, caller, SkipGoesBack, fmt.Sprintf("the call came from %s and may not go back there", c.trunk.Name)
	}
	called, err := e.rewrite("called", called, c.calledSteps, h.path.ref)
	if err != nil {
		return called, caller, SkipSteps, err.Error()
	}
	if rewritten, err := e.rewrite("caller", caller, c.callerSteps, h.path.ref); err == nil {
		caller = rewritten
	}
	called, breach := e.meet("called", called, c.trunk, c.trunk.Out.Called)
	if breach == "" {
		caller, breach = e.meet("caller", caller, c.trunk, c.trunk.Out.Caller)
	}
	if breach != "" && !h.emergency && !c.trunk.Out.SendAnyway {
		return called, caller, SkipContract, breach
	}
	return called, caller, "", ""
}

// meet converts a number to what the trunk's contract wants of its kind, and
// checks the result. breach says what is wrong, empty if nothing is.
func (e *Evaluation) meet(which string, w numbering.Written, t *trunkNode, forms plan.Forms) (out numbering.Written, breach string) {
	region := t.sw.region
	if w.Number.Empty() {
		return w, ""
	}
	kind := region.Classify(w.Number, w.Form)
	want := forms.For(kind)
	switch {
	case want == plan.Refuse:
		return w, fmt.Sprintf("%s takes no %s number as %s number; this one is %s", t.Name, kind, which, w.Number)
	case kind == numbering.Other && forms.Any():
		return w, e.unformed(which, w, t, forms)
	case want == "":
		return w, ""
	}
	return e.convert(which, w, want, Ref{"contract", t.ID, "the number contract of " + t.Name}), ""
}

// unformed judges a number whose form is not known against a contract: it
// leaves as it is, and only if it already looks as the contract wants.
func (e *Evaluation) unformed(which string, w numbering.Written, t *trunkNode, forms plan.Forms) string {
	for _, f := range []numbering.Form{forms.Home, forms.Foreign} {
		if ok, _ := t.sw.region.Fits(w.Number, f); ok {
			return ""
		}
	}
	return fmt.Sprintf("%s wants the %s number as %s; %s is not, and its form is %s, so it cannot be converted", t.Name, which, forms.Home, w.Number, w.Form)
}

func (e *Evaluation) skip(t *trunkNode, reason Skip, detail string, called, caller numbering.Written) {
	e.hunt.skips = append(e.hunt.skips, reason)
	e.add(Step{Kind: StepSkipped, Skipped: &Skipped{t.ref, reason, detail, called, caller}})
}

// Sent tells that the last offer is being sent, so that the trail says so
// before anything is heard. Report does it too, where it was not done.
func (e *Evaluation) Sent() {
	if e.offer == nil || e.sent || e.ended != nil {
		return
	}
	e.sent = true
	e.hunt.tried++
	t := e.snap.trunks[e.offer.Trunk.ID]
	e.add(Step{Kind: StepSent, Sent: &Sent{t.ref, t.farEnd, t.SIP.Address, e.offer.Called, e.offer.Caller}})
}

// Report tells what came of the last offer. It must follow a Next that
// returned one.
func (e *Evaluation) Report(r Report) {
	if e.offer == nil || e.ended != nil {
		return
	}
	o := *e.offer
	t := e.snap.trunks[o.Trunk.ID]
	if r.Kind == ReportUnavailable {
		e.offer = nil
		e.skip(t, r.Skip, r.Detail, o.Called, o.Caller)
		return
	}
	e.Sent()
	e.offer, e.sent = nil, false
	e.trail = append(e.trail, r.Trail...)
	e.hear(t, r)
}

// hear judges what came back: the end of the call, or on to the next choice.
func (e *Evaluation) hear(t *trunkNode, r Report) {
	h := &Heard{Trunk: t.ref, What: r.Kind, Cause: causeOf(r)}
	if r.Kind == ReportAnswered {
		h.Next = "answered"
		e.add(Step{Kind: StepHeard, Heard: h})
		e.close(Ended{Outcome: Answered, Cause: cause.Answered, Name: cause.NormalClearing.Name(), Why: t.farEnd.Name + " answered"})
		return
	}
	h.Name = h.Cause.Q850.Name()
	h.Next, h.Why = e.goOnOrEnd(r, h.Cause.Q850)
	e.add(Step{Kind: StepHeard, Heard: h})
	e.hunt.heard = h
	if r.Kind == ReportAbandoned {
		e.end(Abandoned, cause.Abandoned, "the caller gave up")
	} else if h.Next == "ends" {
		e.fail(h)
	}
}

// causeOf is the cause of a report: a trusted Reason before the status.
func causeOf(r Report) cause.Cause {
	switch r.Kind {
	case ReportRefused:
		q := r.Reason
		if q == 0 {
			q = cause.FromSIP(r.Status)
		}
		return cause.Cause{Q850: q, SIP: relayedStatus(r.Status, q)}
	case ReportNoResponse, ReportOnlyTrying:
		return cause.Silent.Code()
	case ReportUnanswered:
		return cause.Unanswered.Code()
	case ReportAbandoned:
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

func (e *Evaluation) goOnOrEnd(r Report, q cause.Q850) (next, why string) {
	h := e.hunt
	switch {
	case r.Kind == ReportAbandoned:
		return "ends", "the caller gave up"
	case h.emergency:
		return "goes-on", "an emergency call goes on after anything but an answer"
	case r.Kind == ReportUnanswered:
		return "ends", "it rang, and nobody answered"
	case r.Progress && !h.path.AfterRinging:
		return "ends", "ringing or early media was passed to the caller already"
	case h.path.goesOn(q):
		return "goes-on", fmt.Sprintf("another trunk may do better after cause %d", q)
	}
	return "ends", fmt.Sprintf("another trunk would do no better after cause %d", q)
}

// exhausted ends a call for which no choice is left.
func (e *Evaluation) exhausted() {
	h := e.hunt
	if h.heard != nil {
		e.fail(h.heard)
		return
	}
	own, why := cause.AllDown, "no trunk of the path could be used"
	switch {
	case hasSkip(h.skips, SkipFull):
		own, why = cause.Full, "every trunk that could take the call is full"
	case hasSkip(h.skips, SkipDown) || hasSkip(h.skips, SkipOff):
	case hasSkip(h.skips, SkipContract) || hasSkip(h.skips, SkipSteps):
		own, why = cause.Contract, "no trunk takes the number in the form in which it would leave"
	case hasSkip(h.skips, SkipGoesBack):
		own, why = cause.Loop, "the call could only have gone back to where it came from"
	}
	e.end(Refused, own, why)
}

func hasSkip(list []Skip, s Skip) bool {
	for _, v := range list {
		if v == s {
			return true
		}
	}
	return false
}

func (e *Evaluation) fail(h *Heard) {
	why := fmt.Sprintf("%s: %s", h.Trunk.Name, h.Name)
	switch h.What {
	case ReportNoResponse:
		why = h.Trunk.Name + " did not respond at all"
	case ReportOnlyTrying:
		why = h.Trunk.Name + " said that it was trying, and then nothing"
	case ReportUnanswered:
		why = h.Trunk.Name + " rang, and nobody answered"
	}
	e.close(Ended{Outcome: Failed, Cause: h.Cause, Name: h.Name, Why: why})
}
