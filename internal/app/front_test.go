package app_test

import (
	"bytes"
	"context"
	"crypto/tls"
	"crypto/x509"
	"net/http"
	"net/http/cookiejar"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/apptest"
)

// The web application is served by HTTPS with HTTP/2; what it sets there are Secure cookies. Of a
// self-made certificate no browser is told to insist on it.
func TestTheFrontDoorSpeaksHTTPS(t *testing.T) {
	c := apptest.Run(t, nil)
	client, pool := overHTTPS(t, c)

	resp, err := client.Post(c.Secure+"/api/session", "application/json", strings.NewReader(`{"name":"`+apptest.User+`","password":"`+apptest.Password+`"}`))
	require.NoError(t, err)
	defer resp.Body.Close()
	require.Equal(t, 200, resp.StatusCode)
	assert.Equal(t, "HTTP/2.0", resp.Proto)
	assert.Contains(t, resp.Header.Get("Set-Cookie"), "; Secure")
	assert.Contains(t, resp.Header.Get("Set-Cookie"), "HttpOnly")
	assert.Empty(t, resp.Header.Get("Strict-Transport-Security"))

	// A stream of events runs over it, and ends with the application.
	ctx, cancel := context.WithTimeout(context.Background(), 20*time.Second)
	defer cancel()
	ask, err := http.NewRequestWithContext(ctx, http.MethodGet, c.Secure+"/api/events", nil)
	require.NoError(t, err)
	stream, err := client.Do(ask)
	require.NoError(t, err)
	defer stream.Body.Close()
	require.Equal(t, 200, stream.StatusCode)
	first := make([]byte, 64)
	n, err := stream.Body.Read(first)
	require.NoError(t, err)
	assert.NotZero(t, n)

	// Who speaks TLS 1.1 is refused (RFC 8996), and who speaks HTTP there is told so.
	_, err = tls.Dial("tcp", strings.TrimPrefix(c.Secure, "https://"), &tls.Config{RootCAs: pool, MinVersion: tls.VersionTLS10, MaxVersion: tls.VersionTLS11})
	require.Error(t, err)
	plain, err := http.Get("http" + strings.TrimPrefix(c.Secure, "https"))
	require.NoError(t, err)
	defer plain.Body.Close()
	assert.Equal(t, 400, plain.StatusCode)
	c.Stop()
	var rest bytes.Buffer
	_, _ = rest.ReadFrom(stream.Body) // returns, since the stream was ended
	assert.NoError(t, ctx.Err())
}

// A certificate that was given is one that browsers know, so they are told to come by HTTPS only
// (RFC 6797). The first link leads there.
func TestAGivenCertificateIsInsistedOn(t *testing.T) {
	c, link := apptest.Empty(t)
	assert.True(t, strings.HasPrefix(link, c.Secure+"/first-start#"), link)
	client, _ := overHTTPS(t, c)
	resp, err := client.Get(c.Secure + "/api/first-start")
	require.NoError(t, err)
	defer resp.Body.Close()
	assert.Equal(t, "max-age=31536000", resp.Header.Get("Strict-Transport-Security"))
	resp, err = http.Get(c.URL + "/api/first-start")
	require.NoError(t, err)
	defer resp.Body.Close()
	assert.Empty(t, resp.Header.Get("Strict-Transport-Security"), "RFC 6797 section 7.2: not over HTTP")
}

// overHTTPS is a client that trusts the certificate of the application.
func overHTTPS(t *testing.T, c *apptest.Client) (*http.Client, *x509.CertPool) {
	pem, err := os.ReadFile(c.Certificate)
	require.NoError(t, err)
	pool := x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(pem))
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	client := &http.Client{Jar: jar, Transport: &http.Transport{ForceAttemptHTTP2: true, TLSClientConfig: &tls.Config{RootCAs: pool}}}
	t.Cleanup(client.CloseIdleConnections)
	return client, pool
}

// HTTP is served on loopback only, unless a setting says so; HTTPS needs a certificate.
func TestAddressesOfTheFrontDoorAreJudgedFirst(t *testing.T) {
	for _, x := range []struct {
		want string
		o    app.Options
	}{
		{"HTTP carries passwords in clear text", app.Options{HTTP: "0.0.0.0:8480"}},
		{"HTTP carries passwords in clear text", app.Options{HTTP: ":8480"}},
		{"HTTP carries passwords in clear text", app.Options{HTTP: "quay.example:8480"}},
		{`--http "8480"`, app.Options{HTTP: "8480"}},
		{"https needs a certificate", app.Options{HTTP: "127.0.0.1:0", HTTPS: app.HTTPS{Address: "127.0.0.1:0"}}},
		{"set both, or neither", app.Options{HTTP: "localhost:0", HTTPS: app.HTTPS{Address: "127.0.0.1:0", Key: "key.pem"}}},
		{`--https "8443"`, app.Options{HTTP: "[::1]:0", HTTPS: app.HTTPS{Address: "8443"}}},
	} {
		x.o.DSN = "nobody@tcp(127.0.0.1:1)/none"
		assert.ErrorContains(t, app.Run(context.Background(), x.o), x.want)
	}
}
