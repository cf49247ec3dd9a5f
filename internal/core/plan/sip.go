package plan

import (
	"fmt"
	"net/netip"
	"regexp"
	"slices"
)

// SIP is what only SIP trunks have.
type SIP struct {
	// RemoteAddress is the far end's address and port, to which calls are sent; empty
	// where it registers with us, and calls go where it registered from.
	RemoteAddress string `json:"remoteAddress,omitempty"`
	// DNSName is the far end's name instead of its address: its servers are found by
	// SRV or by address (RFC 3263); with a port behind it by address alone.
	DNSName string `json:"dnsName,omitempty" maxLength:"253"`
	// Targets are further servers of the far end, tried where those before them
	// are silent, take no connection or have no service: by priority, and among
	// those of one priority by weight (RFC 2782). RemoteAddress comes before all of them.
	Targets []Target `json:"targets,omitempty" maxItems:"16"`
	// OutboundProxy is an address and port to which all requests to the far
	// end are sent, with a Route that names it (RFC 3261 section 8.1.2). Calls that
	// come back by it need its address among the trusted ones.
	OutboundProxy string `json:"outboundProxy,omitempty"`
	// PublicAddress is the address at which the far end sees the switch, where NAT
	// stands between them, with a port if that of the signalling is
	// another outside. RTP ports must be the same outside.
	PublicAddress string `json:"publicAddress,omitempty"`
	// PublicName is the DNS name of the switch in Via, Contact and From towards the far end,
	// in place of its address: some take calls from names that they know alone.
	PublicName string `json:"publicName,omitempty" maxLength:"253"`
	// Transport carries the calls, both ways; empty is UDP. What is too long for a
	// datagram goes by TCP all the same, where the far end takes it. What comes by a
	// weaker transport than this is not the far end: the address of a datagram can be forged,
	// that of a connection cannot, and TLS can show a certificate too.
	Transport string `json:"transport,omitempty" enum:"udp,tcp,tls"`
	// TLSServerName is the name that the far end's certificate must have, over TLS;
	// empty is the address that is called.
	TLSServerName string `json:"tlsServerName,omitempty" maxLength:"200"`
	// RequireCertificate demands a certificate of the far end on the connections that it makes
	// over TLS (RFC 5922), for TLSServerName, or for the address that it comes from where that is
	// empty. Without trusted addresses the certificate alone says who it is.
	RequireCertificate bool `json:"requireCertificate,omitempty"`
	// TrustedAddresses are those from which its calls come: an address, an
	// address with a port, or a network.
	TrustedAddresses []string `json:"trustedAddresses,omitempty"`
	// InboundAuth is what an inbound call must show: its source address, a digest
	// credential, or both. Empty: digest if the far end registers, else the address.
	InboundAuth string `json:"inboundAuth,omitempty" enum:"source-address,digest,both"`
	// DigestAlgorithm is how the far end's credentials are computed: by SHA-256 or by MD5,
	// both being offered in that order, or by one of them alone. A far end that
	// answers only the first challenge and knows MD5 alone needs md5.
	DigestAlgorithm string `json:"digestAlgorithm,omitempty" enum:"both,sha-256,md5"`
	// Registration is inbound (the far end registers), outbound (the switch does) or none
	// (empty).
	Registration string `json:"registration,omitempty" enum:"none,inbound,outbound"`
	// InboundAccounts are those by which the far end registers and shows who it is;
	// OutboundAccounts are the switch's at the far end.
	InboundAccounts  []Account `json:"inboundAccounts,omitempty"`
	OutboundAccounts []Account `json:"outboundAccounts,omitempty"`
	// RequestDomain, RequestTrunkGroup (RFC 4904) and CalledPattern tell trunks apart whose calls
	// come from the same address: what the request was sent to, and a dial
	// pattern of the called number as it comes.
	RequestDomain     string `json:"requestDomain,omitempty" maxLength:"200"`
	RequestTrunkGroup string `json:"requestTrunkGroup,omitempty" maxLength:"100"`
	CalledPattern     string `json:"calledPattern,omitempty" maxLength:"200"`
	// CalledField is where the called number of inbound calls is read from; empty is the
	// Request-URI.
	CalledField string `json:"calledField,omitempty" enum:"request-uri,to"`
	// NumberURI is how numbers are written outbound: in SIP URIs (empty), in SIP URIs
	// with user=phone, or as tel URIs (RFC 3966).
	NumberURI string `json:"numberUri,omitempty" enum:"sip,user-phone,tel"`
	// SendTrunkGroup and SendTrunkContext are sent with the called number (RFC 4904).
	SendTrunkGroup   string `json:"sendTrunkGroup,omitempty" maxLength:"100"`
	SendTrunkContext string `json:"sendTrunkContext,omitempty" maxLength:"200"`
	// MinExpires and MaxExpires bound how long an inbound registration holds, in
	// seconds; 0 is 60 and 3600. MaxContacts is how many one account may have;
	// 0 is 4.
	MinExpires  int `json:"minExpires,omitempty" minimum:"0" maximum:"86400"`
	MaxExpires  int `json:"maxExpires,omitempty" minimum:"0" maximum:"86400"`
	MaxContacts int `json:"maxContacts,omitempty" minimum:"0" maximum:"32"`
	// OptionsIntervalSeconds is how often OPTIONS is sent to the far end; 0 for never.
	OptionsIntervalSeconds int `json:"optionsIntervalSeconds,omitempty" minimum:"0" maximum:"3600"`
	// SessionTimer keeps answered calls under watch (RFC 4028): off, or on,
	// which is the default, refreshed twice in SessionExpiresSeconds; 0 is 1800.
	SessionTimer          string `json:"sessionTimer,omitempty" enum:"on,off"`
	SessionExpiresSeconds int    `json:"sessionExpiresSeconds,omitempty" minimum:"0" maximum:"86400" doc:"0, or 90 and more"`
}

// Where is where calls are sent, as the plan says it: an address or a name.
func (s *SIP) Where() string {
	if s.RemoteAddress != "" {
		return s.RemoteAddress
	}
	return s.DNSName
}

// Addresses are those to which calls are sent, the first server first.
func (s *SIP) Addresses() (list []string) {
	if s.RemoteAddress != "" {
		list = append(list, s.RemoteAddress)
	}
	for _, t := range s.Targets {
		list = append(list, t.Address)
	}
	return list
}

// SeenAs is how the far end sees an address of the switch.
func (s *SIP) SeenAs(at netip.AddrPort) netip.AddrPort {
	if out, err := netip.ParseAddrPort(s.PublicAddress); err == nil {
		return out
	}
	if out, err := netip.ParseAddr(s.PublicAddress); err == nil {
		return netip.AddrPortFrom(out, at.Port())
	}
	return at
}

// CalledThere is what the far end calls the switch, with a port: its name there, or the
// address at which it is seen.
func (s *SIP) CalledThere(at netip.AddrPort) string {
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
	// OldDigest accepts answers to challenges without a quality of protection (the form of
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

// Side says whose account it is: the far end's at the switch (inbound), or the switch's at
// the far end (outbound).
type Side string

// The sides.
const (
	SideInbound  Side = "inbound"
	SideOutbound Side = "outbound"
)

// SecretName is the name under which the secret of an account is kept.
func SecretName(trunk string, side Side, account string) string {
	// Secrets are sealed together with their name, so that its words stay as they were first.
	word := map[Side]string{SideInbound: "theirs", SideOutbound: "ours"}[side]
	return "trunk/" + trunk + "/" + word + "/" + account
}

// hostName is a DNS name (RFC 1123 section 2.1) that is no address.
var hostName = regexp.MustCompile(`^(?:[A-Za-z0-9](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?\.)*[A-Za-z](?:[A-Za-z0-9-]{0,61}[A-Za-z0-9])?$`)

// The values of SIP.Registration, SIP.InboundAuth, SIP.CalledField, SIP.NumberURI and
// SIP.DigestAlgorithm.
const (
	RegistrationNone     = "none"
	RegistrationInbound  = "inbound"
	RegistrationOutbound = "outbound"

	AuthSourceAddress = "source-address"
	AuthDigest        = "digest"
	AuthBoth          = "both"

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

// Calls tells whether calls are sent to an address.
func (s *SIP) Calls(at netip.Addr) bool {
	return slices.ContainsFunc(append(s.Addresses(), s.OutboundProxy), func(text string) bool {
		to, err := netip.ParseAddrPort(text)
		return err == nil && to.Addr().Unmap() == at.Unmap()
	})
}

// NeededAuth is InboundAuth with its default filled in.
func (s *SIP) NeededAuth() string {
	switch {
	case s.InboundAuth != "":
		return s.InboundAuth
	case s.Registration == RegistrationInbound:
		return AuthDigest
	}
	return AuthSourceAddress
}

// RegistrationBounds are MinExpires, MaxExpires and MaxContacts with their
// defaults.
func (s *SIP) RegistrationBounds() (least, most, contacts int) {
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
	return Trust{}, fmt.Errorf("invalid address or network %q; use 192.0.2.1, 192.0.2.1:5060 or 192.0.2.0/24", text)
}

// Single tells whether it is one address.
func (t Trust) Single() bool { return t.Network.IsSingleIP() }

// Takes tells whether a source is one of it.
func (t Trust) Takes(from netip.AddrPort) bool {
	return t.Network.Contains(from.Addr().Unmap()) && (t.Port == 0 || t.Port == from.Port())
}

// Protocol of the link.
func (s *SIP) Protocol() string { return ProtocolSIP }

// Claims are by what its inbound calls are identified.
func (s *SIP) Claims() Claims {
	return Claims{
		Transport: s.Transport, Trusted: s.TrustedAddresses, Certificate: s.RequireCertificate, CertificateName: s.TLSServerName,
		Auth: s.NeededAuth(), Registers: s.Registration == RegistrationInbound, Accounts: s.InboundAccounts,
		Domain: s.RequestDomain, TrunkGroup: s.RequestTrunkGroup, CalledPattern: s.CalledPattern, DNSName: s.DNSName,
	}
}

// Remote is where its outbound calls are sent.
func (s *SIP) Remote() Remote {
	return Remote{
		Address: s.RemoteAddress, Name: s.DNSName, Servers: s.Addresses(), Proxy: s.OutboundProxy,
		TLS: s.Transport == "tls", Registers: s.Registration == RegistrationOutbound,
	}
}

// Accounts are those of one side.
func (s *SIP) Accounts(side Side) []Account {
	if side == SideOutbound {
		return s.OutboundAccounts
	}
	return s.InboundAccounts
}

// ProbeSeconds is the interval of OPTIONS.
func (s *SIP) ProbeSeconds() int { return s.OptionsIntervalSeconds }

// Distrust returns the link without an address among those that it trusts.
func (l Link) Distrust(address string) Link {
	l = l.Clone()
	if l.SIP != nil {
		l.SIP.TrustedAddresses = slices.DeleteFunc(slices.Clone(l.SIP.TrustedAddresses), func(a string) bool { return a == address })
	}
	return l
}
