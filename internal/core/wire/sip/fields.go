package sip

import (
	"fmt"
	"net/netip"
	"strconv"
	"strings"
)

// URI is a SIP or SIPS URI (RFC 3261 section 19.1), or another of which only
// Scheme and Opaque are known. User is as written, escapes and parameters
// included.
type URI struct {
	Scheme string // lower case
	Opaque string // of other schemes: all behind the colon
	User   string
	Host   string // without [ ]
	Port   int    // 0 if none is written
	Params Params
	Header string // behind '?', not read
}

// ReadURI reads a URI.
//
//	SIP-URI = "sip:" [ userinfo ] hostport uri-parameters [ headers ]
func ReadURI(s string) (URI, error) {
	scheme, rest, ok := strings.Cut(s, ":")
	if !ok || !IsToken(scheme) {
		return URI{}, fmt.Errorf("%q has no scheme", s)
	}
	if strings.ContainsFunc(rest, notInURI) {
		return URI{}, fmt.Errorf("%q has something that must be escaped in a URI", s)
	}
	u := URI{Scheme: strings.ToLower(scheme)}
	if u.Scheme != "sip" && u.Scheme != "sips" {
		u.Opaque = rest
		return u, nil
	}
	if at := strings.LastIndexByte(rest, '@'); at >= 0 {
		u.User, rest = rest[:at], rest[at+1:]
	}
	rest, u.Header, _ = strings.Cut(rest, "?")
	host, params, _ := strings.Cut(rest, ";")
	u.Params = readParams(params)
	var err error
	if u.Host, u.Port, err = readHostPort(host); err != nil {
		return u, fmt.Errorf("%q: %w", s, err)
	}
	return u, nil
}

// notInURI tells characters that are in no URI unless they are escaped (RFC 3986
// section 2, RFC 3261 section 25.1).
func notInURI(r rune) bool {
	return r <= ' ' || r == '<' || r == '>' || r == '"' || r == 0x7f
}

// readHostPort reads host [":" port]; an IPv6 address stands in brackets.
func readHostPort(s string) (host string, port int, err error) {
	s = strings.TrimSpace(s)
	if strings.HasPrefix(s, "[") {
		end := strings.IndexByte(s, ']')
		if end < 0 {
			return s, 0, fmt.Errorf("[ is never closed in %q", s)
		}
		host, s = s[1:end], s[end+1:]
		if _, err := netip.ParseAddr(host); err != nil {
			return host, 0, fmt.Errorf("%q is no IPv6 address", host)
		}
	} else if colon := strings.IndexByte(s, ':'); colon >= 0 {
		host, s = s[:colon], s[colon:]
	} else {
		host, s = s, ""
	}
	host = strings.TrimSpace(host)
	if host == "" || strings.ContainsAny(host, " \t\"<>@,;") {
		return host, 0, fmt.Errorf("%q is no host", host)
	}
	if s == "" {
		return host, 0, nil
	}
	text := strings.TrimSpace(strings.TrimPrefix(s, ":"))
	port, err = strconv.Atoi(text)
	if err != nil || port < 1 || port > 65535 || !strings.HasPrefix(s, ":") {
		return host, 0, fmt.Errorf("%q is no port", text)
	}
	return host, port, nil
}

// String writes the URI.
func (u URI) String() string {
	if u.Scheme != "sip" && u.Scheme != "sips" {
		return u.Scheme + ":" + u.Opaque
	}
	var b strings.Builder
	b.WriteString(u.Scheme)
	b.WriteByte(':')
	if u.User != "" {
		b.WriteString(u.User)
		b.WriteByte('@')
	}
	b.WriteString(u.HostPort())
	b.WriteString(u.Params.String())
	if u.Header != "" {
		b.WriteByte('?')
		b.WriteString(u.Header)
	}
	return b.String()
}

// HostPort writes host and, if there is one, port.
func (u URI) HostPort() string {
	host := u.Host
	if strings.Contains(host, ":") {
		host = "[" + host + "]"
	}
	if u.Port == 0 {
		return host
	}
	return host + ":" + strconv.Itoa(u.Port)
}

// Address is the value of From, To, Contact, Route and their like:
//
//	( name-addr / addr-spec ) *( SEMI param )
//
// (RFC 3261 section 20.10). Name is without quotes.
type Address struct {
	Name   string
	URI    URI
	Params Params
}

// ReadAddress reads one address. Without <> every parameter is the field's, not
// the URI's.
func ReadAddress(s string) (Address, error) {
	var a Address
	s = strings.TrimSpace(s)
	open := indexOutsideQuotes(s, '<')
	if open < 0 {
		spec, params, _ := strings.Cut(s, ";")
		a.Params = readParams(params)
		var err error
		a.URI, err = ReadURI(strings.TrimSpace(spec))
		return a, err
	}
	a.Name = Unquote(strings.TrimSpace(s[:open]))
	shut := strings.IndexByte(s[open:], '>')
	if shut < 0 {
		return a, fmt.Errorf("< is never closed in %q", s)
	}
	spec := s[open+1 : open+shut]
	_, params, _ := strings.Cut(s[open+shut+1:], ";")
	a.Params = readParams(params)
	var err error
	a.URI, err = ReadURI(spec)
	return a, err
}

func indexOutsideQuotes(s string, wanted byte) int {
	quoted := false
	for i := 0; i < len(s); i++ {
		switch {
		case quoted && s[i] == '\\':
			i++
		case s[i] == '"':
			quoted = !quoted
		case s[i] == wanted && !quoted:
			return i
		}
	}
	return -1
}

// Tag is the address's tag; empty if it has none.
func (a Address) Tag() string {
	tag, _ := a.Params.Get("tag")
	return tag
}

// String writes the address, the URI always in <>.
func (a Address) String() string {
	s := "<" + a.URI.String() + ">" + a.Params.String()
	if a.Name == "" {
		return s
	}
	return Quote(a.Name) + " " + s
}

// Via is one hop of a message (RFC 3261 section 20.42).
//
//	via-parm      = sent-protocol LWS sent-by *( SEMI via-params )
//	sent-protocol = protocol-name SLASH protocol-version SLASH transport
type Via struct {
	Transport string // upper case
	Host      string
	Port      int // 0 if none is written
	Params    Params
}

// ReadVia reads one hop.
func ReadVia(s string) (Via, error) {
	head, params, _ := strings.Cut(s, ";")
	v := Via{Params: readParams(params)}
	protocol, sentBy := splitProtocol(head)
	if len(protocol) != 3 || !strings.EqualFold(protocol[0], "SIP") || protocol[1] != "2.0" || !IsToken(protocol[2]) {
		return v, fmt.Errorf("Via %q does not begin with SIP/2.0/ and a transport", s)
	}
	v.Transport = strings.ToUpper(protocol[2])
	var err error
	if v.Host, v.Port, err = readHostPort(sentBy); err != nil {
		err = fmt.Errorf("Via %q: %w", s, err)
	}
	return v, err
}

// splitProtocol splits "SIP / 2.0 / UDP host" into its protocol and the rest;
// white space may stand around the slashes.
func splitProtocol(s string) (protocol []string, rest string) {
	rest = strings.TrimSpace(s)
	for len(protocol) < 2 {
		part, after, ok := strings.Cut(rest, "/")
		if !ok {
			return protocol, rest
		}
		protocol, rest = append(protocol, strings.TrimSpace(part)), strings.TrimSpace(after)
	}
	end := strings.IndexAny(rest, " \t")
	if end < 0 {
		return append(protocol, rest), ""
	}
	return append(protocol, rest[:end]), strings.TrimSpace(rest[end:])
}

// Branch is the hop's branch; empty if it has none.
func (v Via) Branch() string {
	branch, _ := v.Params.Get("branch")
	return branch
}

// String writes the hop.
func (v Via) String() string {
	return "SIP/2.0/" + v.Transport + " " + URI{Scheme: "sip", Host: v.Host, Port: v.Port}.HostPort() + v.Params.String()
}

// MagicCookie begins every branch that is unique (RFC 3261 section 8.1.1.7).
const MagicCookie = "z9hG4bK"

// CSeq is a sequence number and the method that it counts (section 20.16).
type CSeq struct {
	Number uint32
	Method string
}

// ReadCSeq reads a CSeq; numbers are below 2^31 (section 8.1.1.5).
func ReadCSeq(s string) (CSeq, error) {
	words := strings.Fields(s)
	if len(words) != 2 || !IsToken(words[1]) {
		return CSeq{}, fmt.Errorf("CSeq %q is not a number and a method", s)
	}
	n, err := strconv.ParseUint(words[0], 10, 32)
	if err != nil || n >= 1<<31 {
		return CSeq{}, fmt.Errorf("CSeq %q: %s is out of range (0 to 2^31-1)", s, words[0])
	}
	return CSeq{uint32(n), words[1]}, nil
}

// String writes the CSeq.
func (c CSeq) String() string { return strconv.FormatUint(uint64(c.Number), 10) + " " + c.Method }
