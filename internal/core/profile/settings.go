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
		{"out/called/extension", string(plan.Refuse), "Extensions are not reachable on the public network; the switch rejects the call."},
		{"out/caller/extension", string(plan.Refuse), "An extension is not a public calling number; a rule must set one."},
		{"out/sendAnyway", false, "The far end may reject such a number after seconds; the switch fails over at once."},
		{"hairpin", false, "A call returned to the same carrier uses two channels and can loop."},
	}
}

// noServices leaves the far end nothing but calls.
func noServices(why string) []setting {
	return []setting{{"services/forwarding", false, why}, {"services/transfer", false, why}, {"services/trunkToTrunk", false, why}}
}

// trustedByAddress is a far end that both sides know by its address.
func trustedByAddress(why string) []setting {
	return []setting{{"link/sip/registration", "", why}, {"link/sip/inboundAuth", plan.AuthSourceAddress, "Its calls carry no credentials; the source address identifies them."}}
}

// speech is G.711 of the country, first and with the other law behind it.
func speech(sw plan.Switch) []setting {
	first, second := "PCMA", "PCMU"
	why := "Networks outside North America and Japan use A-law; µ-law is second for calls from there."
	if slices.Contains(muLaw, sw.Region.Country) {
		first, second = second, first
		why = "Networks of North America and Japan use µ-law; A-law is second for other calls."
	}
	return []setting{
		{"media/codecs", []string{first, second}, why + " Agree other codecs first."},
		{"media/ptimeMs", 20, "20 ms is the default packet time of G.711 (RFC 3551 section 4.2)."},
	}
}

// muLaw are the countries whose networks carry µ-law (ITU-T G.711; common practice).
var muLaw = []string{"US", "CA", "JP"}

// watched asks the far end whether it is there.
func watched(seconds int) []setting {
	return []setting{
		{"link/sip/optionsIntervalSeconds", seconds, "OPTIONS detects an outage before a call waits. A short interval may look like a flood."},
		{"link/sip/sessionTimer", "", "Session refresh detects a lost far end and releases the channel (RFC 4028)."},
	}
}

func join(parts ...[]setting) []setting { return slices.Concat(parts...) }

// phoneSystem is what every phone system of our own has in common.
func phoneSystem() []setting {
	return join(
		gives(numbering.AsDialled, numbering.Private, "Called numbers arrive as dialled; calling numbers are extensions."),
		[]setting{{"out/called/extension", "", "Phones are reached by extension."}},
		callerForms(numbering.National, numbering.International, "As its users dial it, so that a missed call can be called back. Add the outside prefix where users dial one."),
		[]setting{
			{"hairpin", nil, "Calls between its users may pass through the switch."},
			{"services/forwarding", true, "Phones forward calls; the redirecting number selects the mailbox (RFC 5806)."},
			{"services/transfer", true, "Users transfer calls (RFC 3515); the table for forwarded calls decides them."},
			{"services/trunkToTrunk", false, "Joining two outside parties costs twice and invites fraud."},
			{"services/blf", true, "Phones show message waiting (RFC 3842)."},
		},
	)
}
