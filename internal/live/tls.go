package live

import (
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"sync"
	"time"
)

// Certificates are the files with which switches prove themselves over TLS, and the
// authorities that they believe. Files are read again when they change, so that a
// certificate is renewed without a restart:
//
//	authorities.pem    the authorities of far ends' certificates; without it, those of the system
//	<switch>.pem       the certificate of a switch, with those that lead to its authority
//	<switch>-key.pem   its key
//
// It is safe for concurrent use. The zero folder has none.
type Certificates struct {
	folder string

	mu    sync.Mutex
	known map[string]loaded // by file
}

// loaded is what a file held when it was read.
type loaded struct {
	changed time.Time
	cert    *tls.Certificate
	pool    *x509.CertPool
}

// NewCertificates reads from a folder.
func NewCertificates(folder string) *Certificates {
	return &Certificates{folder: folder, known: map[string]loaded{}}
}

// ErrNoCertificate says that a switch has none.
var ErrNoCertificate = errors.New("the switch has no certificate")

// Of is the certificate of a switch, its first part read (Leaf).
func (c *Certificates) Of(switchID string) (*tls.Certificate, error) {
	if c == nil || c.folder == "" {
		return nil, fmt.Errorf("%w: no folder for certificates is set", ErrNoCertificate)
	}
	file := filepath.Join(c.folder, switchID+".pem")
	l, err := c.load(file, func() (l loaded, err error) {
		cert, err := tls.LoadX509KeyPair(file, filepath.Join(c.folder, switchID+"-key.pem"))
		if err != nil {
			return l, fmt.Errorf("%w: %w", ErrNoCertificate, err)
		}
		return loaded{cert: &cert}, nil
	})
	if err != nil && !errors.Is(err, ErrNoCertificate) {
		err = fmt.Errorf("%w: %w", ErrNoCertificate, err)
	}
	return l.cert, err
}

// Authorities are those that far ends' certificates are checked by.
func (c *Certificates) Authorities() (*x509.CertPool, error) {
	if c == nil || c.folder == "" {
		return x509.SystemCertPool()
	}
	file := filepath.Join(c.folder, "authorities.pem")
	l, err := c.load(file, func() (l loaded, err error) {
		text, err := os.ReadFile(file) //nolint:gosec // the name is ours
		if err != nil {
			return l, err
		}
		pool := x509.NewCertPool()
		if !pool.AppendCertsFromPEM(text) {
			return l, fmt.Errorf("%s holds no certificate", file)
		}
		return loaded{pool: pool}, nil
	})
	if errors.Is(err, os.ErrNotExist) {
		return x509.SystemCertPool()
	}
	return l.pool, err
}

// load reads a file again if it has changed.
func (c *Certificates) load(file string, read func() (loaded, error)) (loaded, error) {
	info, err := os.Stat(file)
	if err != nil {
		return loaded{}, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if l, ok := c.known[file]; ok && l.changed.Equal(info.ModTime()) {
		return l, nil
	}
	l, err := read()
	if err != nil {
		return loaded{}, err
	}
	l.changed = info.ModTime()
	c.known[file] = l
	return l, nil
}
