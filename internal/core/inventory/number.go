// Package inventory holds the public numbers of an organisation, single ones and blocks:
// packed, so that a million take less than a hundred bytes each, in pages that a list
// shares with the lists that it was made from.
//
// It finds, searches, sorts and compares them. It never decides a call, and knows of the
// plan no more than the ids that stand in its rows.
package inventory

import (
	"errors"
	"fmt"
	"slices"

	"switchback.example/switchback/internal/core/digits"
)

// Number is a public number, or a block of them, that is or will be ours. One row stands
// for a whole block.
type Number struct {
	// First and Last are E.164 with +; Last is empty for a single number.
	First string `json:"first" maxLength:"40"`
	Last  string `json:"last,omitempty" maxLength:"40"`
	// State: only active, trial and porting numbers are answered.
	State   string `json:"state" enum:"ordered,trial,active,porting,spare"`
	Carrier string `json:"carrier,omitempty" doc:"The far end that brings the calls" maxLength:"63"`
	Site    string `json:"site,omitempty" maxLength:"200"`
	Owner   string `json:"owner,omitempty" maxLength:"200"`
	// Destination is what answers.
	Destination string `json:"destination,omitempty" maxLength:"63"`
	// Extension is the number at the destination on which First is mapped; the
	// others of the block follow by arithmetic. Empty: the destination's own.
	Extension string `json:"extension,omitempty" maxLength:"40"`
	// Gaps: that some of the extensions are not there is known. Without it that is a
	// fault.
	Gaps bool `json:"gaps,omitempty"`
	// Busy is the number, dialled as who answers would dial it, that is called second
	// while that one is busy, such as a mobile. It is called for the one who answers,
	// with what that one may call.
	ForwardOnBusy string `json:"forwardOnBusy,omitempty" maxLength:"40"`
	// Tag stands before the caller's name where the call rings, and Ring is sent as
	// Alert-Info (RFC 3261 section 20.4). Both win over those of the trunk.
	NamePrefix string `json:"namePrefix,omitempty" maxLength:"40"`
	AlertInfo  string `json:"alertInfo,omitempty" maxLength:"200"`
	Note       string `json:"note,omitempty" maxLength:"2000"`
}

// The states of a public number.
const (
	Ordered = "ordered"
	Trial   = "trial"
	Active  = "active"
	Porting = "porting"
	Spare   = "spare"
)

// States are all of them, in the order of a number's life.
var States = []string{Ordered, Trial, Active, Porting, Spare}

// Block returns the numbers that the row stands for. It does not check them.
func (n Number) Block() (b digits.Block, err error) {
	if b.First, err = digits.ParseNumber(n.First); err != nil {
		return b, err
	}
	b.Last = b.First
	if n.Last != "" {
		b.Last, err = digits.ParseNumber(n.Last)
	}
	return b, err
}

// IsBlock tells whether the row stands for several numbers.
func (n Number) IsBlock() bool { return n.Last != "" }

// Name is how the row is called: its first number and, of a block, its last.
func (n Number) Name() string { return name(n.First, n.Last) }

func name(first, last string) string {
	if last == "" {
		return first
	}
	return first + " to " + last
}

// ID is what a well-formed row is known by: its digits and, of a block, those of its last
// number behind a dash. No two rows of a plan have the same numbers.
func (n Number) ID() string {
	b, err := n.Block()
	if err != nil {
		return n.First
	}
	if n.Last == "" {
		return bare(b.First)
	}
	return bare(b.First) + "-" + bare(b.Last)
}

func bare(n digits.Number) string {
	if n.Plus() {
		return n.String()[1:]
	}
	return n.String()
}

// Answered tells whether calls to the number are put through in its state.
func (n Number) Answered() bool { return answered(n.State) }

func answered(state string) bool { return state == Active || state == Trial || state == Porting }

// Faults are what a row cannot be held with, by field.
type Fault struct{ Field, Reason string }

// key is what a row is known by, packed.
type key struct{ first, last uint64 }

// pack checks a row's numbers and packs it; with faults it is none.
func pack(n Number) (e expanded, faults []Fault) {
	bad := func(field string, err error) { faults = append(faults, Fault{field, err.Error()}) }
	b, err := n.Block()
	if err == nil {
		err = b.Check()
	}
	if err == nil && (!b.First.Plus() || b.First.HasPrefix("+0") || b.First.Len() > digits.MaxPacked+1) {
		err = errors.New("a public number is written as E.164: +, country code, at most 15 digits")
	}
	if err == nil && n.Last != "" && b.First == b.Last {
		err = errors.New("the block has one number only; leave its last one empty")
	}
	if err != nil {
		bad("first", err)
	} else {
		e.first, _ = digits.Pack(b.First)
		e.last, _ = digits.Pack(b.Last)
	}
	state := slices.Index(States, n.State)
	if state < 0 {
		bad("state", fmt.Errorf("%q is not a state; these are ordered, trial, active, porting and spare", n.State))
	}
	e.flags = uint8(max(0, state))
	if n.Gaps {
		e.flags |= gapsFlag
	}
	if n.Extension != "" {
		ext, err := digits.ParseNumber(n.Extension)
		packed, ok := digits.Pack(ext)
		switch {
		case err != nil:
			bad("extension", err)
		case !ok || ext.Plus():
			bad("extension", fmt.Errorf("%s is no extension: 1 to %d digits", ext, digits.MaxPacked))
		case b.First.Plus() && len(faults) == 0 && !b.Fits(ext):
			bad("extension", fmt.Errorf("%s is too short for %s numbers", ext, b.Size()))
		}
		e.extension = packed
	}
	e.texts = [columns]string{colDestination: n.Destination, colCarrier: n.Carrier, colSite: n.Site, colOwner: n.Owner, colBusy: n.ForwardOnBusy, colTag: n.NamePrefix, colRing: n.AlertInfo, colNote: n.Note}
	return e, faults
}

// Check returns what a row cannot be held with.
func (n Number) Check() []Fault {
	_, faults := pack(n)
	return faults
}
