package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/trail"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// hunt is a path being tried.
type hunt struct {
	path  *compiled.Path
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
	trunk *compiled.Trunk // nil if none was reached
	what  trail.ReportKind
	cause cause.Cause
	more  string // in words
	hint  string // what may be wrong with what was sent
}

func (e *Evaluation) takePath(p *compiled.Path) {
	e.hunt.path = p
	e.hunt.turn = e.inTurn(p)
	if e.told {
		e.tell(trail.Step{Kind: trail.StepTookPath, TookPath: &trail.TookPath{Path: p.Ref, Choices: len(p.Tries), Emergency: e.emergency, Order: p.Order, First: e.first(p)}})
	}
}

// nextChoice finds the next choice that may be offered, telling those that it
// skips; with none left it ends the call.
func (e *Evaluation) nextChoice() {
	h := &e.hunt
	for {
		for h.next < len(h.path.Tries) {
			place := h.turn[h.next]
			h.next++
			if h.anyway && !h.kept[place] {
				continue
			}
			if e.offerChoice(&h.path.Tries[place]) {
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
func (e *Evaluation) offerChoice(c *compiled.Choice) bool {
	by := e.numberBy // what a choice does to the caller is its own
	defer func() { e.numberBy = by }()
	called, caller, ok := e.prepare(c)
	if !ok {
		return false
	}
	e.offer = Offer{Trunk: &c.Trunk.Trunk, Called: called, Timers: e.hunt.path.Timers, Emergency: e.emergency, Anyway: e.hunt.anyway, Alert: e.alert(c.Trunk)}
	e.present(c.Trunk, caller)
	if len(e.diverted) > 0 {
		e.offer.Diverted = e.redirecting(c.Trunk)
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
func (e *Evaluation) prepare(c *compiled.Choice) (called, caller numbering.Written, ok bool) {
	called, caller = e.called, e.caller
	if e.straight {
		return called, caller, true
	}
	h, t := &e.hunt, c.Trunk
	if h.path.MaxAttempts > 0 && h.tried >= h.path.MaxAttempts && !e.emergency {
		e.skip(t, trail.SkipTries, called, caller, func() string { return fmt.Sprintf("max attempts: %d", h.path.MaxAttempts) })
		return called, caller, false
	}
	if t == e.source && !t.MayGoBack {
		e.skip(t, trail.SkipHairpin, called, caller, func() string { return fmt.Sprintf("hairpin to %s is off", t.Name) })
		return called, caller, false
	}
	if e.joinsOutside(t) && !e.emergency {
		e.skip(t, trail.SkipOutside, called, caller, func() string { return outsideOnly(e.sentOn.by, t) })
		return called, caller, false
	}
	if !e.rewrite("called", &called, c.CalledSteps, &h.path.Ref) {
		e.skip(t, trail.SkipSteps, called, caller, e.lastNote)
		return called, caller, false
	}
	e.rewrite("caller", &caller, c.CallerSteps, &h.path.Ref)
	if len(c.CalledSteps) > 0 && e.group != nil && (t.Outside || t.OppositeTrunk != "") && !e.emergency {
		// The steps of a choice can make another sort of call of it.
		class, _ := t.On.Numbering.Class(called)
		if ok, why := e.may(class); !ok {
			e.skip(t, trail.SkipPermission, called, caller, func() string { return e.ground(why, class) })
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
func (e *Evaluation) meetCaller(w *numbering.Written, t *compiled.Trunk) {
	br := e.meet("caller", w, t, &t.Out.Caller)
	if !br.broken {
		return
	}
	before, label := *w, "unchanged"
	if !e.emergency && !t.Out.SendAnyway && t.Out.CallerFallback != plan.CallerAsIs {
		*w, label = numbering.Written{Format: numbering.Unknown}, "remove calling number"
		e.numberBy = &t.ContractRef
	}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{
			Number: "caller", By: t.ContractRef, Label: label, Before: before, After: *w, Runs: digits.Rewritten(before.Number, w.Number).Runs(), Note: br.text(t),
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
	wants  numbering.Format // Refuse: no such number at all
}

func (b breach) text(t *compiled.Trunk) string {
	if b.wants == plan.Refuse {
		return fmt.Sprintf("contract of %s: no %s number as %s number, but it is %s", t.Name, b.kind, b.which, b.number.Number)
	}
	wants := string(b.wants)
	if wants == "" {
		wants = "public number"
	}
	return fmt.Sprintf("contract of %s: %s number as %s; %s (%s) cannot be converted", t.Name, b.which, wants, b.number.Number, b.number.Format)
}

// meet converts a number to what the trunk's contract wants of its kind, and
// checks the result. A number whose form is not known leaves as it is, and only
// if it already looks as the contract wants.
func (e *Evaluation) meet(which string, w *numbering.Written, t *compiled.Trunk, forms *plan.Formats) breach {
	region := &t.On.Numbering
	if w.Number.Empty() {
		return breach{}
	}
	read := region.Read(w.Number, w.Format)
	kind := read.Kind
	want := forms.For(kind)
	switch {
	case want == plan.Refuse:
		return breach{true, which, *w, kind, want}
	case kind == numbering.Other && forms.Any():
		for _, f := range [...]numbering.Format{forms.Domestic, forms.International} {
			if ok, _ := region.Fits(w.Number, f); ok {
				return breach{}
			}
		}
		return breach{true, which, *w, kind, forms.Domestic}
	case want != "":
		*w = e.put(which, *w, &read, want, t.ContractRef)
	}
	if before := t.PrefixOf(forms); !before.Empty() && (kind == numbering.Home || kind == numbering.Foreign) && !w.Number.Plus() {
		e.prefix(which, w, before, t)
	}
	return breach{}
}

// prefix puts digits before a number, and tells so.
func (e *Evaluation) prefix(which string, w *numbering.Written, before digits.Number, t *compiled.Trunk) {
	edit := digits.PutBefore(w.Number, before)
	if !edit.OK() {
		return
	}
	after := numbering.Written{Number: edit.After(), Format: numbering.AsDialled}
	if e.told {
		e.tell(trail.Step{Kind: trail.StepRewrote, Rewrote: &trail.Rewrote{Number: which, By: t.ContractRef, Label: "add prefix " + before.String(), Before: *w, After: after, Runs: edit.Runs()}})
	}
	*w = after
}

func (e *Evaluation) skip(t *compiled.Trunk, reason trail.Skip, called, caller numbering.Written, detail func() string) {
	e.hunt.skips = append(e.hunt.skips, reason)
	if e.told {
		e.tell(trail.Step{Kind: trail.StepSkipped, Skipped: &trail.Skipped{Trunk: t.Ref, Reason: reason, Detail: detail(), Called: called, Caller: caller}})
	}
}
