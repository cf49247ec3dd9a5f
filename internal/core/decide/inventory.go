package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
)

// askInventory delivers the call to what answers the called public number.
func (e *Evaluation) askInventory() {
	e.called = e.convert("called", e.called, numbering.E164, Ref{"switch", e.sw.ID, e.sw.Name})
	row, ok := e.snap.plan.Numbers.Find(e.called.Number)
	if !ok {
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("%s is not in the inventory of numbers", shown(e.called.Number)) })
		return
	}
	answers := e.snap.destinations[row.Destination()]
	if e.told {
		found := &FoundNumber{Number: numberRef(row), State: row.State(), Tag: row.Tag(), Ring: row.Ring()}
		if answers != nil {
			found.Answers = &answers.ref
		}
		e.tell(Step{Kind: StepFoundNumber, FoundNumber: found})
	}
	switch {
	case !row.Answered():
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("%s is %s, and not answered", row.Name(), row.State()) })
	case answers == nil:
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("nothing answers %s yet", row.Name()) })
	case answers.trunk.sw != e.sw:
		e.refuse(cause.NoNumber, func() string {
			return fmt.Sprintf("%s is reached from switch %s, and this is %s", answers.Name, answers.trunk.sw.Name, e.sw.Name)
		})
	default:
		e.number = row
		e.mapOnExtension(row)
		e.deliver(answers)
	}
}

// mapOnExtension maps the called number on the extension at its place.
func (e *Evaluation) mapOnExtension(row inventory.Entry) {
	extension := row.Extension()
	if extension.Empty() {
		return
	}
	edit := digits.Shift(e.called.Number, row.First(), extension)
	if e.told {
		e.tell(e.renumbered(edit, numberRef(row), fmt.Sprintf("map block of %s on %s", row.Name(), extension)))
	}
	e.called = numbering.As(edit.After(), numbering.Private)
}

func numberRef(n inventory.Entry) Ref { return Ref{"number", n.ID(), n.Name()} }

// knowNumber finds the public number that a call from outside was for, where a rule and
// not the inventory says who answers it: its tag and its second number are its own.
func (e *Evaluation) knowNumber() {
	if !e.number.Zero() || e.source == nil || !e.source.outside || e.sentOn.by != nil || e.entered == nil || e.snap.plan.Numbers.Len() == 0 {
		return
	}
	read := e.sw.region.Read(e.received.called.Number, e.received.called.Form)
	if w, _ := e.sw.region.Put(&read, numbering.E164); w.Form == numbering.E164 {
		e.number, _ = e.snap.plan.Numbers.Find(w.Number)
	}
}
