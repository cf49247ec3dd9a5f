package call_test

import (
	"context"
	"encoding/hex"
	"fmt"
	"net/netip"
	"strings"
	"sync"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	relay "switchback.example/switchback/internal/live/media"
)

// A carrier as docs/architecture.md says how to write one: calls as lines of plain text, one far
// end, over anything that carries lines. A line is the name of a leg, a word and more words:
//
//	t1 setup 2001 +441914980999 PCMA@127.1.9.1:4000
//	t1 change PCMA@127.1.9.1:4000/sendonly
//	t1 audio 160 d5d5d5d5
//
// Either side begins; the switch names its legs s1, s2 and so on.
type text struct {
	control *call.Control
	plan    *live.Plan
	trunk   string
	say     func(line string)
	audio   bool // it carries audio itself

	mu   sync.Mutex
	last int // of the names that the switch gives
	legs map[string]*textLeg
}

const protocol = "text"

// newText has lines carry the calls of a trunk, and their audio too if they are to.
func newText(control *call.Control, p *live.Plan, trunk string, audio bool, say func(string)) *text {
	t := &text{control: control, plan: p, trunk: trunk, audio: audio, say: say, legs: map[string]*textLeg{}}
	control.Carry(protocol, t)
	return t
}

// Reach implements call.Carrier: the one far end is always there.
func (t *text) Reach(*plan.Trunk, string) ([]call.Way, error) {
	return []call.Way{textWay{t.audio}}, nil
}

// SeenAs implements call.Carrier.
func (t *text) SeenAs(_ *plan.Trunk, at netip.AddrPort) netip.AddrPort { return at }

// Probe implements call.Carrier: the far end is not asked.
func (t *text) Probe(context.Context, *plan.Trunk) (p call.Probe, ok bool) { return p, false }

// Stop implements call.Carrier: its ways are the test's to close.
func (t *text) Stop(context.Context) {}

type textWay struct{ audio bool }

func (textWay) String() string       { return "text" }
func (textWay) Addr() netip.Addr     { return netip.Addr{} }
func (w textWay) CarriesAudio() bool { return w.audio }
func (textWay) Note(bool)            {}

// textLeg is one leg. Its own state is touched in the order of its handle alone.
type textLeg struct {
	t        *text
	h        *call.Handle
	name     string
	inbound  bool
	answered bool
	requests uint32            // that the far end has made
	asks     []core.AskID      // that wait for its reply, the oldest first
	speak    func(relay.Frame) // to the other side; nil while there is none
}

// Endpoint has the leg carry its audio itself, where the carrier does.
func (l *textLeg) Endpoint() relay.Endpoint {
	if !l.t.audio {
		return nil
	}
	return l
}

// Hear implements media.Endpoint.
func (l *textLeg) Hear(f relay.Frame) {
	l.say("audio", fmt.Sprint(f.Time), fmt.Sprintf("%x", f.Payload))
}

// Connected implements media.Endpoint.
func (l *textLeg) Connected(speak func(relay.Frame)) {
	l.t.mu.Lock()
	defer l.t.mu.Unlock()
	l.speak = speak
}

// heardAudio takes a frame of the far end, in the payload type of PCMA.
func (l *textLeg) heardAudio(at, payload string) {
	l.t.mu.Lock()
	speak := l.speak
	l.t.mu.Unlock()
	f := relay.Frame{Type: 8}
	_, _ = fmt.Sscan(at, &f.Time)
	if f.Payload, _ = hex.DecodeString(payload); speak != nil {
		speak(f)
	}
}

func (t *text) newLeg(name string) *textLeg {
	t.mu.Lock()
	defer t.mu.Unlock()
	if name == "" {
		t.last++
		name = fmt.Sprint("s", t.last)
	}
	l := &textLeg{t: t, name: name}
	t.legs[name] = l
	return l
}

func (t *text) find(name string) *textLeg {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.legs[name]
}

func (l *textLeg) forget() {
	l.t.mu.Lock()
	defer l.t.mu.Unlock()
	delete(l.t.legs, l.name)
}

// Dial implements call.Carrier.
func (t *text) Dial(o call.Outgoing, h *call.Handle) call.Leg {
	l := t.newLeg("")
	l.h = h
	l.say("setup", o.Offer.Called.Number.String(), o.Offer.Caller.Number.Number.String(), written(o.Media))
	return l
}

func (l *textLeg) say(words ...string) { l.t.say(l.name + " " + strings.Join(words, " ")) }

// Do implements call.Leg.
func (l *textLeg) Do(a core.OfLeg) {
	switch a := a.(type) {
	case core.Proceed:
		l.say("proceeding")
	case core.Alert:
		if a.Ask == 0 {
			l.say("ringing", written(a.Media))
		}
		if a.Number != 0 { // nothing is lost on the way
			l.h.Tell(core.Event{Kind: core.Confirmed, Number: a.Number})
		}
	case core.Answer:
		l.answered = true
		l.say("connect", written(a.Media))
		if a.Answer {
			l.h.Tell(core.Event{Kind: core.Confirmed})
		}
	case core.Confirm:
		if a.Ask == 0 && a.Number == 0 {
			l.answered = true
		}
		if a.Media != nil {
			l.say("media", written(a.Media))
		}
	case core.Release:
		l.say("release", fmt.Sprint(int(a.Cause.Q850)))
		l.forget()
	case core.Ask:
		if a.Want == core.Inform {
			l.h.Tell(core.Event{Kind: core.Replied, Ask: a.Ask, Verdict: core.Refused, Cause: cause.Said{Q850: cause.Interworking}})
			return
		}
		l.asks = append(l.asks, a.Ask)
		l.say("change", written(a.Media))
	case core.Withdraw:
		l.say("withdraw")
	case core.Reply:
		l.say([]string{"accept", "refuse", "glare", "soon", "unheard", "ended"}[a.Verdict], written(a.Media))
	case core.TransferStatus:
		l.say("transfer", map[bool]string{a.Accepted: "accepted", a.Rings: "ringing", a.Done: "done", a.Last && !a.Done: "failed"}[true])
	case core.RefuseTransfer:
		l.say("transfer", "refused")
	}
}

// hear takes a line of the far end.
func (t *text) hear(line string) {
	words := strings.Fields(line)
	if len(words) < 2 {
		return
	}
	name, verb, rest := words[0], words[1], append(words[2:], "", "", "")
	if verb == "setup" {
		t.receive(name, rest)
		return
	}
	switch l := t.find(name); {
	case l == nil:
	case verb == "audio":
		l.heardAudio(rest[0], rest[1])
	default:
		l.h.Post(func() { l.heard(verb, rest[0]) })
	}
}

// receive takes a call of the far end.
func (t *text) receive(name string, words []string) {
	run := t.plan.Current()
	trunk, _ := run.Snapshot.Trunk(t.trunk)
	called, errCalled := digits.ParseNumber(words[0])
	in := decide.Call{Trunk: t.trunk, Called: called, Caller: callerid.Read(words[1]), By: "its line", At: time.Now()}
	if errCalled != nil {
		in.CalledText, in.Refusal = words[0], &decide.Refusal{Own: cause.Incomplete, Why: errCalled.Error()}
	}
	l := t.newLeg(name)
	l.inbound = true
	l.h = t.control.Receive(run, call.Incoming{Trunk: trunk, Call: in, Hops: 70, Media: read(words[2]), ID: name, Dialled: words[0], Leg: l, By: t})
	if !l.h.Begin() {
		l.say("release", "41")
		l.forget()
	}
}

// heard takes a word of the far end on a leg.
func (l *textLeg) heard(verb, more string) {
	e := core.Event{Media: read(more)}
	switch verb {
	case "proceeding":
		e.Kind = core.Proceeding
	case "ringing":
		e.Kind = core.Alerting
	case "connect":
		e.Kind = core.Answered
	case "release", "redirect":
		e = core.Event{Kind: core.Released}
		if verb == "redirect" {
			e.Cause.SIP = 302
			e.Refusal.To, _ = digits.ParseNumber(more)
		} else {
			_, _ = fmt.Sscan(more, &e.Cause.Q850)
		}
		l.forget()
	case "change":
		l.requests++
		e.Kind, e.Request = core.Asked, l.requests
	case "media":
		e.Kind = core.Confirmed
	case "accept", "refuse", "glare":
		if len(l.asks) == 0 {
			return
		}
		e.Kind, e.Ask, l.asks = core.Replied, l.asks[0], l.asks[1:]
		e.Verdict = map[string]core.Verdict{"accept": core.Accepted, "refuse": core.Refused, "glare": core.Glare}[verb]
	case "transfer":
		e = core.Event{Kind: core.TransferAsked}
		e.To, _ = digits.ParseNumber(more)
	default:
		return
	}
	l.h.Tell(e)
}

// written and read are a session as a word; - is none.
func written(m *media.Session) string {
	a := m.Audio()
	if m == nil || len(a.Formats) == 0 {
		return "-"
	}
	out := a.Formats[0].Encoding() + "@" + a.At.String()
	if a.Direction != media.Both {
		out += "/" + a.Direction
	}
	return out
}

func read(word string) *media.Session {
	codec, at, ok := strings.Cut(word, "@")
	if !ok {
		return nil
	}
	where, direction, held := strings.Cut(at, "/")
	if !held {
		direction = media.Both
	}
	addr, _ := netip.ParseAddrPort(where)
	return media.NewSession(media.Audio{Formats: []media.Format{{Type: map[string]int{"PCMU": 0, "PCMA": 8}[codec], Name: codec + "/8000"}}, At: addr, Direction: direction})
}
