// Package door keeps the certificate of the web application: read from files, and again when
// they change, or made by the program itself.
//
// It never listens, and knows nothing of SIP, whose certificates are those of the switches.
package door

import (
	"crypto/sha256"
	"crypto/tls"
	"fmt"
	"log/slog"
	"os"
	"strings"
	"sync"
	"time"
)

// Certificate is a certificate with its key, as its two PEM files have it now.
type Certificate struct {
	certificate, key string
	log              *slog.Logger

	mu      sync.Mutex
	pair    *tls.Certificate
	stamp   stamp  // of the files that the pair was read from
	refused string // the last error, which is logged once
}

// stamp tells two states of the files apart.
type stamp struct {
	changed [2]time.Time
	size    [2]int64
}

// Open reads the two files. The error names the file and what is wrong with it.
func Open(certificate, key string, log *slog.Logger) (*Certificate, error) {
	c := &Certificate{certificate: certificate, key: key, log: log}
	now, err := c.look()
	if err != nil {
		return nil, err
	}
	return c, c.read(now)
}

// Get is the certificate for a handshake, for tls.Config.GetCertificate. Files that changed
// are read first; while they cannot be used (one of them is written, the other is not yet),
// the pair before stays.
func (c *Certificate) Get(*tls.ClientHelloInfo) (*tls.Certificate, error) {
	c.mu.Lock()
	defer c.mu.Unlock()
	now, err := c.look()
	if err == nil && now != c.stamp {
		if err = c.read(now); err == nil {
			c.log.Info("read a new certificate for HTTPS", "fingerprint", Fingerprint(c.pair))
			c.refused = ""
		}
	}
	if err != nil && err.Error() != c.refused {
		c.refused = err.Error()
		c.log.Warn("the certificate for HTTPS cannot be read; the one before stays in use", "error", err)
	}
	return c.pair, nil
}

// Fingerprint is that of the certificate in use.
func (c *Certificate) Fingerprint() string {
	c.mu.Lock()
	defer c.mu.Unlock()
	return Fingerprint(c.pair)
}

func (c *Certificate) look() (s stamp, err error) {
	for i, name := range []string{c.certificate, c.key} {
		info, err := os.Stat(name)
		if err != nil {
			return s, fmt.Errorf("HTTPS: %w", err)
		}
		s.changed[i], s.size[i] = info.ModTime(), info.Size()
	}
	return s, nil
}

func (c *Certificate) read(s stamp) error {
	pair, err := tls.LoadX509KeyPair(c.certificate, c.key)
	if err != nil {
		return fmt.Errorf("HTTPS, %s with %s: %w", c.certificate, c.key, err)
	}
	c.pair, c.stamp = &pair, s
	return nil
}

// Fingerprint is the SHA-256 of a certificate in hexadecimal pairs with colons between them, as
// browsers show it.
func Fingerprint(pair *tls.Certificate) string {
	sum := sha256.Sum256(pair.Certificate[0])
	return strings.ToUpper(strings.ReplaceAll(fmt.Sprintf("% x", sum), " ", ":"))
}
