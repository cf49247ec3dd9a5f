package editor

import (
	"strings"

	"switchback.example/switchback/internal/core/plan"
)

var (
	name = set("name", "Name")
	note = set("note", "Note").wide()
)

func switches() Kind {
	return kindOf(plan.OfSwitch, "Switches",
		Section{Title: "Location", Settings: []Setting{
			name,
			set("region/country", "Country").hint("Two letters, ISO 3166."),
			set("region/area", "Area code").code().hint("As dialled within the country, without the national prefix."),
			set("region/timeZone", "Time zone").hint("IANA name, such as Europe/London."),
			set("region/local", "Further local areas").or("none").hint("Area codes of the class local, one a line."),
			set("region/emergency", "Emergency numbers of the site").or("none").hint("Beside those of the country: number and service, such as fire, one a line (RFC 5031)."),
			set("region/classes", "Call classes of the site").or("none").hint("Dial pattern in E.164, class and note, one a line; before those of the country.").wide(),
			set("ownNumbers", "Calls to own public numbers").of("", "stay inside", plan.OwnNumbersOutside, "leave by the plan").same(plan.OwnNumbersInside).hint("Numbers of the inventory, dialled outside by a phone."),
			set("lastResort", "Last-resort destination").here().or("none").hint("Answers calls from outside to numbers that nothing answers."),
		}},
		Section{Title: "Listeners", Settings: []Setting{
			set("listeners/sip/address", "SIP address").code().hint("Address and port, UDP and TCP."),
			set("listeners/sip/tlsAddress", "SIP address for TLS").code().or("none").hint("Address and port; the certificate is a file beside the program."),
			set("listeners/sip/realm", "Realm").or("the switch id").hint("Sent in digest challenges."),
		}},
		Section{Title: "RTP ports", Settings: []Setting{
			set("media/address", "RTP address").code().or("the SIP address"),
			set("media/firstPort", "First RTP port").or(plan.DefaultFirstPort).hint("A call through the switch takes 4 ports."),
			set("media/lastPort", "Last RTP port").or(plan.DefaultLastPort),
		}},
		Section{Title: "Unknown sources", About: "Sources of a trunk are slowed down and never blocked.", Settings: []Setting{
			set("unknownSources/policy", "Unknown-source policy").of("", "drop", plan.UnknownChallenge, "401 Unauthorized", plan.UnknownForbid, "403 Forbidden").same(plan.UnknownDrop),
			set("unknownSources/failedAttempts", "Failed attempts until block").or(plan.DefaultFailedAttempts),
			set("unknownSources/windowMinutes", "Window of failed attempts").unit("min").or(plan.DefaultWindowMinutes),
			set("unknownSources/blockHours", "Block duration").unit("h").or(plan.DefaultBlockHours),
			set("unknownSources/callsPerSecond", "Max calls per source").unit("per second").or(plan.DefaultCallsPerSecond),
			set("unknownSources/unknownPerSecond", "Max messages, unknown sources").unit("per second").or(plan.DefaultUnknownPerSecond).hint("All together, also far ends that have not registered yet; the rest is dropped unread."),
			set("unknownSources/perSourcePerSecond", "Max messages per unknown source").unit("per second").or(plan.DefaultPerSourcePerSecond),
		}},
	)
}

func farEnds() Kind {
	return kindOf(plan.OfFarEnd, "Far ends", Section{Title: "Far end", Settings: []Setting{
		name,
		set("kind", "Kind").of(
			string(plan.PhoneSystem), "phone system", string(plan.Carrier), "carrier", string(plan.Gateway), "gateway",
			string(plan.PeerNetwork), "peer network", string(plan.Application), "application",
		).hint("Tells inside from outside."),
		set("site", "Site"),
		note,
	}})
}

func destinations() Kind {
	kinds := []string{}
	for _, k := range plan.DestinationKinds {
		kinds = append(kinds, k, strings.ReplaceAll(k, "-", " "))
	}
	return kindOf(plan.OfDestination, "Destinations", Section{Title: "Destination", Settings: []Setting{
		name,
		set("kind", "Kind").of(kinds...),
		set("trunk", "Trunk"),
		set("number", "Number sent").code().or("the called number"),
		set("numberPattern", "Existing numbers").code().hint("Dial pattern; the called number must match it."),
		note,
	}})
}

func callerGroups() Kind {
	k := kindOf(plan.OfCallerGroup, "Caller groups", Section{
		Title: "Members", About: "A call belongs to the first group that its trunk and its caller match. Its permissions are set in the view Callers.",
		Settings: []Setting{
			name,
			set("callerPattern", "Caller pattern").code().or("every caller").hint("Dial pattern of the caller's number as received, such as 20xx."),
			set("trunks", "Trunks").or("any").hint("Ids, one a line."),
			set("inboundTable", "Inbound routing table").or("that of the trunk"),
			note,
		},
		Covers: []string{"permissions"},
	})
	k.Ordered = "A call belongs to the first group that it matches"
	return k
}

func calendars() Kind {
	return kindOf(plan.OfCalendar, "Calendars",
		Section{Title: "Month", Special: "month"},
		Section{Title: "Calendar", Settings: []Setting{
			name,
			set("timeZone", "Time zone").or("that of the switch").hint("IANA name, such as Europe/London."),
			set("defaultState", "Default state"),
			set("overrideOnlyStates", "Override-only states").or("none").hint("Such as storm, one a line; set by override or dialled code."),
			note,
		}},
		Section{Title: "Week", Special: "week", Covers: []string{"week"}},
		Section{Title: "Dates and public holidays", Special: "dates", Covers: []string{"dates", "holidays"}},
	)
}
