package plan

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
)

// Fingerprint says how an object of a plan stands, in a few characters: another
// fingerprint means that something in it changed. A table's is that of its rules too. It
// is empty for what the plan does not have.
func (x Index) Fingerprint(k Key) string {
	switch k.Kind {
	case KindSwitch:
		return printOf(x.Switches[k.ID])
	case KindFarEnd:
		return printOf(x.FarEnds[k.ID])
	case KindTrunk:
		return printOf(x.Trunks[k.ID])
	case KindTable:
		return printOf(x.Tables[k.ID])
	case KindPath:
		return printOf(x.Paths[k.ID])
	case KindDestination:
		return printOf(x.Destinations[k.ID])
	case KindGroup:
		return printOf(x.Groups[k.ID])
	case KindHours:
		return printOf(x.Hours[k.ID])
	}
	return ""
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
