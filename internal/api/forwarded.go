package api

import (
	"net"
	"net/http"
	"net/netip"
	"slices"
	"strings"
)

// behindProxies believes what a proxy says of a request, where it comes from one that the
// settings name: the address of who asked (X-Forwarded-For) and whether that was by HTTPS
// (X-Forwarded-Proto). From anybody else those fields mean nothing. Over HTTPS cookies are
// marked Secure (RFC 6265 section 4.1.2.5).
func behindProxies(proxies []netip.Prefix, next http.Handler) http.Handler {
	ours := func(a netip.Addr) bool {
		return slices.ContainsFunc(proxies, func(p netip.Prefix) bool { return p.Contains(a.Unmap()) })
	}
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		secure := r.TLS != nil
		if from, err := netip.ParseAddrPort(r.RemoteAddr); err == nil && ours(from.Addr()) {
			secure = secure || strings.EqualFold(r.Header.Get("X-Forwarded-Proto"), "https")
			if asked, ok := whoAsked(r.Header.Values("X-Forwarded-For"), ours); ok {
				r.RemoteAddr = net.JoinHostPort(asked.String(), "0")
			}
		}
		if secure {
			w = &secureCookies{ResponseWriter: w}
		}
		next.ServeHTTP(w, r)
	})
}

// whoAsked is the last address in the list that none of our proxies has: what stands before it
// was written by who asked.
func whoAsked(fields []string, ours func(netip.Addr) bool) (a netip.Addr, ok bool) {
	list := strings.Split(strings.Join(fields, ","), ",")
	for i := len(list) - 1; i >= 0; i-- {
		at, err := netip.ParseAddr(strings.TrimSpace(list[i]))
		if err != nil {
			return a, ok
		}
		if a, ok = at.Unmap(), true; !ours(a) {
			return a, true
		}
	}
	return a, ok
}

// secureCookies marks the cookies of an answer.
type secureCookies struct {
	http.ResponseWriter
	done bool
}

func (s *secureCookies) WriteHeader(status int) {
	s.mark()
	s.ResponseWriter.WriteHeader(status)
}

func (s *secureCookies) Write(b []byte) (int, error) {
	s.mark()
	return s.ResponseWriter.Write(b)
}

// Flush implements http.Flusher, and Unwrap is for http.ResponseController.
func (s *secureCookies) Flush() {
	s.mark()
	_ = http.NewResponseController(s.ResponseWriter).Flush() // not there under a test's recorder
}

func (s *secureCookies) Unwrap() http.ResponseWriter { return s.ResponseWriter }

func (s *secureCookies) mark() {
	if s.done {
		return
	}
	s.done = true
	for i, cookie := range s.Header()["Set-Cookie"] {
		if !strings.Contains(cookie, "; Secure") {
			s.Header()["Set-Cookie"][i] = cookie + "; Secure"
		}
	}
}
