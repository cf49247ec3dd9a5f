package door_test

import (
	"bytes"
	"crypto/tls"
	"crypto/x509"
	"log/slog"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/door"
)

var noon = time.Date(2026, 11, 27, 12, 0, 0, 0, time.UTC)

func read(t *testing.T, name string) string {
	b, err := os.ReadFile(name)
	require.NoError(t, err)
	return string(b)
}

func leaf(t *testing.T, c *door.Certificate) *x509.Certificate {
	pair, err := c.Get(&tls.ClientHelloInfo{})
	require.NoError(t, err)
	return pair.Leaf
}

// A certificate of one's own stays from start to start, so that its fingerprint can be compared;
// it is made anew for another name, and a month before its end.
func TestASelfMadeCertificateStays(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "new")
	certificate, key, err := door.SelfMade(folder, []string{"quay.example", "127.0.0.1"}, noon)
	require.NoError(t, err)
	info, err := os.Stat(key)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	first := read(t, certificate)
	same := func(hosts []string, at time.Time) bool {
		_, _, err := door.SelfMade(folder, hosts, at)
		require.NoError(t, err)
		return read(t, certificate) == first
	}
	assert.True(t, same([]string{"quay.example"}, noon.AddDate(0, 11, 0)))
	assert.False(t, same([]string{"quay.example"}, noon.AddDate(0, 11, 10)), "near its end")
	first = read(t, certificate)
	assert.False(t, same([]string{"cape.example"}, noon.AddDate(0, 11, 10)), "another name")

	c, err := door.Open(certificate, key, slog.New(slog.DiscardHandler))
	require.NoError(t, err)
	l := leaf(t, c)
	assert.NoError(t, l.VerifyHostname("cape.example"))
	assert.Error(t, l.VerifyHostname("quay.example"))
	assert.NoError(t, l.CheckSignature(l.SignatureAlgorithm, l.RawTBSCertificate, l.Signature))
	assert.Len(t, c.Fingerprint(), 32*3-1)
}

// A renewed certificate is used from the next handshake on; half of a renewal, a broken file or
// none leave the one before in use, and are logged once.
func TestFilesAreReadAgainWhenTheyChange(t *testing.T) {
	var said bytes.Buffer
	certificate, key, err := door.SelfMade(t.TempDir(), []string{"quay.example"}, noon)
	require.NoError(t, err)
	newCertificate, newKey, err := door.SelfMade(t.TempDir(), []string{"quay.example"}, noon.AddDate(0, 0, 1))
	require.NoError(t, err)
	c, err := door.Open(certificate, key, slog.New(slog.NewTextHandler(&said, nil)))
	require.NoError(t, err)
	first := leaf(t, c).SerialNumber
	moment := time.Now()
	put := func(name, text string) {
		require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
		moment = moment.Add(time.Second) // file systems keep times that are coarser than a test
		require.NoError(t, os.Chtimes(name, moment, moment))
	}
	put(certificate, read(t, newCertificate))
	assert.Equal(t, first, leaf(t, c).SerialNumber, "with the key of the one before")
	assert.Equal(t, first, leaf(t, c).SerialNumber)
	assert.Equal(t, 1, bytes.Count(said.Bytes(), []byte("level=WARN")))
	put(key, read(t, newKey))
	second := leaf(t, c).SerialNumber
	assert.NotEqual(t, first, second)
	assert.Contains(t, said.String(), c.Fingerprint())
	put(certificate, "nothing")
	assert.Equal(t, second, leaf(t, c).SerialNumber)
	require.NoError(t, os.Remove(certificate))
	assert.Equal(t, second, leaf(t, c).SerialNumber)
	put(certificate, read(t, newCertificate))
	assert.Equal(t, second, leaf(t, c).SerialNumber)

	_, err = door.Open(certificate, filepath.Join(t.TempDir(), "gone.pem"), slog.New(slog.DiscardHandler))
	assert.ErrorContains(t, err, "gone.pem")
	put(key, "nothing")
	_, err = door.Open(certificate, key, slog.New(slog.DiscardHandler))
	assert.ErrorContains(t, err, key)
}
