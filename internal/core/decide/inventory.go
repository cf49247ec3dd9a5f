package decide

import (
	"fmt"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// inventory is the compiled inventory of public numbers: about 80 bytes a
// number beside the plan's own row, which is only read to tell it.
type inventory struct {
	ranges *digits.Ranges
	nodes  []numberNode // one a row of the plan
}

type numberNode struct {
	destination *destinationNode // nil if nothing answers
	extension   digits.Number    // on which the first is mapped; empty if none
	answered    bool
	block       bool
}

// compileInventory compiles the numbers; ranges are taken over where the rows
// are the same.
func (s *Snapshot) compileInventory(old Snapshot) inventory {
	numbers := s.plan.Numbers
	in := inventory{ranges: old.inventory.ranges, nodes: make([]numberNode, len(numbers))}
	for i := range numbers {
		n := &numbers[i]
		extension, _ := digits.ParseNumber(n.Extension) // validated
		in.nodes[i] = numberNode{s.destinations[n.Destination], extension, n.Answered(), n.Last != ""}
	}
	if in.ranges != nil && plan.SameSlice(numbers, old.plan.Numbers) {
		return in
	}
	blocks := make([]digits.Block, len(numbers))
	for i := range numbers {
		blocks[i], _ = numbers[i].Block() // validated
	}
	ranges, err := digits.NewRanges(blocks)
	if err != nil {
		panic(err) // validated
	}
	in.ranges = ranges
	return in
}

// askInventory delivers the call to what answers the called public number.
func (e *Evaluation) askInventory() {
	e.called = e.convert("called", e.called, numbering.E164, Ref{"switch", e.sw.ID, e.sw.Name})
	in := &e.snap.inventory
	place, ok := in.ranges.Find(e.called.Number)
	if !ok {
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("%s is not in the inventory of numbers", shown(e.called.Number)) })
		return
	}
	n, row := &in.nodes[place], &e.snap.plan.Numbers[place]
	if e.told {
		found := &FoundNumber{Number: numberRef(row), State: row.State}
		if n.destination != nil {
			found.Answers = &n.destination.ref
		}
		e.tell(Step{Kind: StepFoundNumber, FoundNumber: found})
	}
	switch {
	case !n.answered:
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("%s is %s, and not answered", row.Name(), row.State) })
	case n.destination == nil:
		e.refuse(cause.NoNumber, func() string { return fmt.Sprintf("nothing answers %s yet", row.Name()) })
	case n.destination.trunk.sw != e.sw:
		e.refuse(cause.NoNumber, func() string {
			d := n.destination
			return fmt.Sprintf("%s is reached from switch %s, and this is %s", d.Name, d.trunk.sw.Name, e.sw.Name)
		})
	default:
		e.mapOnExtension(n, row)
		e.deliver(n.destination)
	}
}

// mapOnExtension maps the called number on the extension at its place.
func (e *Evaluation) mapOnExtension(n *numberNode, row *plan.Number) {
	if n.extension.Empty() {
		return
	}
	first := e.called.Number
	if n.block {
		block, _ := row.Block() // validated
		first = block.First
	}
	edit := digits.Shift(e.called.Number, first, n.extension)
	if e.told {
		e.tell(e.renumbered(edit, numberRef(row), fmt.Sprintf("map block of %s on %s", row.Name(), n.extension)))
	}
	e.called = numbering.As(edit.After(), numbering.Private)
}

func numberRef(n *plan.Number) Ref { return Ref{"number", n.ID, n.First} }
