// Package judge says what was proved of a trunk, never more, with its cause and its evidence: in a word,
// and line by line before it is handed over. It is told what was seen, and looks at nothing itself.
package judge

import (
	"fmt"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
)

// State is what was proved about a trunk, with the cause and the evidence.
type State struct {
	Word     standing.Word
	Cause    string // why, in words
	Evidence string // what was seen, and when
}

// Seen is what is known of a trunk, by which it is judged.
type Seen struct {
	Trunk plan.Trunk
	State TrunkState
	// Blocked is the block of this switch under which an address of the far end is; nil for
	// none.
	Blocked *guard.Block
	// Theirs are the registrations of the far end's accounts that hold, the newest first, and
	// Ours those of our accounts with it that were tried, by the account's id.
	Inbound  map[string][]standing.Binding
	Outbound map[string]standing.OurRegistration
}

// Judge says what was proved about a trunk at a time. Directions are said from
// us, times in the zone of now.
//
// What the switch itself has cut off is said first, with the way out: else it looks as if
// the far end had failed.
func Judge(seen Seen, now time.Time) State {
	s, link := seen.State, seen.Trunk.Link.Signalling()
	if v := s.Service; v.Word != "" {
		return serviceState(v, s.InUse, now)
	}
	if b := seen.Blocked; b != nil {
		return State{standing.Failing, "the switch blocks " + b.Source, fmt.Sprintf("%s; blocked until %s; unblock it under Blocked sources", b.Why, dayAndClock(b.Until, now))}
	}
	if now.Before(s.Held.Until) {
		return State{standing.Failing, s.Held.Why, fmt.Sprintf("skipped until %s", clock(s.Held.Until, now))}
	}
	w := s.Watch
	if w.Misses >= MissesUntilDown {
		return State{standing.Failing, "OPTIONS not answered", w.Evidence}
	}
	if u := s.Unproven; u.Count > 0 && !link.Remote().Registers {
		return State{standing.Failing, "it rejects the switch's credentials", fmt.Sprintf("%s, last at %s; %d calls since the last that was accepted", u.Why, clock(u.Last, now), u.Count)}
	}
	switch {
	case link.Claims().Registers:
		return theirState(seen, now)
	case link.Remote().Registers:
		return ourState(seen, now)
	case w.Answers:
		return State{standing.Answers, "OPTIONS answered", fmt.Sprintf("%s, after %.1f ms", w.Evidence, w.RoundMs)}
	case !s.LastSeen.IsZero() && now.Sub(s.LastSeen) < standing.HistoryFor:
		return State{standing.SeenOnly, "inbound traffic", "last message: " + s.LastWhat}
	}
	return State{standing.Unproven, "no traffic yet", "trusted by address"}
}

// clock and dayAndClock write a time, and one with its day, in the zone of another, which they name.
func clock(t, now time.Time) string { return t.In(now.Location()).Format("15:04:05 MST") }
func dayAndClock(t, now time.Time) string {
	return t.In(now.Location()).Format("2006-01-02 15:04:05 MST")
}

func serviceState(v standing.Service, inUse int, now time.Time) State {
	cause := v.Why
	if cause == "" {
		cause = "set by an operator"
	}
	evidence := fmt.Sprintf("set by %s", v.By)
	if !v.Until.IsZero() {
		evidence += ", until " + dayAndClock(v.Until, now)
	}
	if v.Word == standing.Draining {
		evidence += fmt.Sprintf("; %d active calls", inUse)
	}
	return State{v.Word, cause, evidence}
}

// theirState is that of a trunk whose far end registers with us.
func theirState(seen Seen, now time.Time) State {
	w, refused, accounts := seen.State.Watch, seen.State.Refused, seen.Trunk.Link.Signalling().Accounts(plan.SideInbound)
	var missing []string
	var last standing.Binding
	for _, a := range accounts {
		list := seen.Inbound[a.ID]
		if len(list) == 0 {
			missing = append(missing, a.User)
		} else if list[0].Refreshed.After(last.Refreshed) {
			last = list[0]
		}
	}
	all := len(accounts)
	if len(missing) == all {
		if refused.Count > 0 {
			return State{standing.Failing, "the switch rejects its registration: " + refused.Why, fmt.Sprintf("from %s, %d times, last at %s", refused.From, refused.Count, clock(refused.Last, now))}
		}
		return State{standing.Failing, "no inbound registration", "calls to it end with cause 20 Subscriber absent"}
	}
	evidence := fmt.Sprintf("REGISTER from %s, until %s", last.Source, clock(last.Until, now))
	if w.Answers {
		evidence += fmt.Sprintf("; OPTIONS: %s", w.Evidence)
	}
	if len(missing) > 0 {
		return State{standing.Registered, fmt.Sprintf("%d of %d inbound accounts registered; missing: %s", all-len(missing), all, strings.Join(missing, ", ")), evidence}
	}
	return State{standing.Registered, "inbound registration", evidence}
}

// ourState is that of a trunk with whose far end we register.
func ourState(seen Seen, now time.Time) State {
	accounts := seen.Trunk.Link.Signalling().Accounts(plan.SideOutbound)
	var bad standing.OurRegistration
	good, until, server := 0, time.Time{}, ""
	for _, a := range accounts {
		o, ok := seen.Outbound[a.ID]
		if ok && now.Before(o.Until) && o.State == standing.OurRegistered {
			good++
			until, server = o.Until, o.Server
		} else {
			bad = o
		}
	}
	all := len(accounts)
	switch {
	case good == all:
		return State{standing.Registered, "outbound registration", fmt.Sprintf("at %s until %s", server, clock(until, now))}
	case bad.State == "":
		return State{standing.Unproven, "REGISTER sent", "no response yet"}
	case good > 0:
		return State{standing.Registered, fmt.Sprintf("%d of %d outbound accounts registered", good, all), bad.Evidence}
	}
	return State{standing.Failing, "outbound registration failed", fmt.Sprintf("%s; next attempt at %s", bad.Evidence, clock(bad.Next, now))}
}
