// Package apitest serves the API to tests from memory, with the demo's plan and without a
// database or a network, and has the client that speaks to it as a browser does. It is for
// tests only; package apptest runs the whole application.
package apitest

import (
	"bytes"
	"encoding/json"
	"io"
	"net/http"
	"net/http/cookiejar"
	"testing"

	"github.com/stretchr/testify/require"
)

// The sign-in of the test's engineer.
const (
	User     = "engineer"
	Password = "right"
)

// Client speaks to the API as a browser does.
type Client struct {
	URL  string
	t    testing.TB
	http *http.Client
}

// NewClient returns a client of what is served at an address, not signed in.
func NewClient(t testing.TB, url string) *Client {
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	return &Client{url, t, &http.Client{Jar: jar}}
}

// SignIn signs the engineer in.
func (c *Client) SignIn() {
	status, _ := c.Send("POST", "/api/session", map[string]string{"name": User, "password": Password}, nil)
	require.Equal(c.t, 200, status)
}

// HTTP is the client with the cookies of the sign-in.
func (c *Client) HTTP() *http.Client { return c.http }

// Send sends JSON and returns the status and the body.
func (c *Client) Send(method, path string, body any, header http.Header) (int, []byte) {
	var text []byte
	switch b := body.(type) {
	case nil:
	case []byte:
		text = b
	default:
		var err error
		text, err = json.Marshal(b)
		require.NoError(c.t, err)
	}
	req, err := http.NewRequest(method, c.URL+path, bytes.NewReader(text))
	require.NoError(c.t, err)
	req.Header.Set("Content-Type", "application/json")
	for k, v := range header {
		req.Header[k] = v
	}
	res, err := c.http.Do(req)
	require.NoError(c.t, err)
	defer res.Body.Close()
	answer, err := io.ReadAll(res.Body)
	require.NoError(c.t, err)
	return res.StatusCode, answer
}

// Ask sends a request that must succeed and reads the answer into out.
func (c *Client) Ask(method, path string, body, out any) {
	status, text := c.Send(method, path, body, nil)
	require.Less(c.t, status, 300, "%s %s: %s", method, path, text)
	if out != nil {
		require.NoError(c.t, json.Unmarshal(text, out))
	}
}

// Problem sends a request that must fail and returns its problem document.
func (c *Client) Problem(wantStatus int, method, path string, body any) ProblemDocument {
	status, text := c.Send(method, path, body, nil)
	require.Equal(c.t, wantStatus, status, "%s %s: %s", method, path, text)
	var p ProblemDocument
	require.NoError(c.t, json.Unmarshal(text, &p))
	return p
}

// ProblemDocument is the answer to a request that failed (RFC 9457).
type ProblemDocument struct {
	Detail string
	Errors []struct{ Location, Message string }
}
