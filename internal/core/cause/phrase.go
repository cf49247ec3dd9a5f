package cause

import "maps"

// phrases are the reason phrases of RFC 3261 section 21, and of the RFCs that add to it.
var phrases = map[int]string{
	100: "Trying", 180: "Ringing", 181: "Call Is Being Forwarded", 182: "Queued", 183: "Session Progress", 200: "OK", 202: "Accepted",
	300: "Multiple Choices", 301: "Moved Permanently", 302: "Moved Temporarily", 305: "Use Proxy", 380: "Alternative Service",
	400: "Bad Request", 401: "Unauthorized", 402: "Payment Required", 403: "Forbidden", 404: "Not Found", 405: "Method Not Allowed", 406: "Not Acceptable", 407: "Proxy Authentication Required", 408: "Request Timeout", 410: "Gone", 413: "Request Entity Too Large", 414: "Request-URI Too Long", 415: "Unsupported Media Type", 416: "Unsupported URI Scheme", 420: "Bad Extension", 421: "Extension Required", 422: "Session Interval Too Small", 423: "Interval Too Brief", 428: "Use Identity Header", 433: "Anonymity Disallowed",
	480: "Temporarily Unavailable", 481: "Call/Transaction Does Not Exist", 482: "Loop Detected",
	483: "Too Many Hops", 484: "Address Incomplete", 485: "Ambiguous", 486: "Busy Here",
	487: "Request Terminated", 489: "Bad Event", 488: "Not Acceptable Here", 491: "Request Pending", 493: "Undecipherable", 500: "Server Internal Error",
	501: "Not Implemented", 502: "Bad Gateway", 503: "Service Unavailable", 504: "Server Time-out", 505: "Version Not Supported", 513: "Message Too Large", 580: "Precondition Failure",
	600: "Busy Everywhere", 603: "Decline", 604: "Does Not Exist Anywhere", 606: "Not Acceptable", 607: "Unwanted", 608: "Rejected",
}

// Phrase is the reason phrase of a SIP status (RFC 3261 section 21).
func Phrase(status int) string {
	if p, ok := phrases[status]; ok {
		return p
	}
	return "Failure"
}

// Phrases are all that are known, by status.
func Phrases() map[int]string { return maps.Clone(phrases) }

// Names are those of the causes of Q.850, by cause.
func Names() map[Q850]string { return maps.Clone(names) }
