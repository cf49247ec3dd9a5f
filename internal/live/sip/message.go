package sip

import (
	"crypto/rand"
	"encoding/hex"
	"fmt"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"

	"switchback.example/switchback/internal/core/cause"
)

// newID is 96 random bits, for tags, Call-IDs and call records.
func newID() string {
	var b [12]byte
	_, _ = rand.Read(b[:]) // never fails (crypto/rand)
	return hex.EncodeToString(b[:])
}

// sameTransaction builds a CANCEL, or the ACK of a failure, which carry the
// INVITE's own Via, From, Call-ID and CSeq number (RFC 3261 sections 9.1 and
// 17.1.1.3).
func sameTransaction(method sip.RequestMethod, invite *sip.Request, to *sip.ToHeader) *sip.Request {
	req := sip.NewRequest(method, invite.Recipient)
	req.AppendHeader(sip.HeaderClone(invite.Via()))
	req.AppendHeader(sip.HeaderClone(invite.From()))
	req.AppendHeader(sip.HeaderClone(to))
	req.AppendHeader(sip.HeaderClone(invite.CallID()))
	req.AppendHeader(&sip.CSeqHeader{SeqNo: invite.CSeq().SeqNo, MethodName: method})
	hops := sip.MaxForwardsHeader(70)
	req.AppendHeader(&hops)
	req.SetBody(nil)
	req.SetDestination(invite.Destination())
	req.Laddr = invite.Laddr
	return req
}

// keepVia is a request option that changes nothing: the Via is there.
func keepVia(*sipgo.Client, *sip.Request) error { return nil }

// reasonHeader says a cause in the terms of RFC 3326; in responses RFC 6432.
func reasonHeader(q cause.Q850) string {
	return fmt.Sprintf("Q.850;cause=%d;text=%q", int(q), q.Name())
}

// phrases are the reason phrases of RFC 3261 section 21 that the switch sends.
var phrases = map[int]string{
	400: "Bad Request", 403: "Forbidden", 404: "Not Found", 408: "Request Timeout", 410: "Gone",
	480: "Temporarily Unavailable", 481: "Call/Transaction Does Not Exist", 482: "Loop Detected",
	483: "Too Many Hops", 484: "Address Incomplete", 485: "Ambiguous", 486: "Busy Here",
	487: "Request Terminated", 488: "Not Acceptable Here", 500: "Server Internal Error",
	501: "Not Implemented", 502: "Bad Gateway", 503: "Service Unavailable", 504: "Server Time-out",
	600: "Busy Everywhere", 603: "Decline", 604: "Does Not Exist Anywhere", 606: "Not Acceptable",
}

func phrase(status int) string {
	if p, ok := phrases[status]; ok {
		return p
	}
	return "Failure"
}
