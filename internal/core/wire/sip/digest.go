package sip

import (
	"crypto/md5" //nolint:gosec // RFC 8760 keeps it for far ends that know nothing else
	"crypto/sha256"
	"crypto/sha512"
	"crypto/subtle"
	"encoding/hex"
	"errors"
	"fmt"
	"hash"
	"strings"
)

// Digest authentication (RFC 7616, for SIP RFC 3261 section 22 and RFC 8760).

// Algorithm is how a digest is computed.
type Algorithm string

// The algorithms. Each has a form with -sess behind it, which binds the secret to
// a session (RFC 7616 section 3.4.2).
const (
	MD5       Algorithm = "MD5"
	SHA256    Algorithm = "SHA-256"
	SHA512256 Algorithm = "SHA-512-256"
)

func (a Algorithm) hash() (h hash.Hash, session bool) {
	_, session = strings.CutSuffix(strings.ToUpper(string(a)), "-SESS")
	switch a.Named() {
	case MD5:
		return md5.New(), session //nolint:gosec // see above
	case SHA256:
		return sha256.New(), session
	case SHA512256:
		return sha512.New512_256(), session
	}
	return nil, session
}

// Named is the algorithm without -sess, MD5 where none is named (RFC 7616 section
// 3.3).
func (a Algorithm) Named() Algorithm {
	name, _ := strings.CutSuffix(strings.ToUpper(string(a)), "-SESS")
	if name == "" {
		return MD5
	}
	return Algorithm(name)
}

// Known tells whether the algorithm can be computed.
func (a Algorithm) Known() bool { h, _ := a.hash(); return h != nil }

// Challenge asks for a digest: a value of WWW-Authenticate or Proxy-Authenticate.
type Challenge struct {
	Realm, Nonce, Opaque string
	Algorithm            Algorithm // empty is MD5
	QOP                  []string  // empty: the form before RFC 2617
	Stale                bool      // the nonce was too old, and the secret right
}

// Credentials answer a challenge: a value of Authorization or
// Proxy-Authorization.
type Credentials struct {
	Username, Realm, Nonce, URI, Response, CNonce, Opaque string
	Algorithm                                             Algorithm
	QOP                                                   string
	NC                                                    string // 8 hexadecimal digits
}

// ErrNoDigest says that a value is of another scheme.
var ErrNoDigest = errors.New("is not a digest")

// digestParams reads the list of a challenge or of credentials.
func digestParams(value string) (map[string]string, error) {
	scheme, rest, _ := strings.Cut(strings.TrimSpace(value), " ")
	if !strings.EqualFold(scheme, "Digest") {
		return nil, ErrNoDigest
	}
	out := map[string]string{}
	for _, part := range SplitList(rest) {
		name, v, ok := strings.Cut(part, "=")
		if !ok {
			return nil, fmt.Errorf("%q has no value", part)
		}
		name = strings.ToLower(strings.TrimSpace(name))
		if _, twice := out[name]; twice {
			return nil, fmt.Errorf("duplicate %s", name)
		}
		out[name] = Unquote(strings.TrimSpace(v))
	}
	return out, nil
}

// ReadChallenge reads a challenge.
func ReadChallenge(value string) (Challenge, error) {
	p, err := digestParams(value)
	if err != nil {
		return Challenge{}, err
	}
	c := Challenge{
		Realm: p["realm"], Nonce: p["nonce"], Opaque: p["opaque"], Algorithm: Algorithm(p["algorithm"]),
		Stale: strings.EqualFold(p["stale"], "true"),
	}
	for _, q := range strings.Split(p["qop"], ",") {
		if q = strings.TrimSpace(q); q != "" {
			c.QOP = append(c.QOP, strings.ToLower(q))
		}
	}
	if c.Nonce == "" {
		return c, errors.New("the challenge has no nonce")
	}
	return c, nil
}

// String writes the challenge.
func (c Challenge) String() string {
	out := fmt.Sprintf("Digest realm=%s, nonce=%s", Quote(c.Realm), Quote(c.Nonce))
	if c.Opaque != "" {
		out += ", opaque=" + Quote(c.Opaque)
	}
	if c.Stale {
		out += ", stale=true"
	}
	if c.Algorithm != "" {
		out += ", algorithm=" + string(c.Algorithm)
	}
	if len(c.QOP) > 0 {
		out += ", qop=" + Quote(strings.Join(c.QOP, ","))
	}
	return out
}

// ReadCredentials reads credentials.
func ReadCredentials(value string) (Credentials, error) {
	p, err := digestParams(value)
	if err != nil {
		return Credentials{}, err
	}
	c := Credentials{
		Username: p["username"], Realm: p["realm"], Nonce: p["nonce"], URI: p["uri"], Response: p["response"],
		CNonce: p["cnonce"], Opaque: p["opaque"], Algorithm: Algorithm(p["algorithm"]), QOP: strings.ToLower(p["qop"]), NC: p["nc"],
	}
	if c.Username == "" || c.Nonce == "" || c.URI == "" || c.Response == "" {
		return c, errors.New("the credentials lack a username, nonce, uri or response")
	}
	return c, nil
}

// String writes the credentials.
func (c Credentials) String() string {
	out := fmt.Sprintf("Digest username=%s, realm=%s, nonce=%s, uri=%s, response=%s",
		Quote(c.Username), Quote(c.Realm), Quote(c.Nonce), Quote(c.URI), Quote(c.Response))
	if c.Algorithm != "" {
		out += ", algorithm=" + string(c.Algorithm)
	}
	if c.Opaque != "" {
		out += ", opaque=" + Quote(c.Opaque)
	}
	if c.CNonce != "" {
		out += ", cnonce=" + Quote(c.CNonce)
	}
	if c.QOP != "" {
		out += ", qop=" + c.QOP + ", nc=" + c.NC
	}
	return out
}

// Digest computes the response that belongs to credentials: 32 or 64 lower-case
// hexadecimal digits. It fails for an algorithm or a quality that is not known.
func (c Credentials) Digest(method, secret string, body []byte) (string, error) {
	h, session := c.Algorithm.hash()
	if h == nil {
		return "", fmt.Errorf("algorithm %s is not known", c.Algorithm)
	}
	sum := func(parts ...string) string {
		h.Reset()
		_, _ = h.Write([]byte(strings.Join(parts, ":"))) // a hash takes everything
		return hex.EncodeToString(h.Sum(nil))
	}
	ha1 := sum(c.Username, c.Realm, secret)
	if session {
		ha1 = sum(ha1, c.Nonce, c.CNonce)
	}
	ha2 := sum(method, c.URI)
	switch c.QOP {
	case "":
		return sum(ha1, c.Nonce, ha2), nil
	case "auth":
	case "auth-int":
		ha2 = sum(method, c.URI, sum(string(body)))
	default:
		return "", fmt.Errorf("quality %q is not known", c.QOP)
	}
	return sum(ha1, c.Nonce, c.NC, c.CNonce, c.QOP, ha2), nil
}

// Holds tells whether the credentials prove that their sender knows the secret.
func (c Credentials) Holds(method, secret string, body []byte) bool {
	want, err := c.Digest(method, secret, body)
	return err == nil && subtle.ConstantTimeCompare([]byte(want), []byte(strings.ToLower(c.Response))) == 1
}

// Answer proves that a secret is known. cnonce is random, and count says how
// often this nonce was answered, this time included.
func (c Challenge) Answer(method, uri, user, secret, cnonce string, count int, body []byte) (Credentials, error) {
	out := Credentials{Username: user, Realm: c.Realm, Nonce: c.Nonce, URI: uri, Opaque: c.Opaque, Algorithm: c.Algorithm}
	for _, q := range c.QOP {
		if q == "auth" || q == "auth-int" && out.QOP == "" {
			out.QOP = q
		}
	}
	if len(c.QOP) > 0 && out.QOP == "" {
		return out, fmt.Errorf("none of the qualities %s is known", strings.Join(c.QOP, ", "))
	}
	if _, session := c.Algorithm.hash(); out.QOP != "" || session {
		out.CNonce, out.NC = cnonce, fmt.Sprintf("%08x", count)
	}
	var err error
	out.Response, err = out.Digest(method, secret, body)
	return out, err
}

// Challenges reads those of a 401 or 407 that can be answered, in the order in
// which the far end wants them (RFC 8760 section 2.4). proxy is true for those of a 407.
func Challenges(res *Message) (list []Challenge, proxy bool) {
	name := "WWW-Authenticate"
	if proxy = res.Status == 407; proxy {
		name = "Proxy-Authenticate"
	}
	for i := range res.Fields {
		if f := &res.Fields[i]; f.Is(name) {
			if c, err := ReadChallenge(f.Value); err == nil && c.Algorithm.Known() {
				list = append(list, c)
			}
		}
	}
	return list, proxy
}
