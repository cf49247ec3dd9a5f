package plan

import (
	"net/netip"
	"slices"
	"strings"
)

// ends compares where calls go, where they come from, and who registers as what.
func (s *SIP) ends(e *ends) {
	s.compareAddresses(e)
	s.compareAccounts(e)
}

func (s *SIP) compareAddresses(e *ends) {
	o := e.other
	at, _ := s.address(e.sw)
	e.add(o.RemoteAddress != "", sameAddress(o.RemoteAddress, at), EndRow{
		What: "Calls to the switch", SwitchValue: at, FarEndValue: o.RemoteAddress, Why: "its calls arrive elsewhere; change it there, or give the switch that address",
		TheirPlace: "remoteAddress", TheirValue: at,
	}, nil)
	e.add(len(o.ListenAddresses) > 0 && s.RemoteAddress != "", slices.ContainsFunc(o.ListenAddresses, func(a string) bool { return sameAddress(a, s.RemoteAddress) }), EndRow{
		What: "Calls to the far end", SwitchValue: s.RemoteAddress, FarEndValue: strings.Join(o.ListenAddresses, ", "), Why: "no listener at that address", Place: "link/sip/remoteAddress",
		TheirPlace: "listenAddresses", TheirValue: append(slices.Clone(o.ListenAddresses), s.RemoteAddress),
	}, first(o.ListenAddresses))
	if missing := s.untrusted(o); s.NeededAuth() != AuthDigest {
		trusted := append(slices.Clone(s.TrustedAddresses), missing...)
		e.add(len(o.ListenAddresses) > 0, len(missing) == 0, EndRow{
			What: "Source addresses", SwitchValue: orWord(strings.Join(s.TrustedAddresses, ", "), "no trusted address"), FarEndValue: strings.Join(o.ListenAddresses, ", "),
			Why: "calls from " + strings.Join(missing, ", ") + " are rejected as unknown sources", Place: "link/sip/trustedAddresses",
		}, trusted)
	}
	ours := orWord(s.Transport, "udp")
	e.add(o.Transport != "", ours == o.Transport, EndRow{
		What: "Transport", SwitchValue: ours, FarEndValue: o.Transport, Why: "the far end does not listen on this transport", Place: "link/sip/transport",
		TheirPlace: "transport", TheirValue: ours,
	}, o.Transport)
}

// untrusted are the other side's addresses from which calls are not trusted.
func (s *SIP) untrusted(other FarEndSettings) (list []string) {
	for _, text := range other.ListenAddresses {
		at, err := netip.ParseAddrPort(text)
		if err != nil {
			continue
		}
		if !slices.ContainsFunc(s.TrustedAddresses, func(trusted string) bool {
			trust, err := ParseTrust(trusted)
			return err == nil && trust.Takes(at)
		}) {
			list = append(list, at.Addr().String())
		}
	}
	return slices.Compact(list)
}

func (s *SIP) compareAccounts(e *ends) {
	o := e.other
	who := map[string]string{RegistrationNone: "none", RegistrationInbound: "inbound", RegistrationOutbound: "outbound"}
	ours := orWord(s.Registration, RegistrationNone)
	e.add(o.Registration != "", ours == o.Registration, EndRow{
		What: "Registration", SwitchValue: who[ours], FarEndValue: who[o.Registration], Why: "the registration never arrives, or is rejected", Place: "link/sip/registration",
		TheirPlace: "registration", TheirValue: ours,
	}, o.Registration)
	e.add(o.InboundUser != "", slices.ContainsFunc(s.InboundAccounts, func(a Account) bool { return a.User == o.InboundUser }), EndRow{
		What: "Inbound account", SwitchValue: users(s.InboundAccounts), FarEndValue: o.InboundUser, Why: "the switch has no such account",
		TheirPlace: firstUser("inboundUser", s.InboundAccounts), TheirValue: users(s.InboundAccounts),
	}, nil)
	e.add(o.OutboundUser != "", slices.ContainsFunc(s.OutboundAccounts, func(a Account) bool { return a.User == o.OutboundUser }), EndRow{
		What: "Outbound account", SwitchValue: users(s.OutboundAccounts), FarEndValue: o.OutboundUser, Why: "the far end has no such account",
		TheirPlace: firstUser("outboundUser", s.OutboundAccounts), TheirValue: users(s.OutboundAccounts),
	}, nil)
}

// firstUser is the place of a name over there, if one account alone could be meant.
func firstUser(place string, list []Account) string {
	if len(list) == 1 {
		return place
	}
	return ""
}

func users(list []Account) string {
	var names []string
	for _, a := range list {
		names = append(names, a.User)
	}
	return orWord(strings.Join(names, ", "), "none")
}

// sameAddress compares an address with a port, 5060 if it has none.
func sameAddress(a, b string) bool {
	read := func(text string) netip.AddrPort {
		if at, err := netip.ParseAddrPort(text); err == nil {
			return at
		}
		addr, _ := netip.ParseAddr(text)
		return netip.AddrPortFrom(addr, 5060)
	}
	return a == b || read(a).IsValid() && read(a) == read(b)
}

// mirror is what it is set to as the other side sees it: who registers is said from there.
func (s *SIP) mirror(sw Switch, into *FarEndSettings) {
	at, _ := s.address(sw)
	into.RemoteAddress, into.ListenAddresses, into.Transport = s.RemoteAddress, []string{at}, orWord(s.Transport, "udp")
	into.Registration = mirrored(s.Registration)
}
