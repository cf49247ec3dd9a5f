package plan

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
)

// SIP is what only SIP trunks have.
type SIP struct {
	// Address is the far end's address and port, to which calls are sent; empty
	// where it registers with us, and calls go where it registered from.
	Address string `json:"address,omitempty"`
	// Lookup is the far end's name instead of its address: its servers are found by
	// SRV or by address (RFC 3263); with a port behind it by address alone.
	Lookup string `json:"lookup,omitempty" maxLength:"253"`
	// Targets are further servers of the far end, tried where those before them
	// are silent, take no connection or have no service: by priority, and among
	// those of one priority by weight (RFC 2782). Address comes before all of them.
	Targets []Target `json:"targets,omitempty" maxItems:"16"`
	// Proxy is an outbound proxy: address and port to which all requests to the far
	// end are sent, with a Route that names it (RFC 3261 section 8.1.2). Calls that
	// come back by it need its address among the trusted ones.
	Proxy string `json:"proxy,omitempty"`
	// Public is the address at which the far end sees the switch, where a translator
	// of addresses stands between them, with a port if that of the signalling is
	// another outside. Ports for sound must be the same outside.
	Public string `json:"public,omitempty"`
	// PublicName is the DNS name of the switch in Via, Contact and From towards the far end,
	// in place of its address: some take calls from names that they know alone.
	PublicName string `json:"publicName,omitempty" maxLength:"253"`
	// Transport carries the calls, both ways; empty is UDP. What is too long for a
	// datagram goes by TCP all the same, where the far end takes it. What comes by a
	// weaker transport than this is not the far end: the address of a datagram can be forged,
	// that of a connection cannot, and TLS can show a certificate too.
	Transport string `json:"transport,omitempty" enum:"udp,tcp,tls"`
	// ServerName is the name that the far end's certificate must have, over TLS;
	// empty is the address that is called.
	ServerName string `json:"serverName,omitempty" maxLength:"200"`
	// ShowsCertificate demands a certificate of the far end on the connections that it makes
	// over TLS (RFC 5922), for ServerName, or for the address that it comes from where that is
	// empty. Without trusted addresses the certificate alone says who it is.
	ShowsCertificate bool `json:"showsCertificate,omitempty"`
	// Trusted are the addresses from which its calls come: an address, an
	// address with a port, or a network.
	Trusted []string `json:"trusted,omitempty"`
	// Proof is what a call from there must show: its address, a credential, or
	// both. Empty: a credential if it registers with us, else its address.
	Proof string `json:"proof,omitempty" enum:"address,credential,both"`
	// Digest is how the far end's credentials are computed: by SHA-256 or by MD5,
	// both being offered in that order, or by one of them alone. A far end that
	// answers only the first challenge and knows MD5 alone needs md5.
	Digest string `json:"digest,omitempty" enum:"both,sha-256,md5"`
	// Registers says who registers with whom; empty is nobody.
	Registers string `json:"registers,omitempty" enum:"nobody,they,we"`
	// TheirAccounts are the far end's with us, by which it registers and proves
	// its calls; OurAccounts are ours with it.
	TheirAccounts []Account `json:"theirAccounts,omitempty"`
	OurAccounts   []Account `json:"ourAccounts,omitempty"`
	// Domain, TrunkGroup (RFC 4904) and CalledIn tell trunks apart whose calls
	// come from the same address: what the request was sent to, and a dial
	// pattern of the called number as it comes.
	Domain     string `json:"domain,omitempty" maxLength:"200"`
	TrunkGroup string `json:"trunkGroup,omitempty" maxLength:"100"`
	CalledIn   string `json:"calledIn,omitempty" maxLength:"200"`
	// CalledField is where the called number of their calls stands; empty is the
	// request URI.
	CalledField string `json:"calledField,omitempty" enum:"request-uri,to"`
	// Numbers says how numbers are written to them: in SIP URIs (empty), in SIP URIs
	// with user=phone, or as tel URIs (RFC 3966).
	Numbers string `json:"numbers,omitempty" enum:"sip,user-phone,tel"`
	// SendTrunkGroup and SendTrunkContext are sent with the called number (RFC 4904).
	SendTrunkGroup   string `json:"sendTrunkGroup,omitempty" maxLength:"100"`
	SendTrunkContext string `json:"sendTrunkContext,omitempty" maxLength:"200"`
	// MinExpires and MaxExpires bound how long a registration with us holds, in
	// seconds; 0 is 60 and 3600. MaxContacts is how many one account may have;
	// 0 is 4.
	MinExpires  int `json:"minExpires,omitempty" minimum:"0" maximum:"86400"`
	MaxExpires  int `json:"maxExpires,omitempty" minimum:"0" maximum:"86400"`
	MaxContacts int `json:"maxContacts,omitempty" minimum:"0" maximum:"32"`
	// WatchSeconds is how often the far end is asked by OPTIONS whether it is
	// there; 0 for never.
	WatchSeconds int `json:"watchSeconds,omitempty" minimum:"0" maximum:"3600"`
	// SessionTimer keeps answered calls under watch (RFC 4028): off, or on,
	// which is the default, refreshed twice in SessionSeconds; 0 is 1800.
	SessionTimer   string `json:"sessionTimer,omitempty" enum:"on,off"`
	SessionSeconds int    `json:"sessionSeconds,omitempty" minimum:"0" maximum:"86400" doc:"0, or 90 and more"`
}

// Where is where calls are sent, as the plan says it: an address or a name.
func (s SIP) Where() string {
	if s.Address != "" {
		return s.Address
	}
	return s.Lookup
}

// Addresses are those to which calls are sent, the first server first.
func (s SIP) Addresses() (list []string) {
	if s.Address != "" {
		list = append(list, s.Address)
	}
	for _, t := range s.Targets {
		list = append(list, t.Address)
	}
	return list
}

// SeenAs is how the far end sees an address of the switch.
func (s SIP) SeenAs(at netip.AddrPort) netip.AddrPort {
	if out, err := netip.ParseAddrPort(s.Public); err == nil {
		return out
	}
	if out, err := netip.ParseAddr(s.Public); err == nil {
		return netip.AddrPortFrom(out, at.Port())
	}
	return at
}

// CalledThere is what the far end calls the switch, with a port: its name there, or the
// address at which it is seen.
func (s SIP) CalledThere(at netip.AddrPort) string {
	seen := s.SeenAs(at)
	if s.PublicName != "" {
		return fmt.Sprintf("%s:%d", s.PublicName, seen.Port())
	}
	return seen.String()
}

// Target is a server of a far end.
type Target struct {
	Address  string `json:"address" doc:"Address and port"`
	Priority int    `json:"priority,omitempty" minimum:"0" maximum:"65535" doc:"Lower is tried first"`
	Weight   int    `json:"weight,omitempty" minimum:"0" maximum:"65535" doc:"Share among those of one priority"`
}

// Account is one name by which one side is known to the other. Its secret is
// kept apart from the plan.
type Account struct {
	ID   string `json:"id"`
	User string `json:"user" minLength:"1" maxLength:"100" doc:"User of the address that registers, and the digest user name where no other is set"`
	// AuthUser is the user name in the digest, where it is another than the one that
	// registers (RFC 3261 section 22.4).
	AuthUser string `json:"authUser,omitempty" maxLength:"100"`
	// Number is the called number that goes to this account, for gateways with
	// one account a port; empty takes what no other account does.
	Number string `json:"number,omitempty" maxLength:"40"`
	Port   string `json:"port,omitempty" maxLength:"100" doc:"The port or extension behind it, in words"`
	// Expires is how long our own registration is asked to hold, in seconds; 0
	// is 600.
	Expires int `json:"expires,omitempty" minimum:"0" maximum:"86400"`
	// OldDigest takes answers to our challenges without a quality of protection (the form of
	// RFC 2069), each to a challenge of its own: they cover neither a count nor a chance
	// of the far end, so that whoever hears one could use it again.
	OldDigest bool `json:"oldDigest,omitempty"`
}

// DigestUser is the user name in the digest.
func (a Account) DigestUser() string {
	if a.AuthUser != "" {
		return a.AuthUser
	}
	return a.User
}

// Side says whose account it is: the far end's with us, or ours with it.
type Side string

// The sides.
const (
	Theirs Side = "theirs"
	Ours   Side = "ours"
)

// SecretName is the name under which the secret of an account is kept.
func SecretName(trunk string, side Side, account string) string {
	return "trunk/" + trunk + "/" + string(side) + "/" + account
}

// hostName is a DNS name (RFC 1123 section 2.1) that is no address.
var hostName = regexp.MustCompile(`^(?:[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?\.)*[A-Za-z](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?$`)

// The values of SIP.Registers, SIP.Proof, SIP.CalledField, SIP.Numbers and SIP.Digest.
const (
	RegistersNobody = "nobody"
	RegistersThey   = "they"
	RegistersWe     = "we"

	ProofAddress    = "address"
	ProofCredential = "credential"
	ProofBoth       = "both"

	CalledInTo       = "to"
	NumbersUserPhone = "user-phone"
	NumbersTel       = "tel"

	DigestBoth   = "both"
	DigestSHA256 = "sha-256"
	DigestMD5    = "md5"
)

// Defaults of registrations, in seconds, and of contacts.
const (
	DefaultMinExpires  = 60
	DefaultMaxExpires  = 3_600
	DefaultExpires     = 600
	DefaultMaxContacts = 4
)

// strengths order what carries messages by how hard it is to pretend to be another there.
var strengths = []string{"udp", "tcp", "tls"}

// Takes tells whether the far end's messages may come by a transport ("udp", "tcp" or
// "tls"): by its own, or one that is harder to forge.
func (s SIP) Takes(transport string) bool {
	return slices.Index(strengths, transport) >= max(0, slices.Index(strengths, s.Transport))
}

// Trusts tells whether one of the trusted entries takes a source.
func (s SIP) Trusts(from netip.AddrPort) bool {
	return slices.ContainsFunc(s.Trusted, func(text string) bool {
		trust, err := ParseTrust(text)
		return err == nil && trust.Takes(from)
	})
}

// Calls tells whether calls are sent to an address.
func (s SIP) Calls(at netip.Addr) bool {
	return slices.ContainsFunc(append(s.Addresses(), s.Proxy), func(text string) bool {
		to, err := netip.ParseAddrPort(text)
		return err == nil && to.Addr().Unmap() == at.Unmap()
	})
}

// CertifiedAs is the name that the far end's certificate must have for a connection from an
// address.
func (s SIP) CertifiedAs(from netip.Addr) string {
	if s.ServerName != "" {
		return s.ServerName
	}
	return from.Unmap().String()
}

// NeededProof is what a call by the trunk must show.
func (s SIP) NeededProof() string {
	switch {
	case s.Proof != "":
		return s.Proof
	case s.Registers == RegistersThey:
		return ProofCredential
	}
	return ProofAddress
}

// TakesCredentials tells whether the far end proves itself by a secret.
func (s SIP) TakesCredentials() bool {
	return len(s.TheirAccounts) > 0 && (s.Registers == RegistersThey || s.NeededProof() != ProofAddress)
}

// RegistrationBounds are MinExpires, MaxExpires and MaxContacts with their
// defaults.
func (s SIP) RegistrationBounds() (least, most, contacts int) {
	or := func(v, d int) int {
		if v == 0 {
			return d
		}
		return v
	}
	least, most = or(s.MinExpires, DefaultMinExpires), or(s.MaxExpires, DefaultMaxExpires)
	return least, max(least, most), or(s.MaxContacts, DefaultMaxContacts)
}

// Trust is one entry of SIP.Trusted.
type Trust struct {
	Port    uint16 // 0 for any
	Network netip.Prefix
}

// ParseTrust reads an address, an address with a port, or a network.
func ParseTrust(text string) (Trust, error) {
	if p, err := netip.ParsePrefix(text); err == nil {
		if p.Masked() != p {
			return Trust{}, fmt.Errorf("%q has bits behind its length; the network is %s", text, p.Masked())
		}
		return Trust{Network: p}, nil
	}
	if ap, err := netip.ParseAddrPort(text); err == nil && ap.Port() != 0 {
		return Trust{ap.Port(), netip.PrefixFrom(ap.Addr().Unmap(), ap.Addr().Unmap().BitLen())}, nil
	}
	if a, err := netip.ParseAddr(text); err == nil {
		return Trust{Network: netip.PrefixFrom(a.Unmap(), a.Unmap().BitLen())}, nil
	}
	return Trust{}, fmt.Errorf("%q is neither an address (192.0.2.1), nor one with a port (192.0.2.1:5060), nor a network (192.0.2.0/24)", text)
}

// Single tells whether it is one address.
func (t Trust) Single() bool { return t.Network.IsSingleIP() }

// Takes tells whether a source is one of it.
func (t Trust) Takes(from netip.AddrPort) bool {
	return t.Network.Contains(from.Addr().Unmap()) && (t.Port == 0 || t.Port == from.Port())
}
