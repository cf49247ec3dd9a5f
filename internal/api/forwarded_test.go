package api

import (
	"crypto/tls"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
)

// RFC 7239 section 8.1 (of the field that X-Forwarded-For came before): only what our own
// proxies wrote can be believed.
func TestAProxyIsBelievedOnlyWhereItIsSet(t *testing.T) {
	proxies := []netip.Prefix{netip.MustParsePrefix("127.0.5.0/24")}
	for what, c := range map[string]struct {
		from         string
		forwarded    []string
		proto        string
		tls          bool
		want, cookie string
	}{
		"nobody's word":          {"127.0.9.9:1", []string{"127.0.99.1"}, "https", false, "127.0.9.9:1", "a=b"},
		"a proxy's":              {"127.0.5.1:1", []string{"127.0.99.1"}, "https", false, "127.0.99.1:0", "a=b; Secure"},
		"a proxy's, plain":       {"127.0.5.1:1", []string{"127.0.99.1"}, "http", false, "127.0.99.1:0", "a=b"},
		"what the asker wrote":   {"127.0.5.1:1", []string{"127.0.0.1, 127.0.99.1", "127.0.5.2"}, "", false, "127.0.99.1:0", "a=b"},
		"nothing readable":       {"127.0.5.1:1", []string{"127.0.0.1, who, 127.0.5.2"}, "", false, "127.0.5.2:0", "a=b"},
		"nothing":                {"127.0.5.1:1", nil, "", false, "127.0.5.1:1", "a=b"},
		"by HTTPS to us, itself": {"127.0.9.9:1", nil, "", true, "127.0.9.9:1", "a=b; Secure"},
	} {
		t.Run(what, func(t *testing.T) {
			var saw string
			h := behindProxies(proxies, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				saw = r.RemoteAddr
				w.Header().Add("Set-Cookie", "a=b")
				_, _ = w.Write([]byte("x"))
			}))
			r := httptest.NewRequest(http.MethodGet, "/", nil)
			r.RemoteAddr = c.from
			if c.tls {
				r.TLS = &tls.ConnectionState{}
			}
			for _, f := range c.forwarded {
				r.Header.Add("X-Forwarded-For", f)
			}
			if c.proto != "" {
				r.Header.Set("X-Forwarded-Proto", c.proto)
			}
			w := httptest.NewRecorder()
			h.ServeHTTP(w, r)
			assert.Equal(t, c.want, saw)
			assert.Equal(t, c.cookie, w.Header().Get("Set-Cookie"))
		})
	}
}
