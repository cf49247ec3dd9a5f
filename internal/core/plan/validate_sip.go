package plan

import (
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	"switchback.example/switchback/internal/core/digits"
)

// check validates the link as that of a trunk.
func (s *SIP) check(v *validator, at string, t Trunk) {
	switch {
	case s.DNSName != "" && s.RemoteAddress != "":
		v.bad(at+"/dnsName", "cannot be combined with a remote address")
	case s.DNSName != "":
		v.hostName(at+"/dnsName", s.DNSName)
	case s.RemoteAddress != "" || s.Registration != RegistrationInbound:
		v.address(at+"/remoteAddress", s.RemoteAddress)
	}
	v.targets(at, *s)
	if s.OutboundProxy != "" {
		v.address(at+"/outboundProxy", s.OutboundProxy)
	}
	if s.PublicName != "" && !hostName.MatchString(s.PublicName) {
		v.bad(at+"/publicName", "invalid DNS name %q", s.PublicName)
	}
	if _, err := netip.ParseAddr(s.PublicAddress); s.PublicAddress != "" && err != nil {
		if to, err := netip.ParseAddrPort(s.PublicAddress); err != nil || to.Port() == 0 {
			v.bad(at+"/publicAddress", "invalid address %q; use an IP address, optionally with port", s.PublicAddress)
		}
	}
	v.oneOf(at+"/calledField", s.CalledField, "", "request-uri", CalledInTo)
	v.oneOf(at+"/numberUri", s.NumberURI, "", "sip", NumbersUserPhone, NumbersTel)
	if (s.SendTrunkGroup == "") != (s.SendTrunkContext == "") {
		v.bad(at+"/sendTrunkGroup", "trunk group and trunk-context need each other (RFC 4904 section 4)")
	}
	for name, text := range map[string]string{"sendTrunkGroup": s.SendTrunkGroup, "sendTrunkContext": s.SendTrunkContext} {
		if strings.ContainsAny(text, " ;@<>\",?") {
			v.bad(at+"/"+name, "%q contains characters that a URI must escape", text)
		}
	}
	v.oneOf(at+"/transport", s.Transport, "", "udp", "tcp", "tls")
	if sw := v.index.Switches[t.Switch]; s.Transport == "tls" && sw != nil && sw.Listeners.SIP.TLSAddress == "" {
		v.bad(at+"/transport", "is TLS, but switch %s has no TLS address", t.Switch)
	}
	if s.RequireCertificate && s.Transport != "tls" {
		v.bad(at+"/requireCertificate", "needs transport TLS")
	}
	v.oneOf(at+"/registration", s.Registration, "", RegistrationNone, RegistrationInbound, RegistrationOutbound)
	v.oneOf(at+"/inboundAuth", s.InboundAuth, "", AuthSourceAddress, AuthDigest, AuthBoth)
	v.oneOf(at+"/digestAlgorithm", s.DigestAlgorithm, "", DigestBoth, DigestSHA256, DigestMD5)
	v.oneOf(at+"/sessionTimer", s.SessionTimer, "", "on", SessionTimerOff)
	if n := s.SessionExpiresSeconds; n != 0 && (n < 90 || n > 86_400) {
		v.bad(at+"/sessionExpiresSeconds", "%d is out of range (90 to 86,400 s, RFC 4028 section 5, 0 for 1,800)", n)
	}
	for i, text := range s.TrustedAddresses {
		if _, err := ParseTrust(text); err != nil {
			v.bad(fmt.Sprintf("%s/trustedAddresses/%d", at, i), "%s", err)
		}
	}
	v.pattern(at+"/calledPattern", s.CalledPattern)
	v.accounts(at+"/inboundAccounts", s.InboundAccounts)
	v.accounts(at+"/outboundAccounts", s.OutboundAccounts)
	needs := s.NeededAuth()
	switch {
	case s.Registration == RegistrationInbound && len(s.InboundAccounts) == 0:
		v.bad(at+"/inboundAccounts", "is empty, but registration is inbound; add an account or set registration none")
	case s.Registration == RegistrationOutbound && len(s.OutboundAccounts) == 0:
		v.bad(at+"/outboundAccounts", "is empty, but registration is outbound; add an account or set registration none")
	case t.InboundTable == "":
	case s.RequireCertificate && s.TLSServerName != "" && needs == AuthSourceAddress:
		// the certificate says who it is
	case needs != AuthDigest && len(s.TrustedAddresses) == 0:
		v.bad(at+"/trustedAddresses", "is empty, so no call can reach table %s; add addresses or clear inboundTable", t.InboundTable)
	case needs != AuthSourceAddress && len(s.InboundAccounts) == 0:
		v.bad(at+"/inboundAccounts", "is empty, so no call can authenticate for table %s; add an account or clear inboundTable", t.InboundTable)
	}
}

// hostName checks a name of hosts (RFC 1123 section 2.1), with or without a port.
func (v *validator) hostName(at, name string) {
	host, port, hasPort := strings.Cut(name, ":")
	for _, label := range strings.Split(strings.TrimSuffix(host, "."), ".") {
		bad := strings.ContainsFunc(label, func(r rune) bool {
			return (r < 'a' || r > 'z') && (r < 'A' || r > 'Z') && (r < '0' || r > '9') && r != '-' && r != '_'
		})
		if label == "" || len(label) > 63 || bad {
			v.bad(at, "invalid domain %q", host)
			return
		}
	}
	if n, err := strconv.ParseUint(port, 10, 16); hasPort && (err != nil || n == 0) {
		v.bad(at, "invalid port %q", port)
	}
}

func (v *validator) targets(at string, s SIP) {
	seen := map[string]bool{s.RemoteAddress: true}
	for i, t := range s.Targets {
		here := fmt.Sprintf("%s/targets/%d", at, i)
		switch {
		case s.RemoteAddress == "":
			v.bad(here, "needs a remote address as first server")
		case seen[t.Address]:
			v.bad(here+"/address", "duplicate server %s", t.Address)
		}
		v.address(here+"/address", t.Address)
		if t.Priority < 0 || t.Priority > 65_535 || t.Weight < 0 || t.Weight > 65_535 {
			v.bad(here, "priority and weight: 0 to 65,535 (RFC 2782)")
		}
		seen[t.Address] = true
	}
}

func (v *validator) oneOf(at, value string, of ...string) {
	if !slices.Contains(of, value) {
		if of[0] == "" {
			of = of[1:]
		}
		v.bad(at, "%q is not allowed; allowed: %s", value, strings.Join(of, ", "))
	}
}

func (v *validator) accounts(at string, list []Account) {
	ids, users := map[string]bool{}, map[string]bool{}
	for i, a := range list {
		here := fmt.Sprintf("%s/%d", at, i)
		switch {
		case !wellFormedID(a.ID):
			v.bad(here+"/id", "invalid id %q; use 1 to 63 of a-z, 0-9 and -, beginning with a letter or digit", a.ID)
		case ids[a.ID]:
			v.bad(here+"/id", "duplicate value %q in this trunk", a.ID)
		}
		switch {
		case a.User == "" || len(a.User) > 100:
			v.bad(here+"/user", "is missing or longer than 100 bytes")
		case users[a.User]:
			v.bad(here+"/user", "duplicate value %q in this trunk", a.User)
		}
		if digest := a.DigestUser(); digest != a.User && users[digest] {
			v.bad(here+"/authUser", "duplicate user %q in this trunk", digest)
		}
		if _, err := digits.ParseNumber(a.Number); err != nil {
			v.bad(here+"/number", "%s", err)
		}
		if a.Expires < 0 || a.Expires > 86_400 {
			v.bad(here+"/expires", "%d is out of range (1 to 86,400 s, 0 for %d)", a.Expires, DefaultExpires)
		}
		ids[a.ID], users[a.User], users[a.DigestUser()] = true, true, true
	}
}

// toldApart refuses trunks of a switch whose calls could never be told apart, and
// accounts of one name with which two trunks of a switch could be meant.
func (v *validator) toldApart() {
	type source struct{ sw, trust, domain, group, called string }
	type account struct{ sw, user, domain string }
	sources, accounts, signing := map[source]string{}, map[account]string{}, map[account]string{}
	for i, t := range v.plan.Trunks {
		s := t.Link.SIP
		if s == nil {
			continue
		}
		for j, text := range s.TrustedAddresses {
			k := source{t.Switch, text, s.RequestDomain, s.RequestTrunkGroup, s.CalledPattern}
			if first, taken := sources[k]; taken {
				v.bad(fmt.Sprintf("%s/link/sip/trustedAddresses/%d", place("trunks", t.ID, i), j),
					"%s is trusted by trunk %s too, and a call from there could be either; tell them apart by requestDomain, requestTrunkGroup or calledPattern", text, first)
			}
			sources[k] = t.ID
		}
		for j, a := range s.InboundAccounts {
			k := account{t.Switch, a.User, s.RequestDomain}
			if first, taken := accounts[k]; taken && first != t.ID {
				v.bad(fmt.Sprintf("%s/link/sip/inboundAccounts/%d/user", place("trunks", t.ID, i), j), "%q is an account of trunk %s too, in the same domain", a.User, first)
			}
			accounts[k] = t.ID
			if k.user = a.DigestUser(); signing[k] != "" && signing[k] != t.ID {
				v.bad(fmt.Sprintf("%s/link/sip/inboundAccounts/%d/authUser", place("trunks", t.ID, i), j), "an account of trunk %s signs as %q too, in the same domain", signing[k], k.user)
			}
			signing[k] = t.ID
		}
	}
}
