package plan

import (
	"net/netip"
	"slices"
)

// Claims are by what the inbound calls of a link are identified: where they come from, what
// they must show, and what tells them from those of other trunks with the same source.
type Claims struct {
	// Transport is the weakest that is accepted: udp, tcp or tls; empty is any.
	Transport string
	// Trusted are addresses, addresses with ports and networks (ParseTrust).
	Trusted []string
	// Certificate demands one on the far end's connections; CertificateName is the name in
	// it, empty for the address that the connection comes from.
	Certificate     bool
	CertificateName string
	// Auth is what a call must show: AuthSourceAddress, AuthDigest or AuthBoth.
	Auth string
	// Registers: the far end registers. Accounts are those by which it does, and by which
	// its calls show who they are.
	Registers bool
	Accounts  []Account
	// What calls from one source are told apart by: the domain and the trunk group that
	// they ask for, and a dial pattern of the called number.
	Domain, TrunkGroup, CalledPattern string
	// DNSName is the far end's, empty if it is called by its address.
	DNSName string
}

// strengths order what carries messages by how hard it is to pretend to be another there.
var strengths = []string{"udp", "tcp", "tls"}

// Accepts tells whether the far end's messages may come by a transport ("udp", "tcp" or
// "tls"): by its own, or one that is harder to forge.
func (c Claims) Accepts(transport string) bool {
	return slices.Index(strengths, transport) >= max(0, slices.Index(strengths, c.Transport))
}

// Trusts tells whether one of the trusted entries takes a source.
func (c Claims) Trusts(from netip.AddrPort) bool {
	return slices.ContainsFunc(c.Trusted, func(text string) bool {
		trust, err := ParseTrust(text)
		return err == nil && trust.Takes(from)
	})
}

// CertifiedAs is the name that the far end's certificate must have for a connection from an
// address.
func (c Claims) CertifiedAs(from netip.Addr) string {
	return orWord(c.CertificateName, from.Unmap().String())
}

// ByCertificate tells whether the certificate alone says who calls.
func (c Claims) ByCertificate() bool {
	return c.Certificate && c.CertificateName != "" && len(c.Trusted) == 0
}

// AcceptsDigest tells whether the far end shows who it is by a secret.
func (c Claims) AcceptsDigest() bool {
	return len(c.Accounts) > 0 && (c.Registers || c.Auth != AuthSourceAddress)
}
