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
// that listens for TLS, in a folder, unless they are there and hold. The authority's
// key is kept nowhere: it is made anew with the certificates.
func Certificates(folder string, p plan.Plan, now time.Time) error {
	if current(filepath.Join(folder, "authorities.pem"), now) {
		return nil
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return err
	}
	authority, err := newAuthority(now)
	if err != nil {
		return err
	}
	for _, sw := range p.Switches {
		if at, err := netip.ParseAddrPort(sw.TLS); err == nil {
			if err := authority.issue(folder, sw.ID, []string{ServerName(sw.ID)}, at.Addr()); err != nil {
				return fmt.Errorf("certificate of switch %s: %w", sw.ID, err)
			}
		}
	}
	return writePEM(filepath.Join(folder, "authorities.pem"), "CERTIFICATE", authority.cert.Raw)
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
