package sip_test

import (
	"bufio"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"math/big"
	"net"
	"net/netip"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/livetest"
)

const (
	carrierTLS  = "127.1.30.1:5061"
	carrierName = "ostrel.example"
)

// signer is an authority of a test.
type signer struct {
	cert *x509.Certificate
	key  *ecdsa.PrivateKey
}

func newSigner(t *testing.T) signer {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	c := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "authority"}, NotBefore: time.Now().Add(-48 * time.Hour), NotAfter: time.Now().Add(48 * time.Hour),
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign,
	}
	der, err := x509.CreateCertificate(rand.Reader, c, c, &key.PublicKey, key)
	require.NoError(t, err)
	c, err = x509.ParseCertificate(der)
	require.NoError(t, err)
	return signer{c, key}
}

// issue makes a certificate for a name, until a time; alone it signs itself.
func (s signer) issue(t *testing.T, name string, until time.Time, alone bool) tls.Certificate {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	require.NoError(t, err)
	c := &x509.Certificate{
		SerialNumber: big.NewInt(2), Subject: pkix.Name{CommonName: name}, DNSNames: []string{name}, NotBefore: time.Now().Add(-47 * time.Hour), NotAfter: until,
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	parent, by := s.cert, s.key
	if alone {
		parent, by = c, key
	}
	der, err := x509.CreateCertificate(rand.Reader, c, parent, &key.PublicKey, by)
	require.NoError(t, err)
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}
}

func (s signer) folder(t *testing.T) string {
	dir := t.TempDir()
	text := pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: s.cert.Raw})
	require.NoError(t, os.WriteFile(filepath.Join(dir, "authorities.pem"), text, 0o600))
	cert := s.issue(t, "quay.example", time.Now().Add(time.Hour), false)
	key, err := x509.MarshalPKCS8PrivateKey(cert.PrivateKey)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(dir, "quay.pem"), pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: cert.Certificate[0]}), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "quay-key.pem"), pem.EncodeToMemory(&pem.Block{Type: "PRIVATE KEY", Bytes: key}), 0o600))
	return dir
}

// byTLS is a bench whose first carrier is called over TLS.
func byTLS(t *testing.T, s signer) flow {
	return startWith(t, livetest.Setup{Certificates: s.folder(t), Change: func(p *plan.Plan) {
		p.Switches[0].Listeners.SIP.TLSAddress = "127.1.10.1:5061"
		for i := range p.Trunks {
			if p.Trunks[i].ID == "ostrel" {
				p.Trunks[i].Link.SIP.Transport, p.Trunks[i].Link.SIP.RemoteAddress, p.Trunks[i].Link.SIP.TLSServerName = "tls", carrierTLS, carrierName
			}
		}
	}})
}

// serve takes one connection with a certificate, and returns what comes of it.
func serve(t *testing.T, cert tls.Certificate) <-chan string {
	l, err := tls.Listen("tcp", carrierTLS, &tls.Config{MinVersion: tls.VersionTLS12, Certificates: []tls.Certificate{cert}})
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	came := make(chan string, 1)
	go func() {
		var conn net.Conn
		if conn, err = l.Accept(); err != nil {
			return
		}
		defer conn.Close()
		_ = conn.SetDeadline(time.Now().Add(5 * time.Second))
		var text strings.Builder
		r := bufio.NewReader(conn)
		for {
			line, err := r.ReadString('\n')
			text.WriteString(line)
			if err != nil || line == "\r\n" {
				break
			}
		}
		came <- text.String()
	}()
	return came
}

func TestACallGoesOverTLS(t *testing.T) {
	s := newSigner(t)
	f := byTLS(t, s)
	came := serve(t, s.issue(t, carrierName, time.Now().Add(time.Hour), false))
	f.phones.Send(request("INVITE", "901914980850", "tls1", "", "tls1", offer))
	text := <-came
	assert.Contains(t, text, "INVITE sip:+441914980850@127.1.30.1:5061;transport=tls SIP/2.0")
	assert.Contains(t, text, "Via: SIP/2.0/TLS 127.1.10.1:5061;")
	assert.Contains(t, text, "Contact: <sip:127.1.10.1:5061;transport=tls>")

	// What it showed is known, and until when it holds.
	shown, ok := f.Trunks.ShownBy(netip.MustParseAddrPort("127.1.30.1:5061"))
	require.True(t, ok)
	assert.Equal(t, []string{carrierName}, shown.Names)
	assert.WithinDuration(t, time.Now().Add(time.Hour), shown.Until, time.Minute)
	assert.Contains(t, shown.Warning(time.Now()), "expires on")
	assert.Empty(t, shown.Err)
}

// A certificate that cannot be believed is as good as no connection: the call goes
// on, and the trail says what is wrong with it (RFC 5922).
func TestCertificatesAreChecked(t *testing.T) {
	s, other := newSigner(t), newSigner(t)
	for name, c := range map[string]struct {
		cert tls.Certificate
		want string
	}{
		"expired":    {s.issue(t, carrierName, time.Now().Add(-time.Hour), false), "its certificate expired on "},
		"wrong name": {s.issue(t, "penhallow.example", time.Now().Add(time.Hour), false), "its certificate is for penhallow.example, and not for ostrel.example"},
		"by itself":  {s.issue(t, carrierName, time.Now().Add(time.Hour), true), "self-signed certificate"},
		"by others":  {other.issue(t, carrierName, time.Now().Add(time.Hour), false), "certificate of an untrusted authority"},
	} {
		t.Run(name, func(t *testing.T) {
			f := byTLS(t, s)
			serve(t, c.cert)
			f.phones.Send(request("INVITE", "901914980850", "tls2", "", "tls2", offer))
			next := f.penhallow.Expect("INVITE") // at once
			f.penhallow.Send(next.Reply("486 Busy Here", "callee", ""))
			f.phones.Expect("SIP/2.0 486")
			require.Eventually(t, func() bool { return strings.Contains(details(f.call("tls2").Trail), c.want) }, 5*time.Second, 10*time.Millisecond, details(f.call("tls2").Trail))
			shown, _ := f.Trunks.ShownBy(netip.MustParseAddrPort("127.1.30.1:5061"))
			assert.Contains(t, shown.Warning(time.Now()), c.want)
		})
	}
}

// A switch without a certificate takes no connections over TLS, and says so.
func TestASwitchWithoutACertificate(t *testing.T) {
	f := start(t, nil)
	assert.ErrorContains(t, f.Agent.Secure("127.1.10.1:5061"), "no certificate")
	assert.NoError(t, f.Agent.Secure(""))
}

// Handshakes that never end keep nobody out: one network has few of them, and of all the oldest
// makes room.
func TestHandshakesWithoutEndKeepNobodyOut(t *testing.T) {
	by := newSigner(t)
	f := startWith(t, livetest.Setup{Certificates: by.folder(t)})
	var open []net.Conn
	defer func() {
		for _, c := range open {
			c.Close()
		}
	}()
	for i := range 2 * sip.MaxHandshakes {
		from := &net.TCPAddr{IP: net.IPv4(127, 1, byte(64+i/sip.MaxHandshakesNear), byte(1+i%sip.MaxHandshakesNear))}
		conn, err := (&net.Dialer{LocalAddr: from, Timeout: time.Second}).Dial("tcp", "127.1.10.1:5061")
		require.NoError(t, err)
		open = append(open, conn)
	}
	dialer := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.IPv4(127, 1, 120, 1)}, Timeout: 2 * time.Second}
	began := time.Now()
	conn, err := tls.DialWithDialer(dialer, "tcp", "127.1.10.1:5061", &tls.Config{InsecureSkipVerify: true}) //nolint:gosec // it is not the certificate that is tried
	require.NoError(t, err)
	conn.Close()
	assert.Less(t, time.Since(began), 2*time.Second)
	f.answered(t, "beside")
}
