package plan

import (
	"fmt"
	"net/netip"
	"strings"
)

// Sheet is what the other side of a trunk must enter, as text to hand over: our
// addresses and ports, who registers with which user, where calls come from and go
// to, and the forms of numbers. Secrets are not in it.
func (p Plan) Sheet(trunk string) (text string, ok bool) {
	x := NewIndex(p)
	t := x.Trunks[trunk]
	if t == nil || x.Switches[t.Switch] == nil {
		return "", false
	}
	s := sheet{t: *t, sw: *x.Switches[t.Switch]}
	s.line("# %s: what the other side needs", t.Name)
	s.line("")
	s.line("Written from our side: *we* is switch %s.", s.sw.Name)
	s.ours()
	s.proof()
	s.numbers()
	s.sound()
	s.ports()
	return s.out.String(), true
}

type sheet struct {
	t   Trunk
	sw  Switch
	out strings.Builder
}

func (s *sheet) line(format string, args ...any) { fmt.Fprintf(&s.out, format+"\n", args...) }

func (s *sheet) head(title string) { s.line("\n## %s\n", title) }

// address is where we are called over the trunk's transport.
func (s *sheet) address() (address, transport string) {
	switch s.t.SIP.Transport {
	case "tls":
		return s.seen(s.sw.TLS), "TLS"
	case "tcp":
		return s.seen(s.sw.SIP), "TCP"
	}
	return s.seen(s.sw.SIP), "UDP"
}

// seen is an address of ours as the other side calls it.
func (s *sheet) seen(address string) string {
	if at, err := netip.ParseAddrPort(address); err == nil {
		return s.t.SIP.CalledThere(at)
	}
	return address
}

// forwards lists what a translator before us must let through.
func (s *sheet) forwards(host netip.Addr, first, last uint16) {
	if s.t.SIP.Public == "" {
		return
	}
	_, transport := s.address()
	inside := s.sw.SIP
	if transport == "TLS" {
		inside = s.sw.TLS
	}
	at, _ := netip.ParseAddrPort(inside) // verified
	outside := s.t.SIP.SeenAs(at)
	s.head("Ports that our translator of addresses forwards")
	s.line("- %s %s to %s", transport, outside, inside)
	s.line("- UDP %s, ports %d to %d, to the same of %s", outside.Addr(), first, last, host)
}

func (s *sheet) ours() {
	address, transport := s.address()
	s.head("Addresses")
	s.line("- Your calls to us go to: %s, %s", address, transport)
	if s.t.Entry == "" {
		s.line("- You may not call in: calls from you are refused")
	}
	if where := s.t.SIP.Where(); where != "" {
		s.line("- Our calls to you go to: %s", where)
	} else {
		s.line("- Our calls to you go to where you register from")
	}
	for _, target := range s.t.SIP.Targets {
		s.line("- and, where that is silent, to: %s", target.Address)
	}
	if host, _, _, ok := s.sw.MediaPorts(); ok {
		signalling, _ := netip.ParseAddrPort(address)
		s.line("- Trust these addresses of ours: %s for signalling, %s for sound", signalling.Addr(), s.t.SIP.SeenAs(netip.AddrPortFrom(host, 1)).Addr())
	}
	if s.t.SIP.WatchSeconds > 0 {
		s.line("- We ask by OPTIONS every %d s; any answer will do", s.t.SIP.WatchSeconds)
	}
	s.line("- At most %d calls at one time, both directions together", s.t.Channels)
}

func (s *sheet) proof() {
	s.head("Who is who")
	sip := s.t.SIP
	realm := s.sw.Realm
	if realm == "" {
		realm = s.sw.ID
	}
	least, most, contacts := sip.RegistrationBounds()
	switch sip.Registers {
	case RegistersThey:
		s.line("- You register with us: realm %s, %d to %d s, %d contacts an account at most", realm, least, most, contacts)
	case RegistersWe:
		s.line("- We register with you")
	default:
		s.line("- Nobody registers")
	}
	for _, a := range sip.TheirAccounts {
		s.line("- Your account with us: user %s%s%s; the secret is handed over apart from this sheet", a.User, signing(a), forNumber(a))
	}
	for _, a := range sip.OurAccounts {
		s.line("- Our account with you: user %s%s%s", a.User, signing(a), forNumber(a))
	}
	switch sip.NeededProof() {
	case ProofAddress:
		s.line("- Your calls are known by their address: %s", strings.Join(sip.Trusted, ", "))
	case ProofBoth:
		s.line("- Your calls must come from %s, and show their credential when they are asked", strings.Join(sip.Trusted, ", "))
	default:
		s.line("- Your calls must show their credential when they are asked")
	}
	if len(sip.TheirAccounts) > 0 {
		digest := map[string]string{DigestMD5: "MD5", DigestSHA256: "SHA-256"}[sip.Digest]
		if digest == "" {
			digest = "SHA-256 or MD5"
		}
		s.line("- Digest: %s", digest)
	}
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

func (s *sheet) numbers() {
	s.head("Numbers")
	or := func(form string) string {
		if form == "" {
			return "as they are"
		}
		return form
	}
	s.line("| | called | caller |")
	s.line("|---|---|---|")
	s.line("| you to us | %s | %s |", or(string(s.t.In.Called)), or(string(s.t.In.Caller)))
	called, caller := s.t.Out.Called, s.t.Out.Caller
	s.line("| we to you, numbers of our country | %s | %s |", or(string(called.Home)), or(string(caller.Home)))
	s.line("| we to you, others | %s | %s |", or(string(called.Foreign)), or(string(caller.Foreign)))
	field := "the request URI"
	if s.t.SIP.CalledField == CalledInTo {
		field = "To"
	}
	s.line("\nWe read the called number from %s.", field)
}

func (s *sheet) sound() {
	s.head("Sound")
	m := s.t.Media
	codecs := "any that both sides know"
	if len(m.Codecs) > 0 {
		codecs = strings.Join(m.Codecs, ", ")
	}
	s.line("- Codecs: %s", codecs)
	if m.PacketMS > 0 {
		s.line("- Packet time: %d ms", m.PacketMS)
	}
	if m.ComfortNoise == MediaRemove {
		s.line("- No comfort noise (RFC 3389)")
	}
	if m.Keys != MediaRemove {
		s.line("- Keys as telephone events (RFC 4733)")
	}
	if m.Encrypts() {
		s.line("- Encrypted: SRTP with keys in the descriptions (RFC 4568), AES_CM_128_HMAC_SHA1_80")
	}
	if m.Direct() {
		s.line("- Sound goes past us, directly between the two ends")
	}
}

// ports lists what must be open between the two sides.
func (s *sheet) ports() {
	s.head("Ports to open")
	address, transport := s.address()
	network := transport
	if transport == "TLS" {
		network = "TCP"
	}
	s.line("| from | to | |")
	s.line("|---|---|---|")
	s.line("| you | %s %s | signalling |", network, address)
	if network == "UDP" {
		s.line("| you | TCP %s | signalling that is too long for a datagram |", address)
	}
	if where := s.t.SIP.Where(); where != "" {
		s.line("| us | %s %s | signalling |", network, where)
	}
	if host, first, last, ok := s.sw.MediaPorts(); ok && !s.t.Media.Direct() {
		outside := s.t.SIP.SeenAs(netip.AddrPortFrom(host, first)).Addr()
		s.line("| you | UDP %s, ports %d to %d | sound |", outside, first, last)
		s.forwards(host, first, last)
	}
}
