package profile

import (
	"slices"

	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// gives is the form of the numbers that come from the far end.
func gives(called, caller numbering.Format, why string) []setting {
	return []setting{{"in/calledFormat", string(called), why}, {"in/callerFormat", string(caller), why}}
}

// calledForms and callerForms are what the far end takes.
func calledForms(home, foreign numbering.Format, why string) []setting {
	return []setting{{"out/called/domestic", string(home), why}, {"out/called/international", string(foreign), why}}
}

func callerForms(home, foreign numbering.Format, why string) []setting {
	return []setting{{"out/caller/domestic", string(home), why}, {"out/caller/international", string(foreign), why}}
}

// publicOnly keeps extensions from a far end on the public network.
func publicOnly() []setting {
	return []setting{
		{"out/called/extension", string(plan.Refuse), "An extension means nothing there: a call to one has lost its way, and is better refused here."},
		{"out/caller/extension", string(plan.Refuse), "An extension is no caller number out there; a rule has to present a number of ours before."},
		{"out/sendAnyway", false, "A number that breaks the contract is refused there, after a try that costs seconds; here it goes on to the next choice at once."},
		{"hairpin", false, "A call that goes back to a carrier takes two of its channels, and can go round in circles."},
	}
}

// noServices leaves the far end nothing but calls.
func noServices(why string) []setting {
	return []setting{{"services/forwarding", false, why}, {"services/transfer", false, why}, {"services/trunkToTrunk", false, why}}
}

// trustedByAddress is a far end that both sides know by its address.
func trustedByAddress(why string) []setting {
	return []setting{{"link/sip/registration", "", why}, {"link/sip/inboundAuth", plan.AuthSourceAddress, "Its calls carry no credential of its own; what proves them is where they come from."}}
}

// speech is G.711 of the country, first and with the other law behind it.
func speech(sw plan.Switch) []setting {
	first, second := "PCMA", "PCMU"
	why := "A-law is what networks outside North America and Japan carry, so nothing is converted on the way; µ-law stands behind it for calls from there."
	if slices.Contains(muLaw, sw.Region.Country) {
		first, second = second, first
		why = "µ-law is what networks of North America carry, so nothing is converted on the way; A-law stands behind it for calls from elsewhere."
	}
	return []setting{
		{"media/codecs", []string{first, second}, why + " Wider or narrower codecs have to be agreed first."},
		{"media/ptimeMs", 20, "20 ms is the packet time of G.711 that all take (RFC 3551 section 4.2)."},
	}
}

// muLaw are the countries whose networks carry µ-law (ITU-T G.711; common practice).
var muLaw = []string{"US", "CA", "JP"}

// watched asks the far end whether it is there.
func watched(seconds int) []setting {
	return []setting{
		{"link/sip/optionsIntervalSeconds", seconds, "By OPTIONS it is known to be away before a call has waited for it; more often, some take it for a flood."},
		{"link/sip/sessionTimer", "", "A far end that is gone in the middle of a call is noticed, and its channel comes free (RFC 4028)."},
	}
}

func join(parts ...[]setting) []setting { return slices.Concat(parts...) }

// phoneSystem is what every phone system of our own has in common.
func phoneSystem() []setting {
	return join(
		gives(numbering.AsDialled, numbering.Private, "Its users dial, and the plan makes numbers of what they dial; its callers are extensions."),
		[]setting{{"out/called/extension", "", "Its phones are known by their extensions."}},
		callerForms(numbering.National, numbering.International, "As its users would dial it, so that a missed call can be called back. Where they dial a prefix for an outside line, set it as the prefix of caller numbers."),
		[]setting{
			{"hairpin", nil, "Its users may be forwarded to each other through us, as those of every phone system."},
			{"services/forwarding", true, "Its users forward their phones; who diverted is needed to find the mailbox (RFC 5806)."},
			{"services/transfer", true, "Its users transfer calls; the plan's table decides what they may do so (RFC 3515)."},
			{"services/trunkToTrunk", false, "Two outside parties joined by a phone that is not in the call cost twice, and are how such lines are abused."},
			{"services/blf", true, "Its phones show waiting messages (RFC 3842)."},
		},
	)
}
