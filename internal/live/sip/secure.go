package sip

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net"
	"net/netip"
	"slices"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/judge"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// SIP over TLS (RFC 3261 section 26.2, RFC 5922): the switch shows its certificate,
// and checks that of every far end that it connects to, by the name that the plan
// gives it.

// Secure makes the switch take connections over TLS at an address, and at no other;
// empty takes none. Connections that stand go on. It is not for concurrent use.
func (a *Agent) Secure(address string) error {
	s := a.layer.secure
	if address == "" {
		s.leave()
		return nil
	}
	at, err := netip.ParseAddrPort(address)
	if err != nil {
		return err
	}
	if s.at() == at && s.listens() {
		return nil
	}
	if _, err := a.Certificates.Of(a.Switch); err != nil {
		return err
	}
	s.move(at)
	if err := s.listen(); err != nil {
		return fmt.Errorf("switch %s cannot take its address for TLS: %w", a.Switch, err)
	}
	return nil
}

// SecuredAt is the address at which connections over TLS are taken; empty for none.
func (a *Agent) SecuredAt() string {
	if s := a.layer.secure; s.listens() {
		return s.at().String()
	}
	return ""
}

// serverSide is how a connection over TLS is taken: with the switch's certificate
// as it is now, and the other side's checked if it shows one.
func serverSide(certificates *live.Certificates, switchID string) func(context.Context, net.Conn) (net.Conn, []string, error) {
	return func(ctx context.Context, conn net.Conn) (net.Conn, []string, error) {
		secure := tls.Server(conn, &tls.Config{
			MinVersion: tls.VersionTLS12,
			GetConfigForClient: func(*tls.ClientHelloInfo) (*tls.Config, error) {
				cert, err := certificates.Of(switchID)
				if err != nil {
					return nil, err
				}
				pool, err := certificates.Authorities()
				if err != nil {
					return nil, err
				}
				return &tls.Config{MinVersion: tls.VersionTLS12, Certificates: []tls.Certificate{*cert}, ClientAuth: tls.VerifyClientCertIfGiven, ClientCAs: pool}, nil
			},
		})
		if err := secure.HandshakeContext(ctx); err != nil {
			return nil, nil, err
		}
		var shown []string
		if state := secure.ConnectionState(); len(state.VerifiedChains) > 0 {
			shown = identities(state.PeerCertificates[0])
		}
		return secure, shown, nil
	}
}

// identities are the names by which a certificate may be known: DNS names, addresses, and the
// hosts of SIP URIs without a user (RFC 5922 section 7.1); none where it has none of them.
func identities(c *x509.Certificate) []string {
	list := slices.Clone(c.DNSNames)
	for _, ip := range c.IPAddresses {
		list = append(list, ip.String())
	}
	for _, u := range c.URIs {
		if uri, err := wire.ReadURI(u.String()); err == nil && (uri.Scheme == "sip" || uri.Scheme == "sips") && uri.User == "" {
			list = append(list, uri.Host)
		}
	}
	return list
}

// clientSide connects over TLS, and checks whom it reached.
func (a *Agent) clientSide(dialer net.Dialer, to hop) (net.Conn, []string, error) {
	pool, err := a.Certificates.Authorities()
	if err != nil {
		return nil, nil, err
	}
	name := to.name
	if name == "" {
		name = to.Addr().String()
	}
	config := &tls.Config{MinVersion: tls.VersionTLS12, RootCAs: pool, ServerName: name}
	if cert, err := a.Certificates.Of(a.Switch); err == nil {
		config.Certificates = []tls.Certificate{*cert}
	}
	conn, err := tls.DialWithDialer(&dialer, "tcp", to.AddrPort.String(), config)
	if err != nil {
		err = whyUntrusted(err, name)
		a.showed(to, err)
		return nil, nil, err
	}
	leaf := conn.ConnectionState().PeerCertificates[0] // of a handshake that was checked
	a.Trunks.Showed(to.AddrPort, judge.Shown{At: time.Now(), Names: namesOf(leaf), Until: leaf.NotAfter})
	return conn, append(identities(leaf), name), nil // under that name it was checked
}

// showed remembers a certificate that was not believed.
func (a *Agent) showed(to hop, err error) {
	var no *untrusted
	if errors.As(err, &no) {
		a.Trunks.Showed(to.AddrPort, judge.Shown{At: time.Now(), Names: namesOf(no.cert), Until: no.cert.NotAfter, Err: no.why})
	}
}

// untrusted is a certificate that is not believed, and why.
type untrusted struct {
	cert *x509.Certificate
	why  string
}

func (u *untrusted) Error() string { return u.why }

// whyUntrusted says in words what is wrong with a certificate; other errors stay.
func whyUntrusted(err error, name string) error {
	var checked *tls.CertificateVerificationError
	if !errors.As(err, &checked) || len(checked.UnverifiedCertificates) == 0 {
		return err
	}
	var invalid x509.CertificateInvalidError
	var host x509.HostnameError
	var authority x509.UnknownAuthorityError
	c := checked.UnverifiedCertificates[0]
	no := &untrusted{cert: c, why: err.Error()}
	switch {
	case errors.As(err, &invalid) && invalid.Reason == x509.Expired:
		no.why = fmt.Sprintf("its certificate expired on %s", invalid.Cert.NotAfter.UTC().Format(time.DateTime+" MST"))
		if at := invalid.Cert.NotBefore; time.Now().Before(at) {
			no.why = fmt.Sprintf("its certificate holds only from %s", at.UTC().Format(time.DateTime+" MST"))
		}
	case errors.As(err, &host):
		no.why = fmt.Sprintf("its certificate is for %s, and not for %s", strings.Join(namesOf(c), ", "), name)
	case errors.As(err, &authority) && c.Subject.String() == c.Issuer.String():
		no.why = fmt.Sprintf("self-signed certificate (%s)", c.Subject.CommonName)
	case errors.As(err, &authority):
		no.why = "certificate of an untrusted authority"
	}
	return no
}

// namesOf are the names and addresses that a certificate is for.
func namesOf(c *x509.Certificate) []string {
	list := append([]string{}, c.DNSNames...)
	for _, ip := range c.IPAddresses {
		list = append(list, ip.String())
	}
	if len(list) == 0 {
		return []string{"no name"}
	}
	return list
}
