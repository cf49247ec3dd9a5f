package profile

import (
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// What carriers and others take and refuse is common practice, where no standard is
// named.

var (
	entry   = ask{places: []string{"inboundTable"}, why: "Which table decides its calls: without one nobody can call in by it."}
	address = ask{places: []string{"link/sip/remoteAddress", "link/sip/dnsName"}, why: "Where its calls go: the address and port, or the name, from its papers."}
	sources = ask{places: []string{"link/sip/trustedAddresses"}, why: "Every address from which its calls can come; one that is left out is a stranger."}
	bought  = ask{places: []string{"farEndSettings/channels"}, why: "How many calls at one time were bought. With more set here, those beyond are refused there; with fewer, some are paid for and never used."}
)

const carrierSendsNothingOn = "A carrier brings and takes calls; it has nothing to send on at our cost."

var all = []Profile{
	{
		ID: "strict-e164-carrier", Name: "Strict E.164 carrier", Kind: plan.Carrier,
		About: "Takes and gives every number with + and country code, and refuses all others. Known by address.",
		asks:  []ask{address, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("It knows us by our address, and expects no registration."),
				gives(numbering.E164, numbering.E164, "Its numbers come with + and country code, so the plan reads them without guessing (ITU-T E.164)."),
				calledForms(numbering.E164, numbering.E164, "Without + it answers 404, or takes the first digits for something else."),
				callerForms(numbering.E164, numbering.E164, "A caller number in another form is refused with 403, or replaced."),
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(30))
		},
	},
	{
		ID: "ten-digit-carrier", Name: "Ten-digit carrier", Kind: plan.Carrier,
		About: "Of a country without trunk prefix in its numbers, such as the US: ten digits both ways.",
		asks:  []ask{address, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("It knows us by our address, and expects no registration."),
				gives(numbering.NationalBare, numbering.NationalBare, "Its numbers come as ten digits: area code and number, without 1."),
				calledForms(numbering.NationalBare, numbering.International, "Ten digits at home; abroad the international prefix (011) tells a country code from an area code."),
				[]setting{
					{"out/caller/domestic", string(numbering.NationalBare), "Eleven digits or a + make it a foreign number, or an invalid one."},
					{"out/caller/international", string(plan.Refuse), "A foreign number has no ten digits, and cut to ten it is somebody else's. Ask whether it takes + in caller numbers."},
				},
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(30))
		},
	},
	{
		ID: "national-carrier", Name: "National carrier, we register", Kind: plan.Carrier,
		About: "Numbers as they are dialled in the country, with trunk prefix. We hold an account with it and register.",
		asks:  []ask{address, {places: []string{"link/sip/outboundAccounts"}, why: "The name and secret of the account that it gave us."}, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/registration", plan.RegistrationOutbound, "It sends our calls to where we last registered from; without a registration none comes."},
					{"link/sip/inboundAuth", plan.AuthSourceAddress, "Its calls carry no credential of its own; what proves them is where they come from."},
				},
				gives(numbering.National, numbering.National, "Its numbers come as dialled in the country: 0 and the area code, in most of Europe."),
				calledForms(numbering.National, numbering.International, "As dialled in the country; abroad with the international prefix, as in 00."),
				callerForms(numbering.National, numbering.International, "Compared digit by digit with the numbers of the account; what it does not know is replaced by the main number."),
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(30))
		},
	},
	{
		ID: "national-carrier-by-address", Name: "National carrier, known by address", Kind: plan.Carrier,
		About: "Numbers as they are dialled in the country, with trunk prefix. It knows us by our address, and expects no registration.",
		asks:  []ask{address, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("It knows us by our address, and expects no registration."),
				gives(numbering.National, numbering.National, "Its numbers come as dialled in the country; foreign callers come behind the international prefix."),
				calledForms(numbering.National, numbering.International, "As dialled in the country; abroad with the international prefix, as in 00."),
				callerForms(numbering.National, numbering.International, "Compared digit by digit with the numbers that were bought; what it does not know is replaced by the main number."),
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(30))
		},
	},
	{
		ID: "several-addresses-carrier", Name: "Carrier with several addresses", Kind: plan.Carrier,
		About: "Its calls come from any of several servers, and ours may go on to a further one where the first is silent. Which form its numbers have must be asked.",
		asks: []ask{
			address,
			{places: []string{"link/sip/trustedAddresses"}, least: 2, why: "All of its signalling addresses, or their network: calls come from each of them, and those from one that is missing are strangers'."},
			{places: []string{"in/calledFormat"}, why: "In which form it gives called numbers."},
			{places: []string{"out/called/domestic"}, why: "In which form it takes called numbers."},
			entry, bought,
		},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("A registration is at one of its servers, and calls come from all; so it goes by addresses."),
				publicOnly(), noServices(carrierSendsNothingOn), speech(sw), watched(10))
		},
	},
	{
		ID: "registering-phone-system", Name: "Phone system that registers", Kind: plan.PhoneSystem,
		About: "A phone system of our own, at an address that may change, which registers with us.",
		asks:  []ask{{places: []string{"link/sip/inboundAccounts"}, why: "A name for it, and a secret: it registers and proves its calls with them."}, entry},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/registration", plan.RegistrationInbound, "It says by REGISTER where it is, so its address need not be known or stay what it is."},
					{"link/sip/remoteAddress", "", "Calls go to where it registered from; an address beside that could only be wrong."},
					{"link/sip/inboundAuth", plan.AuthDigest, "A secret proves its calls: an address that may change cannot."},
					{"link/sip/maxContacts", 2, "One for the system, and one more for the time when it is restarted and its old registration still holds."},
				},
				phoneSystem(), watched(30))
		},
	},
	{
		ID: "phone-system-by-address", Name: "Phone system at a fixed address", Kind: plan.PhoneSystem,
		About: "A phone system of our own, in a network of our own, that is known by its address.",
		asks:  []ask{address, sources, entry},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("Its address is fixed and in a network of our own. An address over UDP is as good as that network: whoever can send from it can call as this phone system."),
				phoneSystem(), watched(30))
		},
	},
	{
		ID: "gateway-with-ports", Name: "Gateway with one account per port", Kind: plan.Gateway,
		About: "A box of analog ports, each of which registers for itself.",
		asks: []ask{
			{places: []string{"link/sip/inboundAccounts"}, why: "One account for each port, with the number that rings it and the port in words; a call without an account to it rings nowhere."}, entry,
		},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/registration", plan.RegistrationInbound, "Each port registers under its own name, and a call goes to the port whose account has its number."},
					{"link/sip/remoteAddress", "", "Calls go to where each port registered from."},
					{"link/sip/inboundAuth", plan.AuthDigest, "The secret says which port calls; the address is the same for all of them."},
					{"link/sip/maxContacts", 1, "A port is one line: a second contact under its name is somebody else, or a copy of its settings."},
				},
				gives(numbering.AsDialled, numbering.Private, "Whoever lifts the line dials; the port sends the digits as they are."),
				[]setting{{"out/called/extension", "", "The ports are known by their numbers, as they stand in the accounts."}},
				callerForms(numbering.National, numbering.International, "Shown on analog phones, where + cannot be dialled back."),
				[]setting{
					{"hairpin", true, "A call from one port to another goes back to the same box."},
					{"media/telephoneEvents", "", "Keys pressed in a call come as events, so that menus hear them whatever the codec does (RFC 4733)."},
				},
				noServices("An analog line has no way to ask for it; a hook flash stays in the gateway."), speech(sw), watched(30))
		},
	},
	{
		ID: "voicemail-server", Name: "Voicemail server", Kind: plan.Application,
		About: "Takes calls that nobody answered, has to know whose they were, and lights lamps.",
		asks: []ask{
			address, sources, entry,
			{places: []string{"link/sip/targets", "link/sip/dnsName"}, why: "A second server, where there is one: callers hear nothing of the first being away."},
		},
		settings: func(sw plan.Switch) []setting {
			return join(
				trustedByAddress("A server has a fixed address, and stands in a network of our own."),
				gives(numbering.Private, numbering.Private, "It calls extensions, and calls as one."),
				[]setting{
					{"services/redirecting", plan.RedirectingBoth, "The mailbox is that of the phone which diverted the call; without it callers are asked for a mailbox. Diversion (RFC 5806) is the older way, History-Info (RFC 7044) the standard."},
					{"services/mwiAccept", true, "It says by NOTIFY that messages wait, and the phone systems are told (RFC 3842)."},
					{"services/transfer", true, "Out of a mailbox callers ask for the operator or another extension (RFC 3515)."},
					{"services/forwarding", false, "It is where calls end that were diverted."},
					{"services/trunkToTrunk", false, "An outside caller in a mailbox must not get an outside line."},
				},
				callerForms(numbering.National, numbering.International, "Read out with the message, as it would be dialled."),
				[]setting{
					{"hairpin", false, "A mailbox that calls a phone which diverts to the mailbox would go round."},
					{"media/telephoneEvents", "", "Its menus go by keys, which come as events (RFC 4733)."},
				}, watched(10))
		},
	},
	{
		ID: "cloud-platform-tls", Name: "Cloud phone platform over TLS", Kind: plan.PhoneSystem,
		About: "Phones that are run elsewhere and reached over the internet: encrypted signalling and sound, + everywhere.",
		asks:  []ask{address, {places: []string{"link/sip/tlsServerName"}, why: "The name on its certificate: an address alone proves nobody."}, sources, entry, bought},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{
					{"link/sip/transport", "tls", "The way there is the internet, where anybody could read numbers and take keys (RFC 3261 section 26.3)."},
					{"media/encryption", plan.MediaSRTP, "It refuses sound in the clear; the keys go in the signalling, which is why that is encrypted too (RFC 4568)."},
					{"media/path", "", "Sound is decrypted here and goes on in the clear to those who cannot encrypt."},
					{"media/comfortNoise", plan.MediaRemove, "It refuses descriptions that offer comfort noise (RFC 3389)."},
				},
				trustedByAddress("It knows us by our certificate and address, and registers with nobody."),
				gives(numbering.E164, numbering.E164, "It knows no country, so its numbers come with + and country code."),
				calledForms(numbering.E164, numbering.E164, "Its users are numbers with +; without it nobody is found (404)."),
				callerForms(numbering.E164, numbering.E164, "Its screens show + alone as a number that can be called back; others are refused."),
				publicOnly()[:3],
				[]setting{{"hairpin", nil, "Its users call each other through us, where their numbers are ours; phone systems may."}},
				noServices("It forwards and transfers within itself."), speech(sw), watched(30))
		},
	},
	{
		ID: "cloud-platform-tcp", Name: "Cloud phone platform over TCP", Kind: plan.PhoneSystem,
		About: "Phones that are run elsewhere and reached by TCP over a private way, such as a tunnel: + everywhere, sound in the clear.",
		asks:  []ask{address, sources, entry, bought, {places: []string{"link/sip/publicName"}, why: "The DNS name under which it knows this switch: such platforms take calls from names that they know, in Contact and From."}},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{{"link/sip/transport", "tcp", "Its messages are long, and a connection carries them whole (RFC 3261 section 18.1.1). Nothing is encrypted: the way has to be."}},
				trustedByAddress("It knows us by name and address, and registers with nobody."),
				gives(numbering.E164, numbering.E164, "It knows no country, so its numbers come with + and country code."),
				calledForms(numbering.E164, numbering.E164, "Its users are numbers with +; without it nobody is found (404)."),
				callerForms(numbering.E164, numbering.E164, "Its screens show + alone as a number that can be called back; others are refused."),
				publicOnly()[:3],
				[]setting{{"hairpin", nil, "Its users call each other through us, where their numbers are ours; phone systems may."}},
				noServices("It forwards and transfers within itself."), speech(sw), watched(30))
		},
	},
	{
		ID: "peer-network-tcp", Name: "Peer network over TCP", Kind: plan.PeerNetwork,
		About: "The network of another organisation, reached by TCP: public numbers with +, calls both ways, no outside lines of ours.",
		asks:  []ask{address, sources, entry},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{{"link/sip/transport", "tcp", "One connection for all calls, which both sides see end (RFC 3261 section 18)."}},
				trustedByAddress("Both sides know each other by address."),
				gives(numbering.E164, numbering.E164, "Between networks numbers are written with + and country code (ITU-T E.164)."),
				calledForms(numbering.E164, numbering.E164, "Between networks numbers are written with + and country code."),
				callerForms(numbering.E164, numbering.E164, "So that a missed call can be called back from there."),
				publicOnly(), noServices("What it sends on would be sent on at our cost."), speech(sw), watched(30))
		},
	},
	{
		ID: "gateway-with-cards", Name: "Gateway with cards", Kind: plan.Gateway,
		About: "A mobile gateway. One trunk for each card: one call, and the caller number is the card's.",
		asks:  []ask{address, sources, entry},
		settings: func(sw plan.Switch) []setting {
			return join(
				[]setting{{"channels", 1, "A card carries one call; a second one would be refused by the network after seconds."}},
				trustedByAddress("A gateway has a fixed address in a network of our own."),
				gives(numbering.AsDialled, numbering.National, "Called is the number that the card stands for in the gateway; callers come as the mobile network writes them."),
				calledForms(numbering.National, numbering.International, "As on a mobile phone of the country."),
				[]setting{
					{"out/caller/domestic", "", "Whatever is sent, the network shows the number of the card."},
					{"costRank", 50, "Its minutes are dear: a path that takes the cheapest first comes to it last."},
					{"hairpin", false, "The card is taken by the call that came; another by the same card cannot leave."},
				},
				noServices("The mobile network knows nothing of our transfers."), speech(sw), watched(10))
		},
	},
}
