package decide

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/trail"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// hunt is a path being tried.
type hunt struct {
	path  *pathNode
	turn  [plan.MaxChoices]uint8 // places of the choices in the order of this call
	next  int                    // the choice to look at next
	tried int                    // how many were offered and not refused as unavailable
	// kept are the choices that an emergency call tries when all others have failed: the
	// edge passed them over for what is known of them. anyway: it is their turn.
	kept   [plan.MaxChoices]bool
	anyway bool
	skips  []trail.Skip
	heard  heard // what the last far end said
}

// heard is what a far end said, before it is put in words.
type heard struct {
	trunk *trunkNode // nil if none was reached
	what  trail.ReportKind
	cause cause.Cause
	more  string // in words
	hint  string // what may be wrong with what was sent
}

func (e *Evaluation) takePath(p *pathNode) {
	e.hunt.path = p
	e.hunt.turn = e.inTurn(p)
	if e.told {
		e.tell(trail.Step{Kind: trail.StepTookPath, TookPath: &trail.TookPath{Path: p.ref, Choices: len(p.choices), Emergency: e.emergency, Order: p.Order, First: e.first(p)}})
	}
}

// nextChoice finds the next choice that may be offered, telling those that it
// skips; with none left it ends the call.
func (e *Evaluation) nextChoice() {
	h := &e.hunt
	for {
		for h.next < len(h.path.choices) {
			place := h.turn[h.next]
			h.next++
			if h.anyway && !h.kept[place] {
				continue
			}
			if e.offerChoice(&h.path.choices[place]) {
				return
			}
		}
		if !e.emergency || h.anyway || h.kept == [plan.MaxChoices]bool{} {
			e.exhausted()
			return
		}
		h.anyway, h.next = true, 0
	}
}

// offerChoice offers a choice; it is false if the choice was passed over.
func (e *Evaluation) offerChoice(c *choiceNode) bool {
	called, caller, ok := e.prepare(c)
	if !ok {
		return false
	}
	e.offer = Offer{Trunk: &c.trunk.Trunk, Called: called, Caller: caller, Timers: e.hunt.path.Timers, Emergency: e.emergency, Anyway: e.hunt.anyway, Alert: e.alert(c.trunk)}
	if len(e.diverted) > 0 {
		e.offer.Diverted = e.redirecting(c.trunk)
	}
	e.offered = true
	return true
}

// keepForLast remembers a choice of an emergency call that the edge passed over for what
// it knows of the trunk, which may be wrong by now.
func (h *hunt) keepForLast(reason trail.Skip) {
	if reason == trail.SkipDown || reason == trail.SkipFull {
		h.kept[h.turn[h.next-1]] = true
	}
}

// prepare runs the choice's steps and the trunk's contract on copies of the
// numbers. ok is false if the choice was skipped.
func (e *Evaluation) prepare(c *choiceNode) (called, caller numbering.Written, ok bool) {
	called, caller = e.called, e.caller
	if e.straight {
		return called, caller, true
	}
	h, t := &e.hunt, c.trunk
	if h.path.MaxTries > 0 && h.tried >= h.path.MaxTries && !e.emergency {
		e.skip(t, trail.SkipTries, called, caller, func() string { return fmt.Sprintf("the path tries %d at most", h.path.MaxTries) })
		return called, caller, false
	}
	if t == e.source && !t.mayGoBack {
		e.skip(t, trail.SkipGoesBack, called, caller, func() string { return fmt.Sprintf("the call came from %s and may not go back there", t.Name) })
		return called, caller, false
	}
	if e.joinsOutside(t) && !e.emergency {
		e.skip(t, trail.SkipOutside, called, caller, func() string { return outsideOnly(e.sentOn.by, t) })
		return called, caller, false
	}
	if !e.rewrite("called", &called, c.calledSteps, &h.path.ref) {
		e.skip(t, trail.SkipSteps, called, caller, e.lastNote)
		return called, caller, false
	}
	e.rewrite("caller", &caller, c.callerSteps, &h.path.ref)
	if len(c.calledSteps) > 0 && e.group != nil && (t.outside || t.Peer != "") && !e.emergency {
		// The steps of a choice can make another sort of call of it.
		class, _ := t.sw.region.Class(called)
		if ok, why := e.may(class); !ok {
			e.skip(t, trail.SkipLeave, called, caller, func() string { return e.ground(why, class) })
			return called, caller, false
		}
	}
	if br := e.meet("called", &called, t, &t.Out.Called); br.broken && !e.emergency && !t.Out.SendAnyway {
		e.skip(t, trail.SkipContract, called, caller, func() string { return br.text(t) })
		return called, caller, false
	}
	e.meetCaller(&caller, t)
	return called, caller, true
}

// meetCaller puts the caller's number into the form that the contract wants. One that
// cannot be written so is removed, or sent as it is where the contract says so; it never
// costs the call. An emergency call keeps it: it may be the only hint whom to call back.
func (e *Evaluation) meetCaller(w *numbering.Written, t *trunkNode) {
	br := e.meet("caller", w, t, &t.Out.Caller)
	if !br.broken {
		return
	}
	before, label := *w, "send as it is"
	if !e.emergency && !t.Out.SendAnyway && t.Out.CallerFallback != plan.CallerAsIs {
		*w, label = numbering.Written{Form: numbering.Unknown}, "remove caller number"
	}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{
			Number: "caller", By: t.contract, Label: label, Before: before, After: *w, Runs: digits.Rewritten(before.Number, w.Number).Runs(), Note: br.text(t),
		}})
	}
}

// lastNote is what the last rewrite of the trail said.
func (e *Evaluation) lastNote() string { return e.trail[len(e.trail)-1].Rewrote.Note }

// breach is how a number breaks a contract.
type breach struct {
	broken bool
	which  string
	number numbering.Written
	kind   numbering.Kind
	wants  numbering.Form // Refuse: no such number at all
}

func (b breach) text(t *trunkNode) string {
	if b.wants == plan.Refuse {
		return fmt.Sprintf("%s takes no %s number as %s number; this one is %s", t.Name, b.kind, b.which, b.number.Number)
	}
	wants := string(b.wants)
	if wants == "" {
		wants = "a public number"
	}
	return fmt.Sprintf("%s wants the %s number as %s; %s is not, and its form is %s, so it cannot be converted", t.Name, b.which, wants, b.number.Number, b.number.Form)
}

// meet converts a number to what the trunk's contract wants of its kind, and
// checks the result. A number whose form is not known leaves as it is, and only
// if it already looks as the contract wants.
func (e *Evaluation) meet(which string, w *numbering.Written, t *trunkNode, forms *plan.Forms) breach {
	region := &t.sw.region
	if w.Number.Empty() {
		return breach{}
	}
	read := region.Read(w.Number, w.Form)
	kind := read.Kind
	want := forms.For(kind)
	switch {
	case want == plan.Refuse:
		return breach{true, which, *w, kind, want}
	case kind == numbering.Other && forms.Any():
		for _, f := range [...]numbering.Form{forms.Home, forms.Foreign} {
			if ok, _ := region.Fits(w.Number, f); ok {
				return breach{}
			}
		}
		return breach{true, which, *w, kind, forms.Home}
	case want != "":
		*w = e.put(which, *w, &read, want, t.contract)
	}
	if before := t.prefixOf(forms); !before.Empty() && (kind == numbering.Home || kind == numbering.Foreign) && !w.Number.Plus() {
		e.prefix(which, w, before, t)
	}
	return breach{}
}

// prefixOf is the digits that a contract puts before public numbers.
func (t *trunkNode) prefixOf(forms *plan.Forms) digits.Number {
	switch {
	case forms.Prefix == "":
		return digits.Number{}
	case forms == &t.Out.Called:
		return t.calledPrefix
	}
	return t.callerPrefix
}

// prefix puts digits before a number, and tells so.
func (e *Evaluation) prefix(which string, w *numbering.Written, before digits.Number, t *trunkNode) {
	edit := digits.PutBefore(w.Number, before)
	if !edit.OK() {
		return
	}
	after := numbering.Written{Number: edit.After(), Form: numbering.AsDialled}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{Number: which, By: t.contract, Label: "put before " + before.String(), Before: *w, After: after, Runs: edit.Runs()}})
	}
	*w = after
}

func (e *Evaluation) skip(t *trunkNode, reason trail.Skip, called, caller numbering.Written, detail func() string) {
	e.hunt.skips = append(e.hunt.skips, reason)
	if e.told {
		e.tell(trail.Step{Kind: trail.StepSkipped, Skipped: &trail.Skipped{Trunk: t.ref, Reason: reason, Detail: detail(), Called: called, Caller: caller}})
	}
}

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
		t := e.snap.trunks[e.offer.Trunk.ID]
		e.tell(trail.Step{Kind: trail.StepSent, Sent: &trail.Sent{Trunk: t.ref, FarEnd: t.farEnd, Address: address, Called: e.offer.Called, Caller: e.offer.Caller, Diverted: e.offer.Diverted, Alert: e.offer.Alert}})
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
	e.tellHeard(heard{trunk: e.snap.trunks[e.offer.Trunk.ID], what: r.Kind, cause: causeOf(&r), more: r.Detail}, "next-server", "the far end has another server")
}

// Report tells what came of the last offer. It must follow a Next that
// returned one.
func (e *Evaluation) Report(r Report) {
	if !e.offered || e.ended {
		return
	}
	t := e.snap.trunks[e.offer.Trunk.ID]
	if r.Kind == trail.ReportUnavailable {
		e.offered = false
		if e.emergency && !e.hunt.anyway {
			e.hunt.keepForLast(r.Skip)
		}
		e.skip(t, r.Skip, e.offer.Called, e.offer.Caller, func() string { return r.Detail })
		return
	}
	e.Sent(t.SIP.Where())
	e.offered, e.sent = false, false
	if e.told {
		e.trail = append(e.trail, r.Trail...)
	}
	e.hear(t, &r)
}

// hear judges what came back: the end of the call, or on to the next choice.
func (e *Evaluation) hear(t *trunkNode, r *Report) {
	h := heard{trunk: t, what: r.Kind, cause: causeOf(r), more: r.Detail}
	if r.Kind == trail.ReportRefused && e.told {
		h.hint = e.formHint(t, h.cause.Q850)
	}
	if r.Kind == trail.ReportAnswered {
		e.tellHeard(h, "answered", "")
		e.close(trail.Ended{Outcome: trail.Answered, Cause: cause.Answered, Name: cause.NormalClearing.Name()}, func() string { return t.farEnd.Name + " answered" })
		return
	}
	if e.mayDivert(t, r) {
		e.tellHeard(h, "diverted", "it wants the call to go elsewhere, and may")
		e.divert(t, r)
		return
	}
	if e.hasSecond(r, h.cause.Q850) {
		e.tellHeard(h, "diverted", "its number has a second one to call while it is busy")
		e.callSecond(t)
		return
	}
	next, why := e.goOnOrEnd(r, h.cause.Q850)
	e.tellHeard(h, next, why)
	e.hunt.heard = h
	if r.Kind == trail.ReportAbandoned {
		e.endWith(trail.Abandoned, cause.Abandoned, func() string { return "the caller gave up" })
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
	step := &trail.Heard{Trunk: h.trunk.ref, What: h.what, Cause: h.cause, Detail: h.more, Hint: h.hint, Next: next, Why: strings.Replace(why, "%d", strconv.Itoa(int(h.cause.Q850)), 1)}
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
		return "ends", "the caller gave up"
	case e.emergency:
		return "goes-on", "an emergency call goes on after anything but an answer"
	case r.Credential:
		return "goes-on", "our own credential was not accepted, which says nothing of the call"
	case r.Kind == trail.ReportUnanswered:
		return "ends", "it rang, and nobody answered"
	case r.Progress && !h.path.AfterRinging:
		return "ends", "ringing or early media was passed to the caller already"
	case h.path.goesOn(q):
		return "goes-on", "another trunk may do better after cause %d"
	}
	return "ends", "another trunk would do no better after cause %d"
}

// exhausted ends a call for which no choice is left.
func (e *Evaluation) exhausted() {
	h := &e.hunt
	if h.heard.trunk != nil {
		e.fail(h.heard)
		return
	}
	own, why := cause.AllDown, "no trunk of the path could be used"
	switch {
	case slices.Contains(h.skips, trail.SkipOutside):
		own, why = cause.NotPermitted, e.sentOn.by.Name+" may not bring two outside parties together"
	case slices.Contains(h.skips, trail.SkipLeave) && !slices.ContainsFunc(h.skips, func(s trail.Skip) bool { return s != trail.SkipLeave }):
		own, why = cause.NotPermitted, "as it would leave, the caller may not make the call"
	case slices.Contains(h.skips, trail.SkipFull):
		own, why = cause.Full, "every trunk that could take the call is full"
	case slices.Contains(h.skips, trail.SkipPorts):
		own, why = cause.Full, "no port for sound is left"
	case slices.Contains(h.skips, trail.SkipCodec):
		own, why = cause.NoCodec, "no trunk takes a codec that the caller offers"
	case slices.Contains(h.skips, trail.SkipAbsent) && !slices.Contains(h.skips, trail.SkipDown):
		own, why = cause.NotRegistered, "it is not registered"
	case slices.Contains(h.skips, trail.SkipDown) || slices.Contains(h.skips, trail.SkipOff):
	case slices.Contains(h.skips, trail.SkipContract) || slices.Contains(h.skips, trail.SkipSteps):
		own, why = cause.Contract, "no trunk takes the called number in the form in which it would leave"
	case slices.Contains(h.skips, trail.SkipGoesBack):
		own, why = cause.Loop, "the call could only have gone back to where it came from"
	}
	e.refuse(own, func() string { return why })
}

// fail ends the call with what a far end said.
func (e *Evaluation) fail(h heard) {
	name := h.cause.Q850.Name()
	e.close(trail.Ended{Outcome: trail.Failed, Cause: h.cause, Name: name}, func() string {
		switch h.what {
		case trail.ReportNoResponse:
			return h.trunk.Name + " did not respond at all"
		case trail.ReportUnreachable:
			return h.trunk.Name + " took no connection"
		case trail.ReportOnlyTrying:
			return h.trunk.Name + " said that it was trying, and then nothing"
		case trail.ReportUnanswered:
			return h.trunk.Name + " rang, and nobody answered"
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
func (e *Evaluation) formHint(t *trunkNode, q cause.Q850) string {
	if e.straight {
		return ""
	}
	var wanted numbering.Form
	which, sent := "called", e.offer.Called
	switch q {
	case cause.Unallocated, 2, 3, cause.AddressIncomplete:
		if wanted = t.Out.Called.Home; !wanted.Public() {
			wanted = t.Theirs.Takes
		}
	case cause.Rejected:
		which, sent = "caller", e.offer.Caller
		if wanted = t.Out.Caller.Home; sent.Number.Empty() && wanted.Public() {
			return fmt.Sprintf("it got no caller number, and its contract names %s", wanted)
		}
	}
	if !wanted.Public() || sent.Number.Empty() {
		return ""
	}
	region := &t.sw.region
	if kind := region.Read(sent.Number, sent.Form).Kind; kind == numbering.Emergency || kind == numbering.Short || kind == numbering.Foreign {
		return ""
	}
	if ok, why := region.Fits(sent.Number, wanted); !ok {
		return fmt.Sprintf("the %s number left as %s, which is not %s: %s", which, sent.Number, wanted, why)
	}
	return ""
}
