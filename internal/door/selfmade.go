package door

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"fmt"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"slices"
	"time"
)

// A self-made certificate is valid for a year, and made anew at the first start within its
// last month.
const (
	validity = 365 * 24 * time.Hour
	renewal  = 30 * 24 * time.Hour
)

// SelfMade returns the files of a certificate that the program made itself for some host names
// and addresses. It makes them in the folder if they are not there, about to expire, or for
// other names.
func SelfMade(folder string, hosts []string, now time.Time) (certificate, key string, err error) {
	certificate, key = filepath.Join(folder, "https.pem"), filepath.Join(folder, "https-key.pem")
	if holds(certificate, key, hosts, now) {
		return certificate, key, nil
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return "", "", fmt.Errorf("https-dir: %w", err)
	}
	if err := write(certificate, key, hosts, now); err != nil {
		return "", "", fmt.Errorf("https-dir: %w", err)
	}
	return certificate, key, nil
}

// holds tells whether files are there that can be used on.
func holds(certificate, key string, hosts []string, now time.Time) bool {
	pair, err := tls.LoadX509KeyPair(certificate, key)
	if err != nil {
		return false
	}
	return pair.Leaf.NotAfter.Sub(now) > renewal && !slices.ContainsFunc(hosts, func(h string) bool { return pair.Leaf.VerifyHostname(h) != nil })
}

func write(certificate, key string, hosts []string, now time.Time) error {
	private, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	serial, err := rand.Int(rand.Reader, new(big.Int).Lsh(big.NewInt(1), 127)) // RFC 5280 section 4.1.2.2: at most 20 octets
	if err != nil {
		return err
	}
	t := x509.Certificate{
		SerialNumber: serial, Subject: pkix.Name{CommonName: "Switchback"},
		NotBefore: now.Add(-time.Hour), NotAfter: now.Add(validity), // an hour for clocks that are behind
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}, BasicConstraintsValid: true,
	}
	for _, h := range hosts {
		if ip := net.ParseIP(h); ip != nil {
			t.IPAddresses = append(t.IPAddresses, ip)
		} else {
			t.DNSNames = append(t.DNSNames, h)
		}
	}
	body, err := x509.CreateCertificate(rand.Reader, &t, &t, private.Public(), private)
	if err != nil {
		return err
	}
	secret, err := x509.MarshalPKCS8PrivateKey(private)
	if err != nil {
		return err
	}
	if err := os.WriteFile(key, pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: secret}), 0o600); err != nil {
		return err
	}
	return os.WriteFile(certificate, pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: body}), 0o600)
}
