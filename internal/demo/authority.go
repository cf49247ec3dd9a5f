package demo

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"errors"
	"fmt"
	"io/fs"
	"math/big"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"slices"
	"time"

	"switchback.example/switchback/internal/core/plan"
)

// certificatesHold is how long the demo's certificates hold, and renewBefore how
// long before their end they are made anew.
const (
	certificatesHold = 365 * 24 * time.Hour
	renewBefore      = 30 * 24 * time.Hour
)

// Certificates makes a test authority and a certificate for every switch of a plan
// and every stand-in that listens for TLS, in a folder, unless they are there and hold. The authority's
// key is kept nowhere: it is made anew with the certificates.
func Certificates(folder string, p plan.Plan, now time.Time) error {
	owners := owners(p)
	missing := slices.ContainsFunc(append(owners, owner{name: "authorities"}), func(o owner) bool {
		return !current(filepath.Join(folder, o.name+".pem"), now)
	})
	if !missing {
		return nil
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	authority, err := newAuthority(now)
	if err != nil {
		return err
	}
	for _, o := range owners {
		if err := authority.issue(folder, o.name, []string{o.server}, o.at); err != nil {
			return fmt.Errorf("certificate of %s: %w", o.name, err)
		}
	}
	return writePEM(filepath.Join(folder, "authorities.pem"), "CERTIFICATE", authority.cert.Raw)
}

// owner has a certificate: its file, its name, and where it listens.
type owner struct {
	name, server string
	at           netip.Addr
}

// owners are the switches of a plan that listen for TLS, and the stand-ins that do.
func owners(p plan.Plan) (list []owner) {
	for _, sw := range p.Switches {
		if at, err := netip.ParseAddrPort(sw.Listeners.SIP.TLSAddress); err == nil {
			list = append(list, owner{sw.ID, ServerName(sw.ID), at.Addr()})
		}
	}
	for _, c := range standIns("") {
		if at, err := netip.ParseAddrPort(c.Address); err == nil && c.Secure != nil {
			list = append(list, owner{c.Secure.Name, c.Secure.Name + ".example", at.Addr()})
		}
	}
	return list
}

// ServerName is the name of a switch of the demo.
func ServerName(switchID string) string { return switchID + ".skerry-line.example" }

// current tells whether a certificate is there and holds for a while.
func current(file string, now time.Time) bool {
	text, err := os.ReadFile(file) //nolint:gosec // the demo's own
	if errors.Is(err, fs.ErrNotExist) || err != nil {
		return false
	}
	block, _ := pem.Decode(text)
	if block == nil {
		return false
	}
	cert, err := x509.ParseCertificate(block.Bytes)
	return err == nil && now.Add(renewBefore).Before(cert.NotAfter)
}

type authority struct {
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
}

func newAuthority(now time.Time) (*authority, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return nil, err
	}
	template := &x509.Certificate{
		SerialNumber: serial(), Subject: pkix.Name{CommonName: "Skerry Line test authority"},
		NotBefore: now.Add(-time.Hour), NotAfter: now.Add(certificatesHold),
		KeyUsage: x509.KeyUsageCertSign, IsCA: true, BasicConstraintsValid: true,
	}
	der, err := x509.CreateCertificate(rand.Reader, template, template, &key.PublicKey, key)
	if err != nil {
		return nil, err
	}
	cert, err := x509.ParseCertificate(der)
	return &authority{cert, key}, err
}

// issue writes a certificate for names and an address, and its key.
func (a *authority) issue(folder, name string, names []string, at netip.Addr) error {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	template := &x509.Certificate{
		SerialNumber: serial(), Subject: pkix.Name{CommonName: names[0]}, DNSNames: names, IPAddresses: []net.IP{at.AsSlice()},
		NotBefore: a.cert.NotBefore, NotAfter: a.cert.NotAfter, KeyUsage: x509.KeyUsageDigitalSignature,
		ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth, x509.ExtKeyUsageClientAuth},
	}
	der, err := x509.CreateCertificate(rand.Reader, template, a.cert, &key.PublicKey, a.key)
	if err != nil {
		return err
	}
	private, err := x509.MarshalPKCS8PrivateKey(key)
	if err != nil {
		return err
	}
	return errors.Join(
		writePEM(filepath.Join(folder, name+"-key.pem"), "PRIVATE KEY", private),
		writePEM(filepath.Join(folder, name+".pem"), "CERTIFICATE", der),
	)
}

func serial() *big.Int {
	n, _ := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 120)) // never fails (crypto/rand)
	return n
}

func writePEM(file, kind string, der []byte) error {
	return os.WriteFile(file, pem.EncodeToMemory(&pem.Block{Type: kind, Bytes: der}), 0o600)
}
