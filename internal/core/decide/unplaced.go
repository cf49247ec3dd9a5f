package decide

import (
	"fmt"
	"strings"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/trail"
)

// Unplaced tells a call that could not be given to a trunk, and so was refused.
func (s *Snapshot) Unplaced(switchID string, id compiled.Identity, c Call) []trail.Step {
	sw := s.Switches[switchID]
	if sw == nil {
		return nil
	}
	e := Evaluation{told: true, snap: s, sw: sw}
	e.called, e.caller = numbering.As(c.Called, numbering.AsDialled), numbering.As(c.Caller.Number.Number, "")
	e.party = c.Caller.Settled()
	e.party.Number = e.caller
	came := &trail.Received{Called: e.called, CalledText: c.CalledText, By: id.By, Others: id.Others}
	came.Said(e.party)
	e.tell(trail.Step{Kind: trail.StepReceived, Received: came})
	e.refuse(cause.NotPermitted, func() string {
		if id.Verdict == compiled.Misplaced {
			return id.By
		}
		var names []string
		for _, o := range id.Others {
			names = append(names, o.Trunk.Name)
		}
		return fmt.Sprintf("source is ambiguous: %s", strings.Join(names, " or "))
	})
	return e.trail
}
