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
	out.calledFrom = "Request-URI"
	if s.CalledField == CalledInTo {
		out.calledFrom = "To"
	}
	if host, first, last, ok := of.sw.MediaPorts(); ok && !of.t.Media.Direct() {
		outside := s.SeenAs(netip.AddrPortFrom(host, first)).Addr()
		out.ports = append(out.ports, fmt.Sprintf("| far end | UDP %s, ports %d to %d | RTP |", outside, first, last))
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
	out.add("- UDP %s, ports %d to %d, to the same ports of %s", outside.Addr(), first, last, host)
	return out
}

func (s *SIP) sheetAddresses(of *sheet) (out lines) {
	address, transport := s.address(of.sw)
	out.add("- Calls to the switch: %s, %s", address, transport)
	if of.t.InboundTable == "" {
		out.add("- Calls to the switch: none accepted")
	}
	if where := s.Where(); where != "" {
		out.add("- Calls to the far end: %s", where)
	} else {
		out.add("- Calls to the far end: registered contact")
	}
	for _, target := range s.Targets {
		out.add("- Further server: %s", target.Address)
	}
	if host, _, _, ok := of.sw.MediaPorts(); ok {
		signalling, _ := netip.ParseAddrPort(address)
		out.add("- Addresses of the switch to trust: %s for signalling, %s for RTP", signalling.Addr(), s.SeenAs(netip.AddrPortFrom(host, 1)).Addr())
	}
	if s.OptionsIntervalSeconds > 0 {
		out.add("- OPTIONS every %d s; any response counts", s.OptionsIntervalSeconds)
	}
	return out
}

func (s *SIP) sheetIdentification(sw Switch) (out lines) {
	least, most, contacts := s.RegistrationBounds()
	switch s.Registration {
	case RegistrationInbound:
		out.add("- Inbound registration: realm %s, expiry %d to %d s, max %d contacts per account", orWord(sw.Listeners.SIP.Realm, sw.ID), least, most, contacts)
	case RegistrationOutbound:
		out.add("- Outbound registration: the switch registers with the far end")
	default:
		out.add("- No registration")
	}
	for _, a := range s.InboundAccounts {
		out.add("- Inbound account: user %s%s%s; the secret is sent separately", a.User, signing(a), forNumber(a))
	}
	for _, a := range s.OutboundAccounts {
		out.add("- Outbound account: user %s%s%s", a.User, signing(a), forNumber(a))
	}
	switch s.NeededAuth() {
	case AuthSourceAddress:
		out.add("- Inbound authentication by source address: %s", strings.Join(s.TrustedAddresses, ", "))
	case AuthBoth:
		out.add("- Inbound authentication by source address and digest: %s", strings.Join(s.TrustedAddresses, ", "))
	default:
		out.add("- Inbound authentication by digest")
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
	out.add("| far end | %s %s | signalling |", network, address)
	if network == "UDP" {
		out.add("| far end | TCP %s | signalling too long for UDP |", address)
	}
	if where := s.Where(); where != "" {
		out.add("| switch | %s %s | signalling |", network, where)
	}
	return out
}
