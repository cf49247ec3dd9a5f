package sip

import (
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"strconv"
	"time"

	"switchback.example/switchback/internal/core/cause"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// newID is 96 random bits, for branches, tags, Call-IDs and call records.
func newID() string {
	var b [12]byte
	var text [24]byte
	_, _ = rand.Read(b[:]) // never fails (crypto/rand)
	hex.Encode(text[:], b[:])
	return string(text[:])
}

// sameTransaction builds a CANCEL, or the ACK of a failure, which carry the
// INVITE's own Via, From, Call-ID and CSeq number (RFC 3261 sections 9.1 and
// 17.1.1.3).
func sameTransaction(method string, invite *wire.Message, to string) *wire.Message {
	req := wire.NewRequest(method, invite.URI)
	req.Add("Via", invite.First("Via"))
	for _, route := range invite.All("Route") {
		req.Add("Route", route)
	}
	req.Add("Max-Forwards", "70")
	req.Add("From", invite.Get("From"))
	req.Add("To", to)
	req.Add("Call-ID", invite.Get("Call-ID"))
	cseq, _ := wire.ReadCSeq(invite.Get("CSeq")) // ours
	req.Add("CSeq", wire.CSeq{Number: cseq.Number, Method: method}.String())
	req.SetBody("", nil)
	return req
}

func failureAck(invite, res *wire.Message) *wire.Message {
	return sameTransaction("ACK", invite, res.Get("To"))
}

// setDescription gives a message a session description, if there is one.
func setDescription(m *wire.Message, body []byte) { m.SetBody(sdpType, body) }

// uriTo is the SIP URI of a user at an address and port.
func uriTo(user, address string) string {
	if user == "" {
		return "sip:" + address
	}
	return "sip:" + user + "@" + address
}

// uriOf is the URI of an address field; the other one if it has none that can be
// read.
func uriOf(field, otherwise string) string {
	if a, err := wire.ReadAddress(field); err == nil {
		return a.URI.String()
	}
	return otherwise
}

// reasonHeader says a cause in the terms of RFC 3326; in responses RFC 6432.
func reasonHeader(q cause.Q850) string {
	return fmt.Sprintf("Q.850;cause=%d;text=%q", int(q), q.Name())
}

func itoa(n int) string { return strconv.Itoa(n) }

func millis(n int) time.Duration { return time.Duration(n) * time.Millisecond }

func stopTimer(t *time.Timer) {
	if t != nil {
		t.Stop()
	}
}

// phrases are the reason phrases of RFC 3261 section 21 that the switch sends.
var phrases = map[int]string{
	100: "Trying", 180: "Ringing", 181: "Call Is Being Forwarded", 182: "Queued", 183: "Session Progress", 200: "OK", 202: "Accepted",
	400: "Bad Request", 401: "Unauthorized", 403: "Forbidden", 404: "Not Found", 405: "Method Not Allowed", 407: "Proxy Authentication Required", 408: "Request Timeout", 410: "Gone", 415: "Unsupported Media Type", 416: "Unsupported URI Scheme", 420: "Bad Extension", 422: "Session Interval Too Small", 423: "Interval Too Brief",
	480: "Temporarily Unavailable", 481: "Call/Transaction Does Not Exist", 482: "Loop Detected",
	483: "Too Many Hops", 484: "Address Incomplete", 485: "Ambiguous", 486: "Busy Here",
	487: "Request Terminated", 489: "Bad Event", 488: "Not Acceptable Here", 491: "Request Pending", 500: "Server Internal Error",
	501: "Not Implemented", 502: "Bad Gateway", 503: "Service Unavailable", 504: "Server Time-out", 505: "Version Not Supported",
	600: "Busy Everywhere", 603: "Decline", 604: "Does Not Exist Anywhere", 606: "Not Acceptable",
}

func phrase(status int) string {
	if p, ok := phrases[status]; ok {
		return p
	}
	return "Failure"
}
