package editor

import "switchback.example/switchback/internal/core/plan"

// Nameable are the objects that each setting of an object can name, by the places of the settings.
// The object is on a switch; it has no id yet if it is new.
func Nameable(p plan.Plan, kind plan.Kind, onSwitch, id string) map[string][]plan.Named {
	out := map[string][]plan.Named{}
	for _, k := range Kinds() {
		if k.Kind != kind {
			continue
		}
		for _, section := range k.Sections {
			for _, s := range section.Settings {
				if s.Input != Reference {
					continue
				}
				n := plan.Naming{Kind: s.Kind, LastResort: s.Place == "lastResort"}
				if s.SameSwitch {
					n.Switch = onSwitch
				}
				if s.Kind == kind {
					n.Not = id
				}
				out[s.Place] = p.Nameable(n)
			}
		}
	}
	return out
}
