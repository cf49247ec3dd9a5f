package record

import "time"

// Sound is what can be said of the sound of an answered call.
type Sound string

// The verdicts; empty where nothing is known: the sound went past the switch, or the call
// was too short to judge.
const (
	SoundBothWays Sound = "both-ways"
	SoundOneWay   Sound = "one-way"
	SoundNone     Sound = "none"
)

// judgedFrom is how long a call must have lasted for its sound to be judged: the first
// packets may take a while.
const judgedFrom = 3 * time.Second

// SoundOf says whether sound came from both sides of a call through the switch, and from
// which it did not: the side of the first leg, or of the last.
func (c Call) SoundOf() (v Sound, silent string) {
	if c.Answered.IsZero() || c.Ended.IsZero() || c.Ended.Sub(c.Answered) < judgedFrom || len(c.Legs) < 2 {
		return "", ""
	}
	caller, called := c.Legs[0], c.Legs[len(c.Legs)-1]
	if called.Media == nil || called.Media.Heard == nil {
		return "", ""
	}
	if caller.Media == nil || caller.Media.Heard == nil {
		if called.Media.Heard.Packets == 0 { // a test call of the switch, which listened in vain
			return SoundOneWay, c.nameOf(called)
		}
		return "", ""
	}
	fromCaller, fromCalled := caller.Media.Heard.Packets > 0, called.Media.Heard.Packets > 0
	switch {
	case fromCaller && fromCalled:
		return SoundBothWays, ""
	case fromCaller:
		return SoundOneWay, c.nameOf(called)
	case fromCalled:
		return SoundOneWay, c.nameOf(caller)
	}
	return SoundNone, ""
}

// nameOf is what the trail calls the far end of a leg, as it was named when the call ran.
func (c Call) nameOf(l Leg) string {
	for _, s := range c.Trail {
		switch {
		case s.Received != nil && s.Received.Trunk.ID == l.Trunk:
			return s.Received.FarEnd.Name
		case s.Heard != nil && s.Heard.Trunk.ID == l.Trunk:
			return s.Heard.Trunk.Name
		}
	}
	return l.FarEnd
}

// LastResort tells whether a last resort took the call: nobody answered the number that was
// called.
func (c Call) LastResort() bool {
	for _, s := range c.Trail {
		if s.Resorted != nil || s.LookedUp != nil && s.LookedUp.CatchAll {
			return true
		}
	}
	return false
}
