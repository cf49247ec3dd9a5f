package sip

import (
	"context"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live/call"
)

// calleeSide is a leg by which the switch has called.
type calleeSide struct {
	invite  *wire.Message
	session int // the session timer that it asks for, in seconds; 0 for none
	to      way
	tx      *outbound
	early   map[string]*dialog // by the tag of the far end, of which a fork has several
	alive   bool               // something came back
	answer  *wire.Message
	reason  string              // why it is cancelled; empty for none
	waiting map[uint32]heardOne // progress that waits for its acknowledgement
}

// heardOne is a reliable provisional response.
type heardOne struct {
	d   *dialog
	res *wire.Message
}

// MaxForks bounds the early dialogs of one leg; what comes from further branches is not passed
// on.
const MaxForks = 16

// Carrier has an agent's legs carry calls.
type Carrier struct{ a *Agent }

// Carrier is what the agent is to call control.
func (a *Agent) Carrier() Carrier { return Carrier{a} }

// Yield gives up the address for TLS, unless the listeners of the switch have it. The address on
// which it began it keeps until it stops.
func (c Carrier) Yield(l plan.Listeners) {
	if at := c.a.SecuredAt(); at != "" && at != l.SIP.TLSAddress {
		_ = c.a.Secure("") // nothing stands in the way of that
	}
}

// Listen takes the address for TLS. Problems have their place in the listeners.
func (c Carrier) Listen(l plan.Listeners) []plan.Problem {
	if err := c.a.Secure(l.SIP.TLSAddress); err != nil {
		return []plan.Problem{{Place: "/sip/tlsAddress", Reason: err.Error()}}
	}
	return nil
}

// Strangers counts messages from sources that no trunk knows, by what became of them.
func (c Carrier) Strangers() map[string]int64 {
	out := map[string]int64{}
	for what, n := range c.a.UnknownBy() {
		out[string(what)] = n
	}
	return out
}

// Reach implements call.Carrier.
func (c Carrier) Reach(t *plan.Trunk, called string) (list []call.Way, err error) {
	ways, err := c.a.ways(t, called)
	for _, w := range ways {
		list = append(list, reached{w, c.a})
	}
	return list, err
}

// SeenAs implements call.Carrier.
func (c Carrier) SeenAs(t *plan.Trunk, at netip.AddrPort) netip.AddrPort {
	return t.Link.SIP.SeenAs(at)
}

// Stop implements call.Carrier.
func (c Carrier) Stop(ctx context.Context) { c.a.Stop(ctx) }

// reached is a way that remembers how it served.
type reached struct {
	way
	a *Agent
}

// Addr implements call.Way.
func (r reached) Addr() netip.Addr { return r.way.Addr() }

// CarriesAudio implements call.Way: SIP has it in RTP.
func (r reached) CarriesAudio() bool { return false }

// Note implements call.Way.
func (r reached) Note(failed bool) { r.a.noteServer(r.way, failed) }

// Dial implements call.Carrier.
func (c Carrier) Dial(o call.Outgoing, h *call.Handle) call.Leg {
	to := o.Way.(reached).way //nolint:forcetypeassert // of Reach
	l := c.a.newLeg(o.Offer.Trunk)
	l.h = h
	s := &calleeSide{to: to, session: sessionWanted(o.Offer.Trunk.Link.SIP)}
	ours, _ := h.Names()
	s.invite = c.a.newInvite(invitation{offer: o.Offer, to: to, description: o.Media.Description(), hops: o.Hops, session: ours, callID: o.Leg, reliable: o.Confirms})
	if o.Body.Type == replacesBody {
		s.invite.Add("Replaces", string(o.Body.Bytes))
		s.invite.Add("Require", "replaces")
	}
	l.callee = s
	l.begin()
	return l
}

// begin sends the INVITE, in a transaction of its own.
func (l *leg) begin() {
	s := l.callee
	s.tx = l.a.layer.begin(s.invite, s.to.hop)
	tx := s.tx
	tx.heard.whenReady(func() { l.h.Post(func() { l.hear(tx) }) })
}

// hear takes what came back.
func (l *leg) hear(tx *outbound) {
	for !l.over && l.callee.tx == tx { // else it was given up, or sent again: others see to what comes
		res, over := tx.heard.take()
		switch {
		case res == nil && !over:
			return
		case over:
			l.silent()
			return
		}
		if res.Status >= 200 {
			tx.heard.deaf()
		}
		l.heard(res)
	}
}

// silent is an INVITE whose transaction ended without an answer.
func (l *leg) silent() {
	if l.callee.answer != nil {
		return
	}
	e := core.Event{Refusal: core.Refusal{Silent: true}}
	if err := l.callee.tx.failure(); err != nil {
		e = core.Event{Refusal: core.Refusal{Unreachable: true}, Cause: cause.Said{Text: err.Error()}}
	}
	l.forgetEarly()
	l.gone(e)
}

// heard takes a response to the INVITE.
func (l *leg) heard(res *wire.Message) {
	s := l.callee
	s.alive = true
	if res.Status > 100 {
		l.a.Trunks.Responded(l.trunk.ID, time.Now(), retryAfter(res))
	}
	switch {
	case res.Status == 100:
		l.tell(core.Event{Kind: core.Proceeding})
	case res.Status < 200:
		l.progressed(res)
	case res.Status < 300:
		l.answeredBy(res)
	case l.again(res):
	default:
		e := l.refused(res)
		l.forgetEarly()
		l.gone(e)
	}
}

// progressed takes ringing or early media.
func (l *leg) progressed(res *wire.Message) {
	e := core.Event{Kind: core.Progress, Media: session(res), Cause: cause.Said{SIP: res.Status, Text: res.Reason}}
	if res.Status == 180 {
		e.Kind = core.Alerting
	}
	d := l.earlyDialog(res)
	if d == nil {
		if !hasTag(res.Get("To")) { // of a far end older than RFC 3261
			l.tell(e)
		}
		return
	}
	if !d.fresh(rseqOf(res)) {
		return
	}
	d.learn(res)
	l.d = d
	l.h.Named(nameIn(res))
	d.rename(l.identity())
	if rseqOf(res) > 0 {
		l.last++
		if l.callee.waiting == nil {
			l.callee.waiting = map[uint32]heardOne{}
		}
		l.callee.waiting[l.last] = heardOne{d, res}
		e.Number = l.last
	}
	l.tell(e)
}

// answeredBy takes the 2xx.
func (l *leg) answeredBy(res *wire.Message) {
	s := l.callee
	d := l.dialogOf(res)
	s.answer, l.d = res, d
	l.forgetEarly()
	d.learn(res)
	l.h.Named(nameIn(res))
	d.rename(l.identity())
	l.a.keepDialog(d)
	d.on(machine.Answer)
	invite := s.invite
	d.answeredBy(func(body []byte) { l.acknowledge(d, invite, body) })
	d.heardSession(res, s.session)
	l.tell(core.Event{Kind: core.Answered, Media: session(res)})
}

// dialogOf is the dialog that a response with a tag belongs to.
func (l *leg) dialogOf(res *wire.Message) *dialog {
	to, _ := wire.ReadAddress(res.Get("To")) // verified
	if d := l.callee.early[to.Tag()]; d != nil {
		return d
	}
	return l.calleeDialog(l.callee.tx, res)
}

// earlyDialog keeps the dialog of a provisional response; nil if it makes none.
func (l *leg) earlyDialog(res *wire.Message) *dialog {
	s := l.callee
	if !hasTag(res.Get("To")) || len(s.early) >= MaxForks {
		return nil
	}
	d := l.dialogOf(res)
	if s.early[d.key.remoteTag] == nil {
		if s.early == nil {
			s.early = map[string]*dialog{}
		}
		s.early[d.key.remoteTag] = d
		l.a.keepDialog(d)
	}
	return d
}

// forgetEarly drops the early dialogs, but for the one that was answered.
func (l *leg) forgetEarly() {
	for _, d := range l.callee.early {
		if d != l.d || l.callee.answer == nil {
			l.a.forgetDialog(d)
		}
	}
}

// refused is what a final failure says, and of a 3xx where it wants the call to go.
func (l *leg) refused(res *wire.Message) (e core.Event) {
	q, _ := cause.FromReason(res.Get("Reason"))
	said := []string{saidIn(res)}
	if l.credentialRefused(res) {
		e.Refusal.Credential = true
		said = append(said, "digest credential rejected")
		l.a.Trunks.CredentialRefused(l.trunk.ID, time.Now(), fmt.Sprintf("%d %s to an INVITE", res.Status, res.Reason))
	}
	if codecs := l.callee.offered(); codecs != "" && (res.Status == 488 || res.Status == 606 || res.Status == 415) {
		said = append(said, "it was offered "+codecs)
	}
	e.Cause = cause.Said{Q850: q, SIP: res.Status, Text: strings.Join(slices.DeleteFunc(said, func(s string) bool { return s == "" }), "; ")}
	if res.Status < 400 {
		e.Refusal.To, e.Refusal.Why = movedTo(res)
	}
	return e
}

// offered are the codecs that the far end was offered, in words.
func (s *calleeSide) offered() string {
	d, err := media.Read(s.invite.Body)
	if err != nil {
		return ""
	}
	var names []string
	for _, f := range d.Formats() {
		names = append(names, f.Name)
	}
	return strings.Join(names, ", ")
}

// credentialRefused tells whether a final response refuses our credential and not the
// call: it asks for another one, or forbids what carries one, and no registration of ours
// has shown that the credential is right.
func (l *leg) credentialRefused(res *wire.Message) bool {
	switch res.Status {
	case 401, 407:
		return true
	case 403:
		shown := l.callee.invite.Has("Authorization") || l.callee.invite.Has("Proxy-Authorization")
		return shown && (l.trunk.Link.SIP.Registration != plan.RegistrationOutbound || l.a.Registrations.OurServer(l.trunk.ID) == "")
	}
	return false
}

// again sends the INVITE once more where the far end says what it wants instead:
// a credential, or a longer session timer (RFC 4028 section 7.3). It is false if
// that is not what the response says.
func (l *leg) again(res *wire.Message) bool {
	s := l.callee
	if res.Status == 401 || res.Status == 407 {
		req := l.a.withCredential(l.trunk, s.invite, res)
		if req != nil {
			s.invite = req
			l.begin()
		}
		return req != nil
	}
	if least := seconds(res.Get("Min-SE")); res.Status == 422 && s.session > 0 && least > s.session {
		s.session = least
		req := s.invite.Clone()
		req.Remove("Via")
		cseq, _ := wire.ReadCSeq(req.Get("CSeq")) // ours
		cseq.Number++
		req.Set("CSeq", cseq.String())
		req.Set("Session-Expires", itoa(least))
		req.Set("Min-SE", itoa(least))
		s.invite = req
		l.begin()
		return true
	}
	return false
}

// prack acknowledges a reliable provisional response, with what the caller's own PRACK has.
func (l *leg) prack(number uint32, body []byte) {
	one, ok := l.callee.waiting[number]
	if !ok {
		return
	}
	delete(l.callee.waiting, number)
	l.a.layer.begin(one.d.newPrack(one.res, body))
}

// newPrack is a PRACK.
func (d *dialog) newPrack(res *wire.Message, body []byte) (*wire.Message, hop) {
	invite, _ := wire.ReadCSeq(res.Get("CSeq")) // verified
	req, to := d.request("PRACK")
	req.Add("RAck", strings.TrimSpace(res.Get("RSeq"))+" "+invite.String())
	setDescription(req, body)
	return req, to
}

// rseqOf is the number of a reliable provisional response; 0 if it is none.
func rseqOf(res *wire.Message) uint32 {
	if !lists(res, "Require", "100rel") {
		return 0
	}
	n, err := strconv.ParseUint(strings.TrimSpace(res.Get("RSeq")), 10, 32)
	if err != nil {
		return 0
	}
	return uint32(n)
}

// fresh tells whether a reliable provisional response is the next of its dialog:
// those that came before, or ahead of their turn, are not taken (section 4).
func (d *dialog) fresh(rseq uint32) bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	if rseq == 0 {
		return true
	}
	if d.rseq != 0 && rseq != d.rseq+1 {
		return false
	}
	d.rseq = rseq
	return true
}
