package plan

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
)

// Fingerprint says how an object of a plan stands, in a few characters: another
// fingerprint means that something in it changed. A table's is that of its rules too, and
// that of a table or a group also of the calendars that it goes by. It is empty for what
// the plan does not have.
func (x Index) Fingerprint(k Key) string {
	switch k.Kind {
	case KindSwitch:
		return printOf(x.Switches[k.ID])
	case KindFarEnd:
		return printOf(x.FarEnds[k.ID])
	case KindTrunk:
		return printOf(x.Trunks[k.ID])
	case KindTable:
		return printOf(x.Tables[k.ID]) + x.calendarsOf(k)
	case KindPath:
		return printOf(x.Paths[k.ID])
	case KindDestination:
		return printOf(x.Destinations[k.ID])
	case KindGroup:
		return printOf(x.Groups[k.ID]) + x.calendarsOf(k)
	case KindHours:
		return printOf(x.Hours[k.ID])
	}
	return ""
}

// calendarsOf are the fingerprints of the calendars that a table or a group goes by.
func (x Index) calendarsOf(k Key) (prints string) {
	known := map[string]bool{}
	add := func(w When) {
		if !w.Always() && !known[w.Hours] {
			known[w.Hours] = true
			prints += " " + printOf(x.Hours[w.Hours])
		}
	}
	if t := x.Tables[k.ID]; k.Kind == KindTable && t != nil {
		for i := range t.Rules {
			add(t.Rules[i].Match.When)
		}
	}
	if g := x.Groups[k.ID]; k.Kind == KindGroup && g != nil {
		for _, l := range g.May {
			add(l.When)
		}
	}
	return prints
}

// FingerprintOf is the fingerprint of a check.
func FingerprintOf(c Check) string { return printOf(&c) }

func printOf[T any](object *T) string {
	if object == nil {
		return ""
	}
	h := sha256.New()
	if err := json.NewEncoder(h).Encode(object); err != nil {
		return "" // none of the plan's types can fail
	}
	return hex.EncodeToString(h.Sum(nil)[:8])
}
