package profile

import (
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// What carriers and others take and refuse is common practice, where no standard is
// named.

var (
	entry   = ask{places: []string{"inboundTable"}, why: "Routing table for its calls. Without one, no inbound call is accepted."}
	address = ask{places: []string{"link/sip/remoteAddress", "link/sip/dnsName"}, why: "Address and port, or domain, from the order confirmation."}
	sources = ask{places: []string{"link/sip/trustedAddresses"}, why: "Every address from which its calls can come. Others are unknown sources."}
	bought  = ask{places: []string{"farEndSettings/channels"}, why: "Number of simultaneous calls ordered. With more set here, the carrier rejects the excess."}
)

const carrierSendsNothingOn = "Forwarding and transfer by a carrier would be at your cost."

var all = []Profile{
	{
		ID: "strict-e164-carrier", Name: "Strict E.164 carrier", Kind: plan.Carrier,
		About: "Sends and accepts numbers as E.164 with +. Identified by address.",
		asks:  []ask{address, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("It identifies the switch by address and expects no registration."),
				gives(numbering.E164, numbering.E164, "Sends numbers as E.164 with + (ITU-T E.164)."),
				calledForms(numbering.E164, numbering.E164, "May reject a number without + (404) or misread its first digits."),
				callerForms(numbering.E164, numbering.E164, "May reject another format with 403, or replace the number."),
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(30))
		},
	},
	{
		ID: "ten-digit-carrier", Name: "Ten-digit carrier", Kind: plan.Carrier,
		About: "For a country without a trunk prefix in its numbers, such as the US: ten digits in both directions.",
		asks:  []ask{address, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("It identifies the switch by address and expects no registration."),
				gives(numbering.NationalBare, numbering.NationalBare, "Sends ten digits: area code and number, without 1."),
				calledForms(numbering.NationalBare, numbering.International, "Ten digits for domestic numbers; 011 before a country code."),
				[]setting{
					{"out/caller/domestic", string(numbering.NationalBare), "May treat eleven digits or + as invalid."},
					{"out/caller/international", string(plan.Refuse), "An international calling number does not fit ten digits. Ask whether + is accepted."},
				},
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(30))
		},
	},
	{
		ID: "national-carrier", Name: "National carrier, switch registers", Kind: plan.Carrier,
		About: "National numbers with trunk prefix. The switch registers with an account of the carrier.",
		asks:  []ask{address, {places: []string{"link/sip/outboundAccounts"}, why: "User and secret of the account, from the carrier."}, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/registration", plan.RegistrationOutbound, "It sends calls to the registered contact; without a registration no call arrives."},
					{"link/sip/inboundAuth", plan.AuthSourceAddress, "Its calls carry no credentials; the source address identifies them."},
				},
				gives(numbering.National, numbering.National, "Sends national numbers with trunk prefix: 0 and the area code in most of Europe."),
				calledForms(numbering.National, numbering.International, "National number with trunk prefix; international prefix such as 00 before a country code."),
				callerForms(numbering.National, numbering.International, "May replace a number outside the account by the main number."),
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(30))
		},
	},
	{
		ID: "national-carrier-by-address", Name: "National carrier, by address", Kind: plan.Carrier,
		About: "National numbers with trunk prefix. Identified by address, no registration.",
		asks:  []ask{address, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("It identifies the switch by address and expects no registration."),
				gives(numbering.National, numbering.National, "Sends national numbers with trunk prefix, and international calling numbers with the international prefix."),
				calledForms(numbering.National, numbering.International, "National number with trunk prefix; international prefix such as 00 before a country code."),
				callerForms(numbering.National, numbering.International, "May replace a number outside the ordered blocks by the main number."),
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(30))
		},
	},
	{
		ID: "several-addresses-carrier", Name: "Carrier with several addresses", Kind: plan.Carrier,
		About: "Sends calls from several servers; calls to it fail over between them. Ask for its number format.",
		asks: []ask{
			address,
			{places: []string{"link/sip/trustedAddresses"}, least: 2, why: "All of its signalling addresses or their network. Calls from a missing address are rejected."},
			{places: []string{"in/calledFormat"}, why: "Format of called numbers that it sends."},
			{places: []string{"out/called/domestic"}, why: "Format of called numbers that it accepts."},
			entry, bought,
		},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("It sends calls from all servers, so addresses identify it, not a registration."),
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(10))
		},
	},
	{
		ID: "registering-phone-system", Name: "Phone system that registers", Kind: plan.PhoneSystem,
		About: "Phone system at a dynamic address that registers with the switch.",
		asks:  []ask{{places: []string{"link/sip/inboundAccounts"}, why: "User and secret for registration and digest authentication."}, entry},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/registration", plan.RegistrationInbound, "REGISTER gives its contact, so its address may change."},
					{"link/sip/remoteAddress", "", "Calls go to the registered contact."},
					{"link/sip/inboundAuth", plan.AuthDigest, "A dynamic address cannot identify it; digest authentication does."},
					{"link/sip/maxContacts", 2, "One contact, and one more while an old registration expires after a restart."},
				},
				phoneSystem(), watched(30))
		},
	},
	{
		ID: "phone-system-by-address", Name: "Phone system at a fixed address", Kind: plan.PhoneSystem,
		About: "Phone system at a static address in your own network.",
		asks:  []ask{address, sources, entry},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("Static address in your own network. Over UDP a source address can be forged by hosts of that network."),
				phoneSystem(), watched(30))
		},
	},
	{
		ID: "gateway-with-ports", Name: "Gateway with one account per port", Kind: plan.Gateway,
		About: "Analog ports, each with its own registration.",
		asks: []ask{
			{places: []string{"link/sip/inboundAccounts"}, why: "One account per port, with its number and a note. A number without an account is not reachable."}, entry,
		},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/registration", plan.RegistrationInbound, "Each port registers with its own user; the account's number selects the port."},
					{"link/sip/remoteAddress", "", "Calls go to the registered contact of the port."},
					{"link/sip/inboundAuth", plan.AuthDigest, "All ports share one address; digest authentication identifies the port."},
					{"link/sip/maxContacts", 1, "A port has one line; a second contact is a copy of its settings or a foreign device."},
				},
				gives(numbering.AsDialled, numbering.Private, "The port sends digits as dialled."),
				[]setting{{"out/called/extension", "", "Accounts list the numbers of the ports."}},
				callerForms(numbering.National, numbering.International, "Analog phones cannot dial + to call back."),
				[]setting{
					{"hairpin", true, "Calls between ports return to the same gateway."},
					{"media/telephoneEvents", "", "DTMF as telephone events survives any codec (RFC 4733)."},
				},
				noServices("An analog line cannot request it; a hook flash stays in the gateway."), speech(sw), watched(30))
		},
	},
	{
		ID: "voicemail-server", Name: "Voicemail server", Kind: plan.Application,
		About: "Answers forwarded calls, needs the redirecting number, and sends message-waiting notifications.",
		asks: []ask{
			address, sources, entry,
			{places: []string{"link/sip/targets", "link/sip/dnsName"}, why: "A second server, if there is one, for failover."},
		},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("Static address in your own network."),
				gives(numbering.Private, numbering.Private, "Its numbers are extensions."),
				[]setting{
					{"services/redirecting", plan.RedirectingBoth, "The redirecting number selects the mailbox: Diversion (RFC 5806) and History-Info (RFC 7044)."},
					{"services/mwiAccept", true, "Its NOTIFY updates message waiting on the phone systems (RFC 3842)."},
					{"services/transfer", true, "Callers in a mailbox can transfer to the operator or an extension (RFC 3515)."},
					{"services/forwarding", false, "It answers forwarded calls and forwards none."},
					{"services/trunkToTrunk", false, "An outside caller in a mailbox must not reach an outside line."},
				},
				callerForms(numbering.National, numbering.International, "Announced with the message, as dialled."),
				[]setting{
					{"hairpin", false, "A phone forwarded to its mailbox would loop."},
					{"media/telephoneEvents", "", "Its menus need DTMF as telephone events (RFC 4733)."},
				}, watched(10))
		},
	},
	{
		ID: "cloud-platform-tls", Name: "Cloud phone platform over TLS", Kind: plan.PhoneSystem,
		About: "Hosted phones over the internet: TLS, SRTP, E.164 with +.",
		asks:  []ask{address, {places: []string{"link/sip/tlsServerName"}, why: "Name in its certificate; an address alone is not verified."}, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/transport", "tls", "The internet is not private; TLS protects numbers and SRTP keys (RFC 3261 section 26.3)."},
					{"media/encryption", plan.MediaSRTP, "May reject RTP without encryption. Keys travel in the signalling, so that needs TLS (RFC 4568)."},
					{"media/path", "", "The switch decrypts media for far ends without SRTP."},
					{"media/comfortNoise", plan.MediaRemove, "May reject offers with comfort noise (RFC 3389)."},
				},
				trustedByAddress("It identifies the switch by certificate and address, without registration."),
				gives(numbering.E164, numbering.E164, "Sends numbers as E.164 with +."),
				calledForms(numbering.E164, numbering.E164, "Its users are E.164 numbers; a number without + may get 404."),
				callerForms(numbering.E164, numbering.E164, "May reject a calling number without +."),
				publicOnly()[:3],
				[]setting{{"hairpin", nil, "Calls between its users may pass through the switch."}},
				noServices("It forwards and transfers internally."), speech(sw), watched(30))
		},
	},
	{
		ID: "cloud-platform-tcp", Name: "Cloud phone platform over TCP", Kind: plan.PhoneSystem,
		About: "Hosted phones over a private link such as a tunnel: TCP, RTP, E.164 with +.",
		asks:  []ask{address, sources, entry, bought, {places: []string{"link/sip/publicName"}, why: "DNS name of this switch. Such platforms may accept only known names in Contact and From."}},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{{"link/sip/transport", "tcp", "TCP carries long messages (RFC 3261 section 18.1.1). Nothing is encrypted, so the link must be private."}},
				trustedByAddress("It identifies the switch by name and address, without registration."),
				gives(numbering.E164, numbering.E164, "Sends numbers as E.164 with +."),
				calledForms(numbering.E164, numbering.E164, "Its users are E.164 numbers; a number without + may get 404."),
				callerForms(numbering.E164, numbering.E164, "May reject a calling number without +."),
				publicOnly()[:3],
				[]setting{{"hairpin", nil, "Calls between its users may pass through the switch."}},
				noServices("It forwards and transfers internally."), speech(sw), watched(30))
		},
	},
	{
		ID: "cloud-platform-registered", Name: "Cloud phone platform, switch registers", Kind: plan.PhoneSystem,
		About: "Hosted phones behind an account: TLS, registration, E.164 without +, transfers back to the switch.",
		asks: []ask{
			{places: []string{"link/sip/dnsName"}, why: "DNS SRV domain of the platform; its servers change."},
			{places: []string{"link/sip/tlsServerName"}, why: "Name in its certificate; an address alone is not verified."},
			{places: []string{"link/sip/outboundAccounts"}, why: "User and secret of the account, from the platform."}, sources, entry, bought,
		},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/transport", "tls", "The internet is not private (RFC 3261 section 26.3)."},
					{"link/sip/registration", plan.RegistrationOutbound, "It sends calls to the registered contact, also through a NAT."},
					{"link/sip/inboundAuth", plan.AuthSourceAddress, "Its calls carry no credentials; the source address identifies them."},
					{"media/path", "", "Its media servers are not in your network, so media passes through the switch."},
					{"media/comfortNoise", "", "Accepts comfort noise (RFC 3389) in the offer."},
				},
				gives(numbering.E164Bare, numbering.E164Bare, "Sends numbers as E.164 without +."),
				calledForms(numbering.E164Bare, numbering.E164Bare, "May reject a number with + as a user name that it does not know."),
				callerForms(numbering.E164Bare, numbering.E164Bare, "May replace a number outside the account by the main number."),
				publicOnly()[:3],
				[]setting{
					{"hairpin", nil, "Calls between its users may pass through the switch."},
					{"services/transfer", true, "Its users transfer calls by REFER to the switch (RFC 3515)."},
					{"services/forwarding", false, "It forwards internally."},
					{"services/trunkToTrunk", false, "An outside caller must not reach an outside line."},
				},
				speech(sw), watched(30))
		},
	},
	{
		ID: "peer-network-tcp", Name: "Peer network over TCP", Kind: plan.PeerNetwork,
		About: "Network of another organisation over TCP: E.164 with + in both directions, no transit to outside lines.",
		asks:  []ask{address, sources, entry},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{{"link/sip/transport", "tcp", "One connection for all calls (RFC 3261 section 18)."}},
				trustedByAddress("Both ends identify each other by address."),
				gives(numbering.E164, numbering.E164, "Networks exchange numbers as E.164 with + (ITU-T E.164)."),
				calledForms(numbering.E164, numbering.E164, "Networks exchange numbers as E.164 with +."),
				callerForms(numbering.E164, numbering.E164, "A missed call can be called back."),
				publicOnly(), noServices("Forwarding and transfer would be at your cost."), speech(sw), watched(30))
		},
	},
	{
		ID: "gateway-with-cards", Name: "Gateway with cards", Kind: plan.Gateway,
		About: "Mobile gateway. One trunk per SIM card: one call, and the network presents the card's number.",
		asks:  []ask{address, sources, entry},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{{"channels", 1, "A SIM card carries one call; the network rejects a second after seconds."}},
				trustedByAddress("Static address in your own network."),
				gives(numbering.AsDialled, numbering.National, "The called number is the gateway's own setting for the card; the mobile network sets the calling number."),
				calledForms(numbering.National, numbering.International, "As dialled on a mobile phone of the country."),
				[]setting{
					{"out/caller/domestic", "", "The network presents the number of the card."},
					{"costRank", 50, "Mobile minutes cost more, so least-cost paths use it last."},
					{"hairpin", false, "The inbound call occupies the card; no second call can use it."},
				},
				noServices("The mobile network cannot transfer for the switch."), speech(sw), watched(10))
		},
	},
}
