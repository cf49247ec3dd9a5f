package editor

import "switchback.example/switchback/internal/core/plan"

func trunks() Kind {
	return kindOf(plan.OfTrunk, "Trunks",
		Section{Title: "Two ends", Special: "profile", Covers: []string{"profile"}, Settings: []Setting{
			name,
			set("switch", "Switch"),
			set("farEnd", "Far end").or("none: a switch of this plan"),
			set("oppositeTrunk", "Opposite trunk").or("none: a far end").hint("The trunk of another switch of this plan for the same connection."),
			note,
		}},
		outbound(), inbound(), registration(), overlap(), channels(), media(), services(), farEndSettings(),
		Section{
			Title: "Number contract", Special: "contract", Covers: []string{"out"},
			About: "Formats of numbers that the far end sends and accepts. A called number that cannot be put into its format is not sent; a caller never costs the call.",
		},
	)
}

func outbound() Section {
	return Section{Title: "Outbound", Special: "targets", Covers: []string{"link/sip/targets"}, Settings: []Setting{
		set("link/sip/remoteAddress", "Remote address").code().or("where it registered from").hint("Address and port."),
		set("link/sip/dnsName", "DNS name").code().or("none").hint("In place of an address: SRV, then address records (RFC 3263)."),
		set("link/sip/outboundProxy", "Outbound proxy").code().or("none").hint("Address and port, named in Route."),
		set("link/sip/publicAddress", "Public address (NAT)").code().or("the own address").hint("As the far end sees the switch."),
		set("link/sip/publicName", "Public DNS name").code().or("the address").hint("In Via, Contact and From."),
		set("link/sip/transport", "Transport").of("", "UDP", "tcp", "TCP", "tls", "TLS").same("udp").hint("Requests too long for a datagram go by TCP."),
		set("link/sip/tlsServerName", "TLS server name").code().or("the remote address"),
		set("link/sip/optionsIntervalSeconds", "OPTIONS interval").unit("s").or("never"),
		set("link/sip/numberUri", "Number URI").of("", "sip", plan.NumbersUserPhone, "sip with user=phone", plan.NumbersTel, "tel (RFC 3966)").same("sip"),
		set("link/sip/sendTrunkGroup", "Trunk group sent").code().hint("tgrp (RFC 4904)."),
		set("link/sip/sendTrunkContext", "Trunk-context sent").code().hint("trunk-context (RFC 4904)."),
		set("group", "Trunk group").or("none").hint("A word by which rules name all trunks that have it."),
		set("costRank", "Cost rank").or("0, the cheapest").hint("Orders the choices of paths with cheapest first."),
	}}
}

func inbound() Section {
	return Section{Title: "Inbound", About: "Which calls belong to the trunk, and their authentication.", Settings: []Setting{
		set("inboundTable", "Inbound routing table").here().or("none: no inbound calls"),
		set("in/calledFormat", "Called number format").code().or("as-dialled").hint("Such as e164, national or as-dialled."),
		set("in/callerFormat", "Calling number format").code().or("unknown"),
		set("in/calledPrefix", "Called number prefix").code().or("none: whole numbers").hint("Before last digits, such as +441914 for six digits of +44 191 4…."),
		set("lastResort", "Last-resort destination").here().or("that of the switch, if it leads outside").hint("Answers numbers that nothing answers."),
		set("namePrefix", "Caller-name prefix").or("none").hint("Before the caller's name where it rings."),
		set("alertInfo", "Alert-Info").code().or("none").hint("Such as <urn:alert:source:external> (RFC 7462)."),
		set("link/sip/inboundAuth", "Inbound authentication").of(
			"", "digest if the far end registers, else source address", plan.AuthSourceAddress, "source address", plan.AuthDigest, "digest", plan.AuthBoth, "both",
		).hint("A source address can be forged over UDP."),
		set("link/sip/trustedAddresses", "Trusted addresses").or("none").hint("One a line: an address, one with a port, or a network."),
		set("link/sip/requireCertificate", "TLS client certificate").hint("Required on inbound connections, for the TLS server name; without trusted addresses it alone identifies the far end (RFC 5922)."),
		set("link/sip/digestAlgorithm", "Digest algorithm").of("", "SHA-256 or MD5", plan.DigestSHA256, "SHA-256", plan.DigestMD5, "MD5").same(plan.DigestBoth).hint("MD5 for far ends that answer only the first challenge."),
		set("link/sip/requestDomain", "Request-URI domain").code().hint("Tells trunks with one source address apart."),
		set("link/sip/requestTrunkGroup", "Request-URI trunk group").code().hint("tgrp (RFC 4904)."),
		set("link/sip/calledField", "Called number from").of("", "Request-URI", plan.CalledInTo, "To").same("request-uri"),
		set("link/sip/calledPattern", "Called pattern").code().hint("Dial pattern, as the number is received."),
		set("hairpin", "Hairpin").of("", "phone systems only", "true", "permitted", "false", "denied").hint("A call may leave by the trunk that it came by."),
	}}
}

func registration() Section {
	return Section{Title: "Registration", Special: "accounts", Covers: []string{"link/sip/inboundAccounts", "link/sip/outboundAccounts"}, Settings: []Setting{
		set("link/sip/registration", "Registration").of("", "none", plan.RegistrationInbound, "inbound (far end registers)", plan.RegistrationOutbound, "outbound (switch registers)").same(plan.RegistrationNone),
		set("link/sip/minExpires", "Min expiry").unit("s").or(plan.DefaultMinExpires),
		set("link/sip/maxExpires", "Max expiry").unit("s").or(plan.DefaultMaxExpires),
		set("link/sip/maxContacts", "Max contacts per account").or(plan.DefaultMaxContacts),
	}}
}

func overlap() Section {
	return Section{Title: "Overlap dialling", About: "Digits one by one (RFC 3578): the switch waits until the number is complete.", Settings: []Setting{
		set("overlap/enabled", "Overlap dialling"),
		set("overlap/endMark", "End mark #"),
		set("overlap/firstDigitMs", "First-digit timer").unit("ms").or(plan.DefaultFirstDigitMs),
		set("overlap/partialMs", "Partial timer (inter-digit)").unit("ms").or(plan.DefaultPartialMs),
		set("overlap/criticalMs", "Critical timer").unit("ms").or(plan.DefaultCriticalMs).hint("Waits for a longer number once one is complete."),
	}}
}

func channels() Section {
	return Section{Title: "Channels and limits", Settings: []Setting{
		set("channels", "Channels").hint("Calls at one time, both directions together."),
		set("reserved/emergency", "Reserved for emergency calls").or(0),
		set("reserved/in", "Reserved for inbound calls").or(0),
		set("reserved/out", "Reserved for outbound calls").or(0),
		set("callsPerSecond", "Max calls per second").or("no limit"),
		set("maxCallSeconds", "Max call duration").unit("s").or(plan.DefaultMaxCallSeconds),
		set("link/sip/sessionTimer", "Session timer").of("", "on", plan.SessionTimerOff, "off").same("on").hint("Ends calls whose far end is gone (RFC 4028)."),
		set("link/sip/sessionExpiresSeconds", "Session interval").unit("s").or(1800),
	}}
}

func media() Section {
	return Section{Title: "Media", Settings: []Setting{
		set("media/path", "Media path").of("", "through the switch", plan.MediaDirect, "direct").same(plan.MediaThrough).hint("Direct if either trunk of a call says so; then nothing is measured."),
		set("media/ptimeMs", "Packet time (ptime)").unit("ms").or("as offered"),
		set("media/codecs", "Codecs").or("all").hint("One a line, best first, such as PCMA; a call left without one gets 488."),
		set("media/comfortNoise", "Comfort noise").of("", "pass", plan.MediaRemove, "remove").same(plan.MediaPass).hint("RFC 3389."),
		set("media/encryption", "Media encryption").of("", "as negotiated", plan.MediaSRTP, "SRTP required").hint("Keys in SDP over TLS (RFC 4568); calls without it get 488."),
		set("media/telephoneEvents", "DTMF events").of("", "pass", plan.MediaRemove, "remove").same(plan.MediaPass).hint("RFC 4733."),
	}}
}

func services() Section {
	return Section{Title: "Services", About: "What the far end may do beside calling.", Settings: []Setting{
		set("services/forwarding", "Call forwarding").hint("By 3xx, or by a call that names who forwarded it (RFC 5806, RFC 7044)."),
		set("services/transfer", "Call transfer").hint("REFER (RFC 3515)."),
		set("services/replaces", "Call pickup, attended transfer").hint("Replaces (RFC 3891)."),
		set("services/trunkToTrunk", "Trunk-to-trunk transfer and forwarding").hint("Between two outside parties; denied calls get 403."),
		set("services/mwiAccept", "Accept MWI").hint("NOTIFY of waiting messages (RFC 3842)."),
		set("services/blf", "Send MWI and BLF").hint("For the extensions that are delivered to it."),
		set("services/table", "Table of forwarded calls").here().or("the inbound routing table"),
		set("services/redirecting", "Redirecting number sent").of("", "none", plan.RedirectingDiversion, "Diversion", plan.RedirectingHistory, "History-Info", plan.RedirectingBoth, "both").hint("Voicemail finds the mailbox by it."),
	}}
}

func farEndSettings() Section {
	return Section{Title: "Far-end settings", About: "As its operator says, as in a carrier's welcome letter: compared, never applied.", Settings: []Setting{
		set("farEndSettings/channels", "Channels bought").or("not known"),
		set("farEndSettings/remoteAddress", "Sends calls to").code().or("not known").hint("Address and port."),
		set("farEndSettings/listenAddresses", "Far-end addresses").or("not known").hint("One a line, address and port."),
		set("farEndSettings/transport", "Far-end transport").of("", "not known", "udp", "UDP", "tcp", "TCP", "tls", "TLS"),
		set("farEndSettings/registration", "Far-end registration").of("", "not known", plan.RegistrationNone, "none", plan.RegistrationInbound, "inbound (far end registers)", plan.RegistrationOutbound, "outbound (switch registers)"),
		set("farEndSettings/inboundUser", "User of its account").or("not known"),
		set("farEndSettings/outboundUser", "User of the switch's account").or("not known"),
		set("farEndSettings/inboundFormat", "Called number format sent").code().or("not known").hint("Such as e164."),
		set("farEndSettings/outboundFormat", "Called number format accepted").code().or("not known").hint("Such as e164."),
		set("farEndSettings/codecs", "Far-end codecs").or("not known").hint("One a line."),
		set("farEndSettings/comfortNoise", "Far-end comfort noise").of("", "not known", plan.MediaPass, "accepted", plan.MediaRemove, "rejected"),
		set("farEndSettings/encryption", "Far-end encryption").of("", "not known", "none", "none", plan.MediaSRTP, "SRTP"),
	}}
}

func paths() Kind {
	return kindOf(plan.OfPath, "Paths",
		Section{Title: "Choices", Special: "choices", Covers: []string{"choices"}, Settings: []Setting{
			name,
			set("switch", "Switch"),
			set("order", "Order").of("", "as listed", plan.CheapestFirst, "cheapest first", plan.ByWeight, "by weight", plan.RoundRobin, "round robin").same(plan.ChoicesAsListed),
			set("maxAttempts", "Max attempts").or("every choice"),
		}},
		Section{Title: "Failover", Settings: []Setting{
			set("timers/noResponseMs", "No-response timer").unit("ms").or(plan.DefaultNoResponseMs),
			set("timers/only100Ms", "100-only timer").unit("ms").or(plan.DefaultOnly100Ms),
			set("timers/ringingMs", "Ringing timer").unit("ms").or(plan.DefaultRingingMs),
			set("failoverAfterRinging", "Failover after ringing").hint("Or after early media was passed to the caller."),
			set("failoverCauses", "Failover causes").hint("Q.850, beside the default ones."),
			set("stopCauses", "Stop causes").hint("Q.850, beside the default ones."),
			note,
		}},
	)
}
