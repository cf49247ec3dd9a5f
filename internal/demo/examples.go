package demo

import (
	"fmt"
	"math/rand/v2"
)

// ExampleCall is a call to place between the stand-ins, so that the views of a new
// installation have something to show.
type ExampleCall struct {
	From        string // a trunk or an extension, as a test call names its source
	Called      string // as dialled there
	Caller      string // calling number; empty for that of the source
	TalkSeconds int    // how long an answered call lasts
}

// exampleKind is a kind of example call with its share of all calls.
type exampleKind struct {
	share int
	make  func(r *rand.Rand) ExampleCall
}

// exampleKinds is the traffic of a working day: most calls are answered, some are busy or
// ring out, a few are rejected or fail over. Numbers whose stand-in stays silent or reacts
// slowly are left out: each would hold its place for the whole of a timer.
var exampleKinds = []exampleKind{
	{20, func(r *rand.Rand) ExampleCall { return ExampleCall{From: quayExtension(r), Called: quayExtension(r)} }},
	{14, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: quayExtension(r), Called: "9" + answering(r)}
	}},
	{10, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: "ostrel", Called: fmt.Sprintf("+44191498%04d", 100+r.IntN(170)), Caller: "+44" + answering(r)[1:]}
	}},
	{10, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: "ostrel", Called: "+448081570123", Caller: "+44" + answering(r)[1:]}
	}},
	{8, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: "ostrel", Called: fmt.Sprintf("+44207946%04d", 400+r.IntN(80)), Caller: "+44" + answering(r)[1:]}
	}},
	{8, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: capeExtension(r), Called: fmt.Sprintf("617555018%d", 9*r.IntN(2))}
	}},
	{6, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: "tamarack", Called: fmt.Sprintf("61755501%02d", r.IntN(50)), Caller: fmt.Sprintf("61755501%02d", 50+r.IntN(30))}
	}},
	{5, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: capeExtension(r), Called: "82" + quayExtension(r)}
	}},
	{5, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: quayExtension(r), Called: "84" + capeExtension(r)}
	}},
	{3, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: islandExtension(r), Called: islandExtension(r)}
	}},
	{3, func(r *rand.Rand) ExampleCall { return ExampleCall{From: quayExtension(r), Called: "2999"} }},
	// Busy, not allocated, congested, rejected, dropped after the answer.
	{6, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: quayExtension(r), Called: "9" + front(r) + "81" + pick(r, "1", "1", "3", "8")}
	}},
	// Only the first carrier fails: the call is carried by the second.
	{5, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: quayExtension(r), Called: "9" + front(r) + "80" + pick(r, "4", "7")}
	}},
	// Denied: premium rate, and abroad for those without permission.
	{2, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: quayExtension(r), Called: pick(r, "90016175550180", "909098790000")}
	}},
	// A number that nobody answers.
	{1, func(r *rand.Rand) ExampleCall {
		return ExampleCall{From: quayExtension(r), Called: "9" + front(r) + "812"}
	}},
}

// ExampleCalls returns n example calls. The same seed gives the same calls.
func ExampleCalls(n int, seed uint64) []ExampleCall {
	r := rand.New(rand.NewPCG(seed, seed))
	total := 0
	for _, k := range exampleKinds {
		total += k.share
	}
	out := make([]ExampleCall, n)
	for i := range out {
		at := r.IntN(total)
		for _, k := range exampleKinds {
			if at -= k.share; at < 0 {
				out[i] = k.make(r)
				break
			}
		}
		out[i].TalkSeconds = 1 + r.IntN(1+r.IntN(8)) // short calls are the most
	}
	return out
}

// quayExtension is one of a quay phone with no behaviour of its own.
func quayExtension(r *rand.Rand) string {
	return fmt.Sprintf("2%d%02d", pick(r, 0, 0, 1, 3), 10+r.IntN(60))
}

func capeExtension(r *rand.Rand) string   { return fmt.Sprintf("41%02d", r.IntN(50)) }
func islandExtension(r *rand.Rand) string { return fmt.Sprintf("30%02d", r.IntN(90)) }

// front is that of the outside numbers which choose a behaviour, in national format.
func front(r *rand.Rand) string { return pick(r, "01914980", "02079460", "07700900") }

// answering is an outside number that answers, in national format.
func answering(r *rand.Rand) string {
	return front(r) + "8" + pick(r, "10", "19", "30", "41", "52", "75")
}

func pick[T any](r *rand.Rand, list ...T) T { return list[r.IntN(len(list))] }
