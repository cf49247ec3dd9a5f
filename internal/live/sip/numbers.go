package sip

import (
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// Numbers on the wire: in the user part of a SIP URI, or in a tel URI (RFC 3966),
// with the parameters of either (RFC 4904).

// telephone reads what stands for a number in a URI, and its parameters by their
// names in lower case.
func telephone(u wire.URI) (text string, params map[string]string) {
	user := u.User
	if u.Scheme == "tel" {
		user = u.Opaque
	}
	text, rest, _ := strings.Cut(user, ";")
	params = map[string]string{}
	for _, p := range strings.Split(rest, ";") {
		name, value, _ := strings.Cut(p, "=")
		params[strings.ToLower(name)] = value
	}
	return text, params
}

// calledIn reads what was called from the request URI, or from the field that a
// trunk names: its text, its parameters, and the number, empty if it is none.
func calledIn(req *wire.Message, field string) (text string, params map[string]string, called digits.Number) {
	uri, _ := wire.ReadURI(req.URI) // verified
	if field == plan.CalledInTo {
		to, _ := wire.ReadAddress(req.Get("To")) // verified
		uri = to.URI
	}
	text, params = telephone(uri)
	called, _ = digits.ParseNumber(text)
	return text, params, called
}

// numberURI writes a number as a trunk wants numbers, at a host.
func numberURI(s *plan.SIP, w numbering.Written, host string) string {
	user := userPart(w)
	if s.SendTrunkGroup != "" {
		user += ";tgrp=" + s.SendTrunkGroup + ";trunk-context=" + s.SendTrunkContext
	}
	switch s.NumberURI {
	case plan.NumbersTel:
		return "tel:" + telNumber(user, w, host)
	case plan.NumbersUserPhone:
		return uriTo(user, host) + ";user=phone"
	}
	return uriTo(user, host)
}

// telNumber writes the number of a tel URI: one that is not global says where it is
// to be understood (RFC 3966 section 5.1.5).
func telNumber(user string, w numbering.Written, host string) string {
	if strings.HasPrefix(w.Number.String(), "+") {
		return user
	}
	number, rest, more := strings.Cut(user, ";")
	context, _, _ := strings.Cut(host, ":")
	number += ";phone-context=" + context
	if more {
		number += ";" + rest
	}
	return number
}

// userPart writes a number as the user of a URI: # must be escaped there
// (RFC 3261 section 25.1).
func userPart(w numbering.Written) string {
	return strings.ReplaceAll(w.Number.String(), "#", "%23")
}
