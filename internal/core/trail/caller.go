package trail

import (
	"fmt"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/numbering"
)

// Presented: who the far end of a trunk is told is calling, and what decided each part of it.
type Presented struct {
	Trunk Ref `json:"trunk"`
	// Number is the caller's as it would leave; it does not where it is withheld. NumberBy is
	// the rule, the path or the contract that gave it, or the trunk that it came by; nil for one
	// that was typed. So is NameBy for the name.
	Number       numbering.Written     `json:"number"`
	NumberBy     *Ref                  `json:"numberBy,omitempty"`
	Name         string                `json:"name,omitempty"`
	NameBy       *Ref                  `json:"nameBy,omitempty"`
	Presentation callerid.Presentation `json:"presentation" enum:"allowed,restricted,unavailable"`
	Screening    callerid.Screening    `json:"screening" enum:"not-screened,verified,network-provided"`
	// Fields are the parts of the message that came which said so; empty for what the plan gave.
	Fields callerid.Fields `json:"fields,omitzero"`
	// Note says why a wish was not followed.
	Note string `json:"note,omitempty"`
}

// Party is who called, as the call came in.
func (r *Received) Party() callerid.Caller {
	return callerid.Caller{
		Number: r.Caller, Text: r.CallerText, Name: r.CallerName,
		Presentation: r.Presentation, Screening: r.Screening, Fields: r.CallerFields,
	}.Settled()
}

// Said writes who called into the step. What goes without saying is left out.
func (r *Received) Said(c callerid.Caller) {
	r.Caller, r.CallerText, r.CallerName, r.CallerFields = c.Number, c.Text, c.Name, c.Fields
	if usual := (callerid.Caller{Number: c.Number, Text: c.Text}).Settled(); c.Presentation != usual.Presentation {
		r.Presentation = c.Presentation
	}
	if c.Screening != callerid.NotScreened {
		r.Screening = c.Screening
	}
}

// wished says what else than a number came of the caller.
func (r *Received) wished() (text string) {
	if r.CallerName != "" {
		text = fmt.Sprintf(", name %q", r.CallerName)
	}
	if r.Presentation != "" {
		text += ", " + string(r.Presentation)
	}
	return text
}

func (p *Presented) text() string {
	line := fmt.Sprintf("caller to %s: %s", p.Trunk.ID, written(p.Number))
	if p.NumberBy != nil && !p.Number.Number.Empty() {
		line += fmt.Sprintf(" by %s %s", p.NumberBy.Kind, p.NumberBy.ID)
	}
	if p.Name != "" {
		line += fmt.Sprintf(", name %q", p.Name)
	}
	line += fmt.Sprintf(", %s, %s", p.Presentation, p.Screening)
	if p.Note != "" {
		line += " (" + p.Note + ")"
	}
	return line
}
