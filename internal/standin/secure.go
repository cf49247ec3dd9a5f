package standin

import (
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"os"
	"path/filepath"
)

// Secure has a stand-in speak over TLS alone.
type Secure struct {
	// Folder holds its certificate and key, named after Name, and the authorities
	// that it believes.
	Folder, Name string
	// Peer is the name that the switch's certificate must have.
	Peer string
	// Encrypts has its sound encrypted by SRTP, and refuses what is not (RFC 3711,
	// RFC 4568).
	Encrypts bool
}

func (s Secure) load() (*tls.Config, error) {
	own, err := tls.LoadX509KeyPair(filepath.Join(s.Folder, s.Name+".pem"), filepath.Join(s.Folder, s.Name+"-key.pem"))
	if err != nil {
		return nil, fmt.Errorf("its certificate: %w", err)
	}
	authorities, err := os.ReadFile(filepath.Join(s.Folder, "authorities.pem"))
	if err != nil {
		return nil, fmt.Errorf("trusted authorities: %w", err)
	}
	pool := x509.NewCertPool()
	pool.AppendCertsFromPEM(authorities)
	return &tls.Config{Certificates: []tls.Certificate{own}, RootCAs: pool, ServerName: s.Peer, MinVersion: tls.VersionTLS12}, nil
}
