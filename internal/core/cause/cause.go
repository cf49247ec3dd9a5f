// Package cause names why calls end: Q.850 causes, SIP statuses, how the one
// maps on the other, and the fixed codes of the switch's own outcomes.
//
// It never looks at a plan or a message; it is tables and look-ups.
package cause

import (
	"fmt"
	"regexp"
	"strconv"
)

// Q850 is a cause of ITU-T Q.850, 1 to 127. 0 is no cause.
type Q850 int

// Causes that the switch itself uses.
const (
	Unallocated       Q850 = 1
	NormalClearing    Q850 = 16
	UserBusy          Q850 = 17
	NoAnswer          Q850 = 19
	SubscriberAbsent  Q850 = 20
	Rejected          Q850 = 21
	Redirected        Q850 = 23
	Misrouted         Q850 = 25
	AddressIncomplete Q850 = 28
	NoCircuit         Q850 = 34
	OutOfOrder        Q850 = 38
	TemporaryFailure  Q850 = 41
	Congestion        Q850 = 42
	NoBearer          Q850 = 65
	TimerExpiry       Q850 = 102
	Interworking      Q850 = 127
)

// Name returns the cause's name in Q.850, or its number if it has none.
func (q Q850) Name() string {
	if name, ok := names[q]; ok {
		return name
	}
	return fmt.Sprintf("cause %d", int(q))
}

// Cause is the end of a call in both notations.
type Cause struct {
	Q850 Q850 `json:"q850" doc:"Cause of ITU-T Q.850"`
	SIP  int  `json:"sip" doc:"Status of SIP, as it is given to the caller"`
}

// Answered is what a call that was answered and cleared normally ends with.
var Answered = Cause{NormalClearing, 200}

// Own is an outcome that the switch decides itself.
type Own string

// The switch's own outcomes; their codes are in the table ownCodes.
const (
	NoRule        Own = "no-rule"
	Incomplete    Own = "incomplete"
	NotPermitted  Own = "not-permitted"
	Full          Own = "full"
	AllDown       Own = "all-down"
	Contract      Own = "contract"
	Loop          Own = "loop"
	OutOfHours    Own = "hours"
	NotRegistered Own = "not-registered"
	NoNumber      Own = "no-such-number"
	Silent        Own = "no-response"
	Unanswered    Own = "unanswered"
	TooManyHops   Own = "too-many-hops"
	NoCodec       Own = "no-codec"
	Abandoned     Own = "abandoned"
)

// ownCodes is the one table of the switch's own outcomes (docs/causes.md).
var ownCodes = map[Own]Cause{
	NoRule:        {Unallocated, 404},
	Incomplete:    {AddressIncomplete, 484},
	NotPermitted:  {Rejected, 403},
	Full:          {NoCircuit, 503},
	AllDown:       {OutOfOrder, 503},
	Contract:      {AddressIncomplete, 484},
	Loop:          {Misrouted, 482},
	OutOfHours:    {Rejected, 403},
	NotRegistered: {SubscriberAbsent, 480},
	NoNumber:      {Unallocated, 404},
	Silent:        {TimerExpiry, 504},
	Unanswered:    {NoAnswer, 480},
	TooManyHops:   {Misrouted, 483},
	NoCodec:       {NoBearer, 488},
	Abandoned:     {NormalClearing, 487},
}

// Code returns the fixed cause of an own outcome.
func (o Own) Code() Cause { return ownCodes[o] }

// Owns returns every own outcome with its code.
func Owns() map[Own]Cause {
	out := make(map[Own]Cause, len(ownCodes))
	for o, c := range ownCodes {
		out[o] = c
	}
	return out
}

// toSIP is RFC 3398 section 7.2.4.1. Cause 16 has no row there: it becomes BYE
// or CANCEL.
var toSIP = map[Q850]int{
	1: 404, 2: 404, 3: 404, 17: 486, 18: 408, 19: 480, 20: 480, 21: 403, 22: 410,
	23: 410, 26: 404, 27: 502, 28: 484, 29: 501, 31: 480, 34: 503, 38: 503, 41: 503,
	42: 503, 47: 503, 55: 403, 57: 403, 58: 503, 65: 488, 70: 488, 79: 501, 87: 403,
	88: 503, 102: 504, 111: 500, 127: 500,
}

// ToSIP maps a cause on a SIP status (RFC 3398 section 7.2.4.1); causes
// without a row become 500.
func ToSIP(q Q850) int {
	if status, ok := toSIP[q]; ok {
		return status
	}
	return 500
}

// fromSIP is RFC 3398 section 8.2.6.1. 488 and 606 stand for their default;
// 487 answers our own CANCEL and has no row.
var fromSIP = map[int]Q850{
	400: 41, 401: 21, 402: 21, 403: 21, 404: 1, 405: 63, 406: 79, 407: 21, 408: 102,
	410: 22, 413: 127, 414: 127, 415: 79, 416: 127, 420: 127, 421: 127, 423: 127,
	480: 18, 481: 41, 482: 25, 483: 25, 484: 28, 485: 1, 486: 17, 488: 31, 500: 41,
	501: 79, 502: 38, 503: 41, 504: 102, 505: 127, 513: 127, 600: 17, 603: 21, 604: 1,
	606: 31,
}

// FromSIP maps a final failure status on a cause (RFC 3398 section 8.2.6.1). A
// redirection, which the switch never follows by itself, is cause 23 (common
// practice). A status without a row counts as the x00 of its class (RFC 3261 section
// 8.1.3.2).
func FromSIP(status int) Q850 {
	if q, ok := fromSIP[status]; ok {
		return q
	}
	if q, ok := fromSIP[status/100*100]; ok {
		return q
	}
	if status/100 == 3 {
		return Redirected
	}
	return Interworking
}

var reasonQ850 = regexp.MustCompile(`(?i)(?:^|,)\s*Q\.850\s*;(?:[^,"]|"[^"]*")*?\bcause\s*=\s*(\d{1,3})`)

// FromReason reads the Q.850 cause of a Reason header value (RFC 3326; in
// responses RFC 6432). ok is false if it carries none between 1 and 127.
func FromReason(value string) (q Q850, ok bool) {
	m := reasonQ850.FindStringSubmatch(value)
	if m == nil {
		return 0, false
	}
	n, err := strconv.Atoi(m[1])
	if err != nil || n < 1 || n > 127 {
		return 0, false
	}
	return Q850(n), true
}

// goesOn holds the causes on which another trunk may do better: no route,
// congestion and failure (common practice).
var goesOn = map[Q850]bool{
	2: true, 3: true, 6: true, 34: true, 38: true, 41: true, 42: true, 44: true,
	47: true, 58: true, 102: true,
}

// GoesOn tells whether a path tries its next choice after this cause unless
// the path says otherwise. Busy, unallocated and rejected calls do not go on.
func GoesOn(q Q850) bool { return goesOn[q] }

// Said is why a leg was released, or refused something, as its far end put it, beside the cause
// that decides.
type Said struct {
	Q850 Q850   // 0 where it gave none
	SIP  int    // status of SIP, where it speaks that; else 0
	Text string // its own words: of Warning, Reason, or a cause element of IAX2
}

// Say is an outcome of the switch, as it tells a far end.
func (o Own) Say() Said {
	c := o.Code()
	return Said{Q850: c.Q850, SIP: c.SIP}
}
