package machine

// Session timers (RFC 4028), in seconds.
const (
	MinSession     = 90    // the least that may be asked for (section 5)
	DefaultSession = 1_800 // recommended (section 4)
)

// Refresher is who keeps a session alive, from the view of the request that set
// it up.
type Refresher string

// The refreshers: who sent the request, and who answered it.
const (
	ByCaller   Refresher = "uac"
	ByAnswerer Refresher = "uas"
)

// SessionAsk is what a request says of the session timer.
type SessionAsk struct {
	Supported bool // its sender can refresh
	Expires   int  // 0 if it asks for none
	Min       int  // 0 if it does not say
	Refresher Refresher
}

// Session is a session timer that both sides know. The zero Session is none.
type Session struct {
	Expires   int
	Refresher Refresher
}

// AnswerSession decides what to answer to a request. own is what the answering
// side wants, 0 for nothing. tooSmall asks for a 422 with MinSession (section 9).
func AnswerSession(ask SessionAsk, own int) (s Session, tooSmall bool) {
	least := max(MinSession, ask.Min)
	switch {
	case ask.Expires > 0 && ask.Expires < MinSession && ask.Supported:
		return Session{}, true
	case ask.Expires == 0 && own == 0:
		return Session{}, false
	case ask.Expires == 0:
		s.Expires = max(own, least)
	case own == 0:
		s.Expires = max(ask.Expires, least)
	default:
		s.Expires = max(min(ask.Expires, own), least)
	}
	switch { // table 2
	case !ask.Supported:
		s.Refresher = ByAnswerer
	case ask.Refresher != "":
		s.Refresher = ask.Refresher
	default:
		s.Refresher = ByCaller
	}
	return s, false
}

// RefreshAt is when, in seconds after the last refresh, the refresher sends the
// next: half the interval (section 7.2).
func (s Session) RefreshAt() int { return s.Expires / 2 }

// OverAt is when the other side ends a session that was not refreshed: a third of
// the interval before its end, at most 32 s (section 10).
func (s Session) OverAt() int { return s.Expires - min(32, s.Expires/3) }
