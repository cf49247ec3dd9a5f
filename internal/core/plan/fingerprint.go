package plan

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"reflect"
)

// Fingerprint says how an object of a plan stands, in a few characters: another
// fingerprint means that something in it changed. A table's is that of its rules too, and
// that of what depends on calendars also theirs. It is empty for what the plan does not have.
func (x Index) Fingerprint(k Key) string {
	object := x.get(k)
	if object == nil {
		return ""
	}
	print := printOf(object)
	known := map[string]bool{}
	references(object, Reference{From: k}, func(r Reference) {
		if r.To.Kind == KindCalendar && !known[r.To.ID] {
			known[r.To.ID] = true
			print += " " + printOf(x.Calendars[r.To.ID])
		}
	})
	return print
}

// get is an object of the plan; nil if there is none.
func (x Index) get(k Key) any {
	switch k.Kind {
	case KindSwitch:
		return orNil(x.Switches[k.ID])
	case KindFarEnd:
		return orNil(x.FarEnds[k.ID])
	case KindTrunk:
		return orNil(x.Trunks[k.ID])
	case KindTable:
		return orNil(x.Tables[k.ID])
	case KindPath:
		return orNil(x.Paths[k.ID])
	case KindDestination:
		return orNil(x.Destinations[k.ID])
	case KindCallerGroup:
		return orNil(x.CallerGroups[k.ID])
	case KindCalendar:
		return orNil(x.Calendars[k.ID])
	}
	return nil
}

// orNil is an object as any, without a typed nil.
func orNil[T any](object *T) any {
	if object == nil {
		return nil
	}
	return object
}

// FingerprintOf is the fingerprint of a check.
func FingerprintOf(c Check) string { return printOf(&c) }

func printOf(object any) string {
	if v := reflect.ValueOf(object); v.Kind() == reflect.Pointer && v.IsNil() {
		return ""
	}
	h := sha256.New()
	if err := json.NewEncoder(h).Encode(object); err != nil {
		return "" // none of the plan's types can fail
	}
	return hex.EncodeToString(h.Sum(nil)[:8])
}
