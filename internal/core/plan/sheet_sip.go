package plan

import (
	"fmt"
	"net/netip"
	"strings"
)

// lines gathers lines of a part of a sheet.
type lines []string

func (l *lines) add(format string, args ...any) { *l = append(*l, fmt.Sprintf(format, args...)) }

// sheet is what the far end must enter of the link.
func (s *SIP) sheet(of *sheet) (out signallingSheet) {
	out.addresses = s.sheetAddresses(of)
	out.identification = s.sheetIdentification(of.sw)
	out.ports = s.sheetPorts(of.sw)
	out.calledFrom = "the request URI"
	if s.CalledField == CalledInTo {
		out.calledFrom = "To"
	}
	if host, first, last, ok := of.sw.MediaPorts(); ok && !of.t.Media.Direct() {
		outside := s.SeenAs(netip.AddrPortFrom(host, first)).Addr()
		out.ports = append(out.ports, fmt.Sprintf("| you | UDP %s, ports %d to %d | sound |", outside, first, last))
		out.forwards = s.sheetForwards(of.sw, host, first, last)
	}
	return out
}

// address is where the switch is called over the transport of the link.
func (s *SIP) address(sw Switch) (address, transport string) {
	switch s.Transport {
	case "tls":
		return s.seen(sw.Listeners.SIP.TLSAddress), "TLS"
	case "tcp":
		return s.seen(sw.Listeners.SIP.Address), "TCP"
	}
	return s.seen(sw.Listeners.SIP.Address), "UDP"
}

// seen is an address of the switch as the far end calls it.
func (s *SIP) seen(address string) string {
	if at, err := netip.ParseAddrPort(address); err == nil {
		return s.CalledThere(at)
	}
	return address
}

// sheetForwards lists what NAT before the switch must let through.
func (s *SIP) sheetForwards(sw Switch, host netip.Addr, first, last uint16) (out lines) {
	if s.PublicAddress == "" {
		return nil
	}
	_, transport := s.address(sw)
	inside := sw.Listeners.SIP.Address
	if transport == "TLS" {
		inside = sw.Listeners.SIP.TLSAddress
	}
	at, _ := netip.ParseAddrPort(inside) // verified
	outside := s.SeenAs(at)
	out.add("- %s %s to %s", transport, outside, inside)
	out.add("- UDP %s, ports %d to %d, to the same of %s", outside.Addr(), first, last, host)
	return out
}

func (s *SIP) sheetAddresses(of *sheet) (out lines) {
	address, transport := s.address(of.sw)
	out.add("- Your calls to us go to: %s, %s", address, transport)
	if of.t.InboundTable == "" {
		out.add("- You may not call in: calls from you are refused")
	}
	if where := s.Where(); where != "" {
		out.add("- Our calls to you go to: %s", where)
	} else {
		out.add("- Our calls to you go to where you register from")
	}
	for _, target := range s.Targets {
		out.add("- and, where that is silent, to: %s", target.Address)
	}
	if host, _, _, ok := of.sw.MediaPorts(); ok {
		signalling, _ := netip.ParseAddrPort(address)
		out.add("- Trust these addresses of ours: %s for signalling, %s for sound", signalling.Addr(), s.SeenAs(netip.AddrPortFrom(host, 1)).Addr())
	}
	if s.OptionsIntervalSeconds > 0 {
		out.add("- We ask by OPTIONS every %d s; any answer will do", s.OptionsIntervalSeconds)
	}
	return out
}

func (s *SIP) sheetIdentification(sw Switch) (out lines) {
	least, most, contacts := s.RegistrationBounds()
	switch s.Registration {
	case RegistrationInbound:
		out.add("- You register with us: realm %s, %d to %d s, %d contacts an account at most", orWord(sw.Listeners.SIP.Realm, sw.ID), least, most, contacts)
	case RegistrationOutbound:
		out.add("- We register with you")
	default:
		out.add("- Nobody registers")
	}
	for _, a := range s.InboundAccounts {
		out.add("- Your account with us: user %s%s%s; the secret is handed over apart from this sheet", a.User, signing(a), forNumber(a))
	}
	for _, a := range s.OutboundAccounts {
		out.add("- Our account with you: user %s%s%s", a.User, signing(a), forNumber(a))
	}
	switch s.NeededAuth() {
	case AuthSourceAddress:
		out.add("- Your calls are known by their address: %s", strings.Join(s.TrustedAddresses, ", "))
	case AuthBoth:
		out.add("- Your calls must come from %s, and show their credential when they are asked", strings.Join(s.TrustedAddresses, ", "))
	default:
		out.add("- Your calls must show their credential when they are asked")
	}
	if len(s.InboundAccounts) > 0 {
		digest := map[string]string{DigestMD5: "MD5", DigestSHA256: "SHA-256"}[s.DigestAlgorithm]
		out.add("- Digest: %s", orWord(digest, "SHA-256 or MD5"))
	}
	return out
}

// signing names the user of the digest where it is another than the one that registers.
func signing(a Account) string {
	if a.DigestUser() == a.User {
		return ""
	}
	return ", authentication user " + a.DigestUser()
}

func forNumber(a Account) string {
	if a.Number == "" {
		return ""
	}
	return ", for calls to " + a.Number
}

func (s *SIP) sheetPorts(sw Switch) (out lines) {
	address, network := s.address(sw)
	if network == "TLS" {
		network = "TCP"
	}
	out.add("| you | %s %s | signalling |", network, address)
	if network == "UDP" {
		out.add("| you | TCP %s | signalling that is too long for a datagram |", address)
	}
	if where := s.Where(); where != "" {
		out.add("| us | %s %s | signalling |", network, where)
	}
	return out
}
