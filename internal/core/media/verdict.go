package media

import "fmt"

// Arrived is what arrived at one side of a call of the other's sound.
type Arrived struct {
	Packets int64
	// Known is the share of the packets whose sound is known to be the other
	// side's, 0 to 1.
	Known float64
}

// Verdict is what can be said of the sound of a call.
type Verdict string

// The verdicts.
const (
	BothWays Verdict = "both-ways"
	OneWay   Verdict = "one-way"
	NoSound  Verdict = "none"
)

// heardFrom is the share of packets from which on a side is taken to hear the
// other: a few may be cut at the beginning and the end.
const heardFrom = 0.5

func (a Arrived) hears() bool { return a.Packets > 0 && a.Known >= heardFrom }

// Judge says whether the two sides of a call hear each other, from what arrived:
// packets alone prove nothing.
func Judge(atCaller, atCalled Arrived) (v Verdict, why string) {
	switch {
	case atCaller.hears() && atCalled.hears():
		return BothWays, "audio both ways"
	case atCaller.hears():
		return OneWay, "one way: the caller hears the called side, the called side hears " + atCalled.instead()
	case atCalled.hears():
		return OneWay, "one way: the called side hears the caller, the caller hears " + atCaller.instead()
	case atCaller.Packets+atCalled.Packets == 0:
		return NoSound, "none: no packet of audio arrived at either side"
	}
	return NoSound, fmt.Sprintf("none: the caller hears %s, the called side %s", atCaller.instead(), atCalled.instead())
}

// instead is what a side hears that does not hear the other.
func (a Arrived) instead() string {
	if a.Packets == 0 {
		return "nothing"
	}
	return fmt.Sprintf("%d packets from another source", a.Packets)
}
