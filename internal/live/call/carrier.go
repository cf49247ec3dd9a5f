// Package call runs the calls of a switch: it gives the machine of core/call what happens, asks
// package decide which trunk is next, and has legs carry out what follows.
//
// It knows carriers and legs, and no protocol: what a leg is made of is its carrier's business.
// One call is one owner: all that happens to it happens in order, and nothing there waits.
package call

import (
	"context"
	"net/netip"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
)

// Leg is one leg of a call, as its carrier runs it. Do is called in the order of the call's
// events, and must not wait. A leg whose protocol carries audio itself has a method Endpoint() as
// well, which returns where that is heard (live/media.Endpoint).
type Leg interface{ Do(a core.OfLeg) }

// Way is how a trunk can be reached: one server of its far end.
type Way interface {
	// String names it in trails: an address and a port, a line, a card.
	String() string
	// Addr is where its signalling is, which may tell where its media comes from; not valid
	// where that says nothing.
	Addr() netip.Addr
	// CarriesAudio tells whether its protocol carries audio itself, and not by RTP: its legs
	// have a method Endpoint then.
	CarriesAudio() bool
	// Note learns whether it served a call; one that did not is tried last for a while.
	Note(failed bool)
}

// Carrier is a protocol that carries calls, on one switch. It has started when it is given to
// Control.Carry.
type Carrier interface {
	// Reach says by which ways a call to a number can leave by a trunk, best first. The error
	// says why there is none.
	Reach(t *plan.Trunk, called string) ([]Way, error)
	// Dial begins a leg. What comes of it is told to the handle, never before Dial has returned.
	Dial(o Outgoing, h *Handle) Leg
	// SeenAs is where the far end of a trunk sees an address of the switch.
	SeenAs(t *plan.Trunk, at netip.AddrPort) netip.AddrPort
	// Probe asks the far end of a trunk whether it is there, and waits for what it says; ok is
	// false where there is nobody to ask, or the context ended.
	Probe(ctx context.Context, t *plan.Trunk) (p Probe, ok bool)
	// Stop gives back all that the carrier holds, once it has sent what is still to be sent or
	// the context ends. The calls are over.
	Stop(ctx context.Context)
}

// Probe is what came of asking a far end whether it is there.
type Probe struct {
	Answered bool
	After    time.Duration
	// Evidence is what it said, or what did not come.
	Evidence string
}

// Preview is a message that a carrier would send.
type Preview struct {
	Name string // such as INVITE
	Text string
}

// Previewer writes what a switch sends by a trunk, for a call that is offered it and beside calls.
// It needs no carrier that runs, and sends nothing.
type Previewer func(sw plan.Switch, t plan.Trunk, o decide.Offer) ([]Preview, error)

// Outgoing is a call that goes out.
type Outgoing struct {
	Offer decide.Offer
	Way   Way
	Media *media.Session
	// Hops is how many switches it may still pass.
	Hops int
	// Confirms: progress with media can be acknowledged by the other side.
	Confirms bool
	// Body comes with a transfer, and is for this far end.
	Body core.Body
	// Leg names it in the record.
	Leg string
}

// Incoming is a call that came in.
type Incoming struct {
	Trunk *plan.Trunk
	// Call is what was asked. A refusal in it is the carrier's own.
	Call decide.Call
	// Session is the name that the call bears on all switches (RFC 7989); empty for none.
	Session string
	// Hops is how many switches it may still pass.
	Hops int
	// Dialled is what was said of the called number.
	Dialled string
	// Overlap: its digits come bit by bit.
	Overlap bool
	// Confirms: the caller acknowledges progress.
	Confirms bool
	Media    *media.Session
	// From is where its signalling comes from, and Remote that with all that names it.
	From   netip.Addr
	Remote string
	// ID names the leg in the record.
	ID  string
	Leg Leg
	// By carries the leg.
	By Carrier
}
