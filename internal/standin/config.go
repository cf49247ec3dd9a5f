// Package standin runs small simulated far ends on loopback: phone systems and
// carriers that speak real SIP and behave as their own directory says, so that
// every kind of success and failure can be made to happen.
//
// It shares no signalling code with the switch beyond the SIP library, and it
// never reads our plan: what a stand-in accepts and does is its own setting.
package standin

import (
	"fmt"
	"time"

	"switchback.example/switchback/internal/core/digits"
)

// Config is all that a stand-in knows.
type Config struct {
	ID      string
	Name    string
	Address string // to bind: address and port on loopback
	Switch  string // where it sends its calls
	// Also are further addresses from which its calls come, in turn.
	Also []string
	// Registers is the account with which it registers with the switch and
	// proves its calls; nil if it does neither.
	Registers *Account
	// Secure has it speak over TLS; nil for UDP.
	Secure *Secure
	// OffersNoise adds comfort noise to what it offers (RFC 3389), and RefusesNoise
	// refuses offers that have it, with 488.
	OffersNoise, RefusesNoise bool
	// Accounts may register with it, and with Challenges every call must prove
	// itself with one of them.
	Accounts   []Account
	Challenges bool
	// Called and Caller are patterns of the numbers that it accepts, in its own
	// form; empty accepts any. A called number outside is answered with 404, a
	// caller outside with 403.
	Called string
	Caller string
	// CallerMayBeMissing accepts calls without a caller's number.
	CallerMayBeMissing bool
	// Directory says what happens to a called number; the first entry that
	// matches decides. A number in none is answered after DefaultAnswer.
	Directory []Entry
}

// Account is a name and a secret.
type Account struct{ User, Secret string }

// Entry is one line of a stand-in's directory.
type Entry struct {
	Pattern   string
	Behaviour Behaviour
}

// Behaviour is what a far end does with a call.
type Behaviour struct {
	Kind  Kind
	After time.Duration // Answers, Drops: how long it rings; Drops also: how long it talks
	To    string        // Diverts, Transfers: what is dialled
}

// Kind names a behaviour.
type Kind string

// The behaviours.
const (
	Answers      Kind = "answers"
	Drops        Kind = "drops"         // answers, and hangs up after 2 s
	Busy         Kind = "busy"          // 486, cause 17
	Rings        Kind = "rings"         // never answers
	NotAllocated Kind = "not-allocated" // 404, cause 1
	Congested    Kind = "congested"     // 503, cause 34
	Rejects      Kind = "rejects"       // 403, cause 21
	Stalls       Kind = "stalls"        // 100, and then nothing
	Silent       Kind = "silent"        // nothing at all
	Mute         Kind = "mute"          // answers, and no audio comes from it
	Diverts      Kind = "diverts"       // rings, then 302 to another number, with no-answer as the reason
	Transfers    Kind = "transfers"     // answers, and sends the call on by REFER
	Records      Kind = "records"       // answers as a mailbox, and says that a message waits
	Announces    Kind = "announces"     // plays something before the answer, then 404, cause 1
)

// DefaultAnswer is how long a number rings that is in no directory.
const DefaultAnswer = time.Second

// How long Drops talks, and Announces plays.
const (
	dropsAfter   = 2 * time.Second
	announcesFor = 3 * time.Second
)

// String says the behaviour in words.
func (b Behaviour) String() string {
	switch b.Kind {
	case Answers:
		return fmt.Sprintf("answers after %s", b.After)
	case Drops:
		return fmt.Sprintf("answers after %s, hangs up %s later", b.After, dropsAfter)
	case Busy:
		return "busy (486, cause 17)"
	case Rings:
		return "rings, never answers"
	case NotAllocated:
		return "number not allocated (404, cause 1)"
	case Congested:
		return "congested (503, cause 34)"
	case Rejects:
		return "rejects the call (403, cause 21)"
	case Stalls:
		return "says 100 Trying, then nothing"
	case Silent:
		return "does not respond at all"
	case Mute:
		return fmt.Sprintf("answers after %s, and sends no audio", b.After)
	case Diverts:
		return fmt.Sprintf("rings for %s, then diverts to %s (302)", b.After, b.To)
	case Transfers:
		return fmt.Sprintf("answers after %s, transfers to %s %s later", b.After, b.To, transfersAfter)
	case Records:
		return fmt.Sprintf("answers after %s as a mailbox: of who diverted the call, whose lamp lights; without a diversion the caller listens, and the lamp goes out", b.After)
	case Announces:
		return fmt.Sprintf("plays an announcement for %s before any answer, then says that the number is not allocated (404, cause 1)", announcesFor)
	}
	return string(b.Kind)
}

// directory is a compiled Config.
type directory struct {
	called, caller *digits.Pattern
	callerMissing  bool
	entries        []compiledEntry
}

type compiledEntry struct {
	pattern   *digits.Pattern
	behaviour Behaviour
}

func compileDirectory(c Config) (d directory, err error) {
	if c.Called != "" {
		if d.called, err = digits.Compile(c.Called); err != nil {
			return d, err
		}
	}
	if c.Caller != "" {
		if d.caller, err = digits.Compile(c.Caller); err != nil {
			return d, err
		}
	}
	d.callerMissing = c.CallerMayBeMissing
	for _, e := range c.Directory {
		p, err := digits.Compile(e.Pattern)
		if err != nil {
			return d, err
		}
		d.entries = append(d.entries, compiledEntry{p, e.Behaviour})
	}
	return d, nil
}

// refusal is a final failure that a stand-in gives.
type refusal struct {
	status int
	phrase string
	cause  int // Q.850
}

// judge says what is to become of a call: refused for its form, or a
// behaviour.
func (d directory) judge(called, caller string) (b Behaviour, refused *refusal) {
	to, err := digits.ParseNumber(called)
	if err != nil || d.called != nil && !d.called.Matches(to) {
		return b, &refusal{404, "Not Found", 1}
	}
	from, err := digits.ParseNumber(caller)
	missing := err != nil || from.Empty()
	if d.caller != nil && (missing && !d.callerMissing || !missing && !d.caller.Matches(from)) {
		return b, &refusal{403, "Forbidden", 21}
	}
	for _, e := range d.entries {
		if e.pattern.Matches(to) {
			return e.behaviour, e.behaviour.refusal()
		}
	}
	return Behaviour{Kind: Answers, After: DefaultAnswer}, nil
}

func (b Behaviour) refusal() *refusal {
	switch b.Kind {
	case Busy:
		return &refusal{486, "Busy Here", 17}
	case NotAllocated:
		return &refusal{404, "Not Found", 1}
	case Congested:
		return &refusal{503, "Service Unavailable", 34}
	case Rejects:
		return &refusal{403, "Forbidden", 21}
	}
	return nil
}
