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
