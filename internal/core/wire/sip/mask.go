package sip

import (
	"bytes"
	"strings"
)

// Masked is a message without what a secret could be guessed or used from: itself if there is
// no such thing in it, else a copy of the same length. It takes lines as Read does, so that what
// the switch understands is what is masked, and whatever cannot be read is looked through too.
//
// Masked are, with the value of which only the length stays:
//
//   - of Authorization and its kin (RFC 7616, RFC 6750) all but what a digest needs no secret
//     for: user, realm, nonce, uri, algorithm, opaque, quality, count and cnonce;
//   - in descriptions k= (RFC 4566 section 5.12), keys of SRTP (RFC 4568 section 6.1: inline:),
//     key management, MIKEY among it (RFC 4567), and passwords of ICE (RFC 8839);
//   - passwords in URIs (RFC 3261 section 19.1.1), and credentials that a URI carries as a
//     header.
func Masked(b []byte) []byte {
	if !suspicious(b) {
		return b
	}
	m := masker{in: b}
	for at := 0; at < len(b); {
		end := nextLine(b, at)
		for end < len(b) && (b[end] == ' ' || b[end] == '\t') { // folded (RFC 3261 section 7.3.1)
			end = nextLine(b, end)
		}
		m.field(at, end)
		at = end
	}
	if m.out != nil {
		return m.out
	}
	return b
}

// suspicious tells whether there may be a secret: each is introduced by a colon, or by a
// question mark in a URI. Most messages have none, and this looks at little of them.
func suspicious(b []byte) bool {
	if bytes.IndexByte(b, '?') >= 0 {
		return true
	}
	for at := 0; ; {
		i := bytes.IndexByte(b[at:], ':')
		if i < 0 {
			return false
		}
		at += i
		name := at
		for name > 0 && (b[name-1] == ' ' || b[name-1] == '\t') {
			name--
		}
		if name > 0 && introduces(b[:name], b[at+1:]) {
			return true
		}
		at++
	}
}

// introduces tells whether what stands before a colon, and after it, may be a secret's.
func introduces(before, after []byte) bool {
	switch before[len(before)-1] | 0x20 {
	case 'n':
		return endsIn(before, "authorization")
	case 'o':
		return endsIn(before, "authentication-info")
	case 'e':
		return endsIn(before, "inline")
	case 't':
		return endsIn(before, "key-mgmt")
	case 'd':
		return endsIn(before, "ice-pwd")
	case 'p', 's':
		if endsIn(before, "sip") || endsIn(before, "sips") {
			end := bytes.IndexAny(after, "@ >\r\n")
			return end >= 0 && after[end] == '@' && bytes.IndexByte(after[:end], ':') >= 0
		}
	}
	near := before[max(0, len(before)-keyMethod):]
	i := bytes.LastIndexByte(near, '=')
	return i > 0 && near[i-1]|0x20 == 'k'
}

// keyMethod is how long k= and its method are at most, with something to spare.
const keyMethod = 24

func endsIn(b []byte, what string) bool {
	return len(b) >= len(what) && bytes.EqualFold(b[len(b)-len(what):], []byte(what))
}

func nextLine(b []byte, at int) int {
	if i := bytes.IndexByte(b[at:], '\n'); i >= 0 {
		return at + i + 1
	}
	return len(b)
}

type masker struct{ in, out []byte }

// hide masks what is no line end or space at an end.
func (m *masker) hide(from, to int) {
	for from < to && isSpace(m.in[to-1]) {
		to--
	}
	for from < to && isSpace(m.in[from]) {
		from++
	}
	if from >= to {
		return
	}
	if m.out == nil {
		m.out = bytes.Clone(m.in)
	}
	for i := from; i < to; i++ {
		if c := m.in[i]; c != '\r' && c != '\n' {
			m.out[i] = '*'
		}
	}
}

// hideValue is hide within quotes, so that the field can still be read.
func (m *masker) hideValue(from, to int) {
	for from < to && isSpace(m.in[from]) {
		from++
	}
	end := to
	for from < end && isSpace(m.in[end-1]) {
		end--
	}
	if end-from >= 2 && m.in[from] == '"' && m.in[end-1] == '"' {
		from, to = from+1, end-1
	}
	m.hide(from, to)
}

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\r' || c == '\n' }

// field masks a line and those that were folded behind it. A carriage return alone ends a line
// of a description for some readers, so it does here.
func (m *masker) field(from, to int) {
	line := m.in[from:to]
	if colon := bytes.IndexByte(line, ':'); colon > 0 && credentials[lowered(line[:colon])] {
		m.credential(from+colon+1, to)
		return
	}
	for at := from; at < to; {
		end := to
		if i := bytes.IndexAny(m.in[at:to], "\r\n"); i >= 0 {
			end = at + i + 1
		}
		m.attribute(at, end)
		at = end
	}
	m.uris(from, to)
}

// credentials are the fields that prove who somebody is.
var credentials = map[string]bool{"authorization": true, "proxy-authorization": true, "authentication-info": true, "proxy-authentication-info": true}

// lowered is a field name in lower case, empty if it is too long for one of credentials.
func lowered(name []byte) string {
	name = bytes.TrimRight(name, " \t")
	if len(name) < len("authorization") || len(name) > len("proxy-authentication-info") {
		return ""
	}
	return strings.ToLower(string(name))
}

// open are the parameters of a digest that say nothing of the secret.
var open = map[string]bool{"username": true, "realm": true, "nonce": true, "uri": true, "algorithm": true, "opaque": true, "qop": true, "nc": true, "cnonce": true, "nextnonce": true, "userhash": true}

// credential masks a value: all of it, but for the scheme and what is open in a digest.
func (m *masker) credential(from, to int) {
	for from < to && isSpace(m.in[from]) {
		from++
	}
	at := from
	for at < to && !isSpace(m.in[at]) && m.in[at] != '=' && m.in[at] != ',' {
		at++
	}
	if digest := strings.EqualFold(string(m.in[from:at]), "Digest"); digest || at < to && m.in[at] != '=' && m.in[at] != ',' {
		from = at // behind the scheme
		if !digest {
			m.hide(from, to)
			return
		}
	}
	for from < to {
		end := listEnd(m.in[from:to]) + from
		part := m.in[from:end]
		if eq := bytes.IndexByte(part, '='); eq < 0 {
			m.hide(from, end)
		} else if !open[strings.ToLower(string(bytes.TrimSpace(part[:eq])))] {
			m.hideValue(from+eq+1, end)
		}
		from = min(to, end+1)
	}
}

// listEnd is where a part of a list ends: at a comma outside of quotes.
func listEnd(b []byte) int {
	quoted := false
	for i := 0; i < len(b); i++ {
		switch {
		case quoted && b[i] == '\\':
			i++
		case b[i] == '"':
			quoted = !quoted
		case b[i] == ',' && !quoted:
			return i
		}
	}
	return len(b)
}

// attribute masks a line of a description.
func (m *masker) attribute(from, to int) {
	for from < to && (m.in[from] == ' ' || m.in[from] == '\t') {
		from++
	}
	line := m.in[from:to]
	if len(line) < 3 {
		return
	}
	switch {
	case (line[0]|0x20) == 'k' && line[1] == '=':
		if i := bytes.IndexByte(line, ':'); i > 0 && i < keyMethod-2 {
			m.hide(from+i+1, to)
		}
	case (line[0]|0x20) == 'a' && line[1] == '=':
		for _, name := range [...]string{"key-mgmt:", "ice-pwd:"} {
			if i := foldIndex(line, name); i >= 0 {
				at := i + len(name)
				if sp := bytes.IndexAny(line[at:], " \t"); name == "key-mgmt:" && sp > 0 {
					at += sp // the name of the protocol stays
				}
				m.hide(from+at, to)
			}
		}
	}
	for at := 0; ; {
		i := foldIndex(line[at:], "inline:")
		if i < 0 {
			return
		}
		at += i + len("inline:")
		end := at
		for end < len(line) && !isSpace(line[end]) && line[end] != '|' && line[end] != ';' && line[end] != '"' {
			end++
		}
		m.hide(from+at, from+end)
		at = end
	}
}

// foldIndex is bytes.Index without regard to case; what is looked for is in lower case.
func foldIndex(b []byte, what string) int {
	for i := 0; i+len(what) <= len(b); i++ {
		if (b[i]|0x20) == what[0] && bytes.EqualFold(b[i:i+len(what)], []byte(what)) {
			return i
		}
	}
	return -1
}

// uris masks passwords and credentials in the URIs of a field.
func (m *masker) uris(from, to int) {
	for at := from; at < to; {
		i := bytes.IndexByte(m.in[at:to], '@')
		if i < 0 {
			break
		}
		m.password(from, at+i)
		at += i + 1
	}
	for at := from; at < to; {
		i := bytes.IndexAny(m.in[at:to], "?&")
		if i < 0 {
			return
		}
		at += i + 1
		rest := m.in[at:to]
		eq := bytes.IndexByte(rest, '=')
		if eq < 0 || !credentials[lowered(unescaped(rest[:eq]))] {
			continue
		}
		end := bytes.IndexAny(rest, "&> \t\r\n\",")
		if end < 0 {
			end = len(rest)
		}
		m.hide(at+eq+1, at+max(end, eq+1))
	}
}

// unescaped is a name without its escapes (RFC 3261 section 25.1: hname), as far as it may
// be one of credentials.
func unescaped(name []byte) []byte {
	if len(name) > 3*len("proxy-authentication-info") || bytes.IndexByte(name, '%') < 0 {
		return name
	}
	var out []byte
	for i := 0; i < len(name); i++ {
		if name[i] == '%' && i+2 < len(name) {
			out = append(out, hexDigit(name[i+1])<<4|hexDigit(name[i+2]))
			i += 2
			continue
		}
		out = append(out, name[i])
	}
	return out
}

func hexDigit(c byte) byte {
	switch c |= 0x20; {
	case c >= 'a' && c <= 'f':
		return c - 'a' + 10
	case c >= '0' && c <= '9':
		return c - '0'
	}
	return 0
}

// password masks what stands between a user and an @ in a URI.
func (m *masker) password(from, at int) {
	start := at
	for start > from && !bytes.ContainsRune([]byte(" \t\r\n<>\""), rune(m.in[start-1])) {
		start--
	}
	user := m.in[start:at]
	scheme := bytes.IndexByte(user, ':')
	if scheme < 0 {
		return
	}
	if i := foldIndex(user, "sip:"); i >= 0 {
		scheme = i + len("sip:") - 1
	} else if i := foldIndex(user, "sips:"); i >= 0 {
		scheme = i + len("sips:") - 1
	} else {
		return
	}
	if i := bytes.IndexByte(user[scheme+1:], ':'); i >= 0 {
		m.hide(start+scheme+1+i+1, at)
	}
}
