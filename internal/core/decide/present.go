package decide

import (
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/trail"
)

// decidedBy is what decided who an offer presents as its caller; nil for what was typed.
type decidedBy struct {
	numberBy, nameBy *trail.Ref
	note             string
}

// present decides who the far end of a trunk is told is calling: number is what rules, path and
// contract made of the caller's.
//
// A wish to be withheld stands whatever they made of it. An emergency call is the exception: whom
// to call back matters more (common practice).
func (e *Evaluation) present(t *compiled.Trunk, number numbering.Written) {
	c := e.party
	c.Number = number
	e.shown, e.presented = decidedBy{}, false
	if !e.straight {
		e.shown.numberBy, e.shown.nameBy = &e.source.Ref, &e.source.Ref
	}
	if e.numberBy != nil {
		c.Screening, c.Fields.Number = callerid.NetworkProvided, ""
		e.shown.numberBy = e.numberBy
	}
	switch empty := number.Number.Empty(); {
	case c.Presentation == callerid.Restricted && e.emergency && !empty:
		c.Presentation, e.shown.note = callerid.Allowed, "emergency call: calling number presented although privacy was requested"
	case c.Presentation == callerid.Restricted:
	case empty:
		c.Presentation = callerid.Unavailable
	default:
		c.Presentation = callerid.Allowed
	}
	e.name(&c, t)
	e.offer.Caller = c
}

// name decides the name: with the tag before it that the number or the trunk has. One who is
// withheld has the tag alone, but towards a switch of ours, which keeps names for those who may
// see them.
func (e *Evaluation) name(c *callerid.Caller, t *compiled.Trunk) {
	tag := &e.offer.Alert
	if c.Withheld() && t.OppositeTrunk == "" {
		c.Name = ""
	}
	if tag.NamePrefix != "" {
		e.shown.nameBy = tag.NamePrefixBy
	}
	if c.Name = tag.Tagged(c.Name); c.Name == "" {
		c.Fields.Name, e.shown.nameBy = "", nil
	}
}

// tellPresented tells who the offer presents.
func (e *Evaluation) tellPresented(t *compiled.Trunk) {
	if e.presented {
		return
	}
	e.presented = true
	c := &e.offer.Caller
	e.tell(trail.Step{Kind: trail.StepPresented, Presented: &trail.Presented{
		Trunk: t.Ref, Number: c.Number, NumberBy: e.shown.numberBy, Name: c.Name, NameBy: e.shown.nameBy,
		Presentation: c.Presentation, Screening: c.Screening, Fields: c.Fields, Note: e.shown.note,
	}})
}

// leaves is the number that the far end of a trunk gets of the caller: none of one who is
// withheld, but on the way to a switch of ours.
func (e *Evaluation) leaves(t *compiled.Trunk) numbering.Written {
	if e.offer.Caller.Withheld() && t.OppositeTrunk == "" {
		return numbering.Written{Format: numbering.Unknown}
	}
	return e.offer.Caller.Number
}
