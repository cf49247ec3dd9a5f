package live

import (
	"fmt"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/plan"
)

// State is what was proved about a trunk, with the cause and the evidence.
type State struct {
	Word     Word
	Cause    string // why, in words
	Evidence string // what was seen, and when
}

// Judge says what was proved about a trunk at a time. Directions are said from
// us.
//
// What the switch itself has cut off is said first, with the way out: else it looks as if
// the far end had failed.
func (t *Trunks) Judge(trunk plan.Trunk, r *Registrations, g *Gate, now time.Time) State {
	s := t.State(trunk.ID)
	if v := s.Service; v.Word != "" {
		return serviceState(v, s.InUse)
	}
	if b, cut := t.CutOff(trunk, r, g, now); cut {
		return State{Failing, "this switch has blocked " + b.Source + ", so nothing from there is heard", fmt.Sprintf("%s; blocked until %s; unblock it in the list of blocked sources", b.Why, b.Until.Format(time.DateTime))}
	}
	if now.Before(s.Held.Until) {
		return State{Failing, s.Held.Why, fmt.Sprintf("passed over until %s", s.Held.Until.Format(time.TimeOnly))}
	}
	w := s.Watch
	if w.Misses >= MissesUntilDown {
		return State{Failing, "OPTIONS from us go unanswered", w.Evidence}
	}
	if u := s.Unproven; u.Count > 0 && trunk.SIP.Registers != plan.RegistersWe {
		return State{Failing, "it does not take our credential", fmt.Sprintf("%s, last at %s; %d calls since the last that it took", u.Why, u.Last.Format(time.TimeOnly), u.Count)}
	}
	switch trunk.SIP.Registers {
	case plan.RegistersThey:
		return theirState(trunk, r, w, s.Refused, now)
	case plan.RegistersWe:
		return ourState(trunk, r, now)
	}
	switch {
	case w.Answers:
		return State{Answers, "OPTIONS from us are answered", fmt.Sprintf("%s, after %.1f ms", w.Evidence, w.RoundMs)}
	case !s.LastSeen.IsZero() && now.Sub(s.LastSeen) < HistoryFor:
		return State{SeenOnly, "traffic from them to us", "it sent " + s.LastWhat}
	}
	return State{Unproven, "nothing was seen from it yet", "it is trusted by its address, and that is all that is known"}
}

func serviceState(v Service, inUse int) State {
	cause := v.Why
	if cause == "" {
		cause = "by hand"
	}
	evidence := fmt.Sprintf("set by %s", v.By)
	if !v.Until.IsZero() {
		evidence += ", until " + v.Until.Format(time.DateTime)
	}
	if v.Word == Draining {
		evidence += fmt.Sprintf("; %d calls still run", inUse)
	}
	return State{v.Word, cause, evidence}
}

// theirState is that of a trunk whose far end registers with us.
func theirState(trunk plan.Trunk, r *Registrations, w Watch, refused Refusals, now time.Time) State {
	var missing []string
	var last Binding
	for _, a := range trunk.SIP.TheirAccounts {
		list := r.Bindings(trunk.ID, a.ID, now)
		if len(list) == 0 {
			missing = append(missing, a.User)
		} else if list[0].Refreshed.After(last.Refreshed) {
			last = list[0]
		}
	}
	all := len(trunk.SIP.TheirAccounts)
	if len(missing) == all {
		if refused.Count > 0 {
			return State{Failing, "this switch refuses its registration: " + refused.Why, fmt.Sprintf("from %s, %d times, last at %s", refused.From, refused.Count, refused.Last.Format(time.TimeOnly))}
		}
		return State{Failing, "nobody has registered with us", "calls to it would end with cause 20"}
	}
	evidence := fmt.Sprintf("REGISTER from %s, until %s", last.Source, last.Until.Format(time.TimeOnly))
	if w.Answers {
		evidence += fmt.Sprintf("; OPTIONS from us: %s", w.Evidence)
	}
	if len(missing) > 0 {
		return State{Registered, fmt.Sprintf("%d of %d accounts are registered with us; missing: %s", all-len(missing), all, strings.Join(missing, ", ")), evidence}
	}
	return State{Registered, "it is registered with us", evidence}
}

// ourState is that of a trunk with whose far end we register.
func ourState(trunk plan.Trunk, r *Registrations, now time.Time) State {
	var bad OurRegistration
	good, until, server := 0, time.Time{}, ""
	for _, a := range trunk.SIP.OurAccounts {
		o, ok := r.Our(trunk.ID, a.ID)
		if ok && now.Before(o.Until) && o.State == OurRegistered {
			good++
			until, server = o.Until, o.Server
		} else {
			bad = o
		}
	}
	all := len(trunk.SIP.OurAccounts)
	switch {
	case good == all:
		return State{Registered, "we are registered with it", fmt.Sprintf("at %s until %s", server, until.Format(time.TimeOnly))}
	case bad.State == "":
		return State{Unproven, "our REGISTER is on its way", "nothing came back yet"}
	case good > 0:
		return State{Registered, fmt.Sprintf("%d of %d accounts of ours are registered", good, all), bad.Evidence}
	}
	return State{Failing, "we are not registered with it", fmt.Sprintf("%s; next try at %s", bad.Evidence, bad.Next.Format(time.TimeOnly))}
}
