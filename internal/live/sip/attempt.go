package sip

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	wire "switchback.example/switchback/internal/core/wire/sip"
	relay "switchback.example/switchback/internal/live/media"
)

// attempt is one INVITE to a far end.
type attempt struct {
	c       *call
	a       *Agent
	trunk   *plan.Trunk
	invite  *wire.Message
	session int // the session timer that it asks for, in seconds; 0 for none
	to      way
	tx      *outbound
	early   map[string]*dialog // by the tag of the far end, of which a fork has several
	alive   bool               // something came back
	ringing bool               // ringing or early media was passed to the caller
	answer  *wire.Message
	reason  string  // why it is cancelled; empty for none
	picked  *pickUp // who answered in its place; nil for nobody
}

// MaxForks bounds the early dialogs of one attempt; what comes from further
// branches is not passed on.
const MaxForks = 16

// dialogOf is the dialog that a response with a tag belongs to.
func (t *attempt) dialogOf(res *wire.Message) *dialog {
	if t.picked != nil {
		return t.picked.d
	}
	to, _ := wire.ReadAddress(res.Get("To")) // verified
	if d := t.early[to.Tag()]; d != nil {
		return d
	}
	return t.c.calleeDialog(t.trunk, t.tx, res)
}

// earlyDialog keeps the dialog of a provisional response; nil if it makes none.
func (t *attempt) earlyDialog(res *wire.Message) *dialog {
	if !hasTag(res.Get("To")) || len(t.early) >= MaxForks {
		return nil
	}
	d := t.dialogOf(res)
	if t.early[d.key.remoteTag] == nil {
		t.early[d.key.remoteTag] = d
		t.a.keepDialog(d)
	}
	return d
}

// forget drops the early dialogs, but for the one that was answered.
func (t *attempt) forget() {
	for _, d := range t.early {
		if d != t.c.callee || t.answer == nil {
			t.a.forgetDialog(d)
		}
	}
}

// buildInvite is the caller's INVITE on a leg of our own: numbers as decided, with
// what is made of the caller's description.
func (c *call) buildInvite(o decide.Offer, to way, description []byte) *wire.Message {
	req := c.tx.req
	reliable := len(req.Body) > 0 || lists(req, "Supported", "100rel") || lists(req, "Require", "100rel") // nobody could answer an offer in a 1xx otherwise
	return c.newInvite(o, to, description, c.from.Name, reliable)
}

// newInvite is an INVITE to a far end with a description and the caller's name;
// reliable says that reliable provisional responses are understood.
func (c *call) newInvite(o decide.Offer, to way, description []byte, name string, reliable bool) *wire.Message {
	a := c.a
	by := to.by
	uri := to.request(userPart(o.Called))
	if s := o.Trunk.SIP; s.Numbers != "" || s.SendTrunkGroup != "" {
		if uri = numberURI(s, o.Called, to.target()); s.Numbers != plan.NumbersTel && by != udp {
			uri += ";transport=" + strings.ToLower(by.String())
		}
	}
	req := wire.NewRequest("INVITE", uri)
	to.route(req)
	req.Add("Max-Forwards", strconv.Itoa(hopsOn(o.Trunk, c.hops)))
	if name = o.Alert.Tagged(name); o.Caller.Number.Empty() {
		name = o.Alert.Tag // of one who is withheld no name goes out
	}
	req.Add("From", c.callerHeader(o.Trunk, o.Caller, name))
	req.Add("To", "<"+numberURI(o.Trunk.SIP, o.Called, to.host)+">")
	req.Add("Call-ID", newID()+"@"+a.host)
	req.Add("CSeq", "1 INVITE")
	req.Add("Contact", a.contact(o.Trunk, by))
	req.Add("Allow", allowedOn(o.Trunk))
	a.redirecting(req, o)
	if o.Alert.Ring != "" {
		req.Add("Alert-Info", o.Alert.Ring)
	}
	if reliable {
		req.Add("Supported", supportedOn(o.Trunk)+", 100rel")
	} else {
		req.Add("Supported", supportedOn(o.Trunk))
	}
	askSession(req, sessionWanted(o.Trunk.SIP), "")
	req.Add("Session-ID", identity{c.rec.Session, nobody}.String())
	req.Add("User-Agent", "Switchback")
	setDescription(req, description)
	return req
}

// hopsOn is how many hops a call has left behind us: to a switch of ours as many as one
// call may pass of them.
func hopsOn(t *plan.Trunk, hops int) int {
	if t.Peer != "" {
		return min(hops-1, decide.MaxSwitches)
	}
	return hops - 1
}

// callerHeader is the From of a caller; without a number it is anonymous in
// the form of RFC 3323 section 4.1.
func (c *call) callerHeader(t *plan.Trunk, w numbering.Written, name string) string {
	from := wire.Address{Params: wire.Params{{Name: "tag", Value: newID(), HasValue: true}}}
	if w.Number.Empty() {
		if from.Name = "Anonymous"; name != "" {
			from.Name = name
		}
		from.URI = wire.URI{Scheme: "sip", User: "anonymous", Host: "anonymous.invalid"}
		return from.String()
	}
	from.Name = name
	switch from.URI = c.a.numberOfOurs(t, w); t.SIP.Numbers {
	case plan.NumbersTel:
		from.URI = wire.URI{Scheme: "tel", Opaque: telNumber(userPart(w), w, from.URI.Host)}
	case plan.NumbersUserPhone:
		from.URI.Params = wire.Params{{Name: "user", Value: "phone", HasValue: true}}
	}
	return from.String()
}

// try sends the INVITE and waits for what ends the attempt: an answer, a
// failure, one of the path's timers, or the caller.
func (c *call) try(o decide.Offer, t *attempt) decide.Report {
	t.tx = c.a.layer.begin(t.invite, t.to.hop)
	defer t.forget()
	sent := time.Now()
	timer := time.NewTimer(millis(o.Timers.NoResponse))
	defer timer.Stop()
	for {
		select {
		case <-t.tx.heard.ready:
			for res, over := t.tx.heard.take(); res != nil || over; res, over = t.tx.heard.take() {
				if over {
					return t.ended()
				}
				if final := c.heard(t, res); final != nil {
					return *final
				}
			}
			if t.ringing {
				timer.Reset(millis(o.Timers.Unanswered))
			} else if t.alive {
				timer.Reset(time.Until(sent.Add(millis(o.Timers.OnlyTrying))))
			}
		case <-timer.C:
			t.abandon()
			return decide.Report{Kind: t.timeout(), Progress: t.ringing}
		case p := <-c.pickUps:
			if c.pickedUp(t, p) {
				return decide.Report{Kind: trail.ReportAnswered, Progress: t.ringing}
			}
		case q := <-c.requests:
			c.onAsked(q)
		case g := <-c.ended:
			if g.d != c.caller {
				continue // a called side may not end what it has not answered (section 15)
			}
			c.left = true
			return t.givenUp()
		case <-c.progress.due():
			if c.unheard() {
				c.deaf = true
				return t.givenUp()
			}
		case <-c.tx.gone:
			return t.givenUp()
		case <-c.a.ctx.Done():
			return t.givenUp()
		}
	}
}

// refused is what a final failure says, and of a 3xx where it wants the call to go.
func (t *attempt) refused(res *wire.Message) decide.Report {
	q, _ := cause.FromReason(res.Get("Reason"))
	r := decide.Report{Kind: trail.ReportRefused, Status: res.Status, Reason: q, Progress: t.ringing}
	said := []string{saidIn(res)}
	if t.credentialRefused(res) {
		r.Credential = true
		said = append(said, "it did not take our credential")
		t.a.Trunks.CredentialRefused(t.trunk.ID, time.Now(), fmt.Sprintf("%d %s to an INVITE", res.Status, res.Reason))
	}
	if codecs := t.offered(); codecs != "" && (res.Status == 488 || res.Status == 606 || res.Status == 415) {
		said = append(said, "it was offered "+codecs)
	}
	r.Detail = strings.Join(slices.DeleteFunc(said, func(s string) bool { return s == "" }), "; ")
	if res.Status < 400 {
		r.To, r.DivertReason = movedTo(res)
	}
	return r
}

// offered are the codecs that the far end was offered, in words.
func (t *attempt) offered() string {
	d, err := media.Read(t.invite.Body)
	if err != nil {
		return ""
	}
	var names []string
	for _, f := range d.Formats() {
		names = append(names, f.Name)
	}
	return strings.Join(names, ", ")
}

// saidIn is what a response says of itself in words: the texts of Warning (RFC 3261 section
// 20.43) and of Reason (RFC 3326).
func saidIn(res *wire.Message) string {
	var said []string
	for _, field := range []string{"Warning", "Reason"} {
		for _, v := range res.All(field) {
			if text := quotedIn(v); text != "" {
				said = append(said, fmt.Sprintf("%s: %q", field, text))
			}
		}
	}
	return strings.Join(said, "; ")
}

// maxSaid is how much of a far end's words is kept, in bytes.
const maxSaid = 200

// quotedIn is the first text in quotes of a field value.
func quotedIn(value string) string {
	_, rest, ok := strings.Cut(value, `"`)
	if !ok {
		return ""
	}
	text, _, _ := strings.Cut(rest, `"`)
	return text[:min(len(text), maxSaid)]
}

// credentialRefused tells whether a final response refuses our credential and not the
// call: it asks for another one, or forbids what carries one, and no registration of ours
// has shown that the credential is right.
func (t *attempt) credentialRefused(res *wire.Message) bool {
	switch res.Status {
	case 401, 407:
		return true
	case 403:
		shown := t.invite.Has("Authorization") || t.invite.Has("Proxy-Authorization")
		return shown && (t.trunk.SIP.Registers != plan.RegistersWe || t.a.Registrations.OurServer(t.trunk.ID) == "")
	}
	return false
}

// givenUp is an attempt that nobody wants any more.
func (t *attempt) givenUp() decide.Report {
	t.abandon()
	return decide.Report{Kind: trail.ReportAbandoned, Progress: t.ringing}
}

// ended is what came of an attempt whose transaction ended without an answer.
func (t *attempt) ended() decide.Report {
	if err := t.tx.failure(); err != nil {
		return decide.Report{Kind: trail.ReportUnreachable, Detail: err.Error()}
	}
	return decide.Report{Kind: t.timeout(), Progress: t.ringing}
}

func millis(n int) time.Duration { return time.Duration(n) * time.Millisecond }

// timeout names the silence in which the attempt was given up.
func (t *attempt) timeout() trail.ReportKind {
	switch {
	case t.ringing:
		return trail.ReportUnanswered
	case t.alive:
		return trail.ReportOnlyTrying
	}
	return trail.ReportNoResponse
}

// heard takes a response; the result is not nil if it ends the attempt.
func (c *call) heard(t *attempt, res *wire.Message) *decide.Report {
	t.alive = true
	if res.Status > 100 {
		c.a.Trunks.Responded(t.trunk.ID, time.Now(), retryAfter(res))
	}
	switch {
	case res.Status == 100:
		return nil
	case res.Status < 200:
		c.progressed(t, res)
		return nil
	case res.Status < 300:
		if err := c.sound.Load().answerFits(relay.Called, res); err != nil {
			t.hangUp(res)
			return &decide.Report{Kind: trail.ReportRefused, Status: 488, Detail: nothingLeft(err), Progress: t.ringing}
		}
		t.answer = res
		c.lastLeg().Media = record.ReadMedia(res.Body)
		return &decide.Report{Kind: trail.ReportAnswered, Progress: t.ringing}
	case c.again(t, res):
		return nil
	}
	r := t.refused(res)
	return &r
}

// progressed takes ringing or early media.
func (c *call) progressed(t *attempt, res *wire.Message) {
	d := t.earlyDialog(res)
	if d == nil {
		if !hasTag(res.Get("To")) { // of a far end older than RFC 3261
			c.rang(res)
			t.ringing = true
			c.relayProgress(nil, withoutDialog(res))
		}
		return
	}
	if !d.fresh(rseqOf(res)) {
		return
	}
	d.learn(res)
	c.callee = d
	c.join(d, res)
	c.rang(res)
	t.ringing = true
	c.relayProgress(d, res)
}

// withoutDialog is a provisional response that nobody can acknowledge.
func withoutDialog(res *wire.Message) *wire.Message {
	out := res.Clone()
	out.Remove("Require")
	return out
}

// again sends the INVITE once more where the far end says what it wants instead:
// a credential, or a longer session timer (RFC 4028 section 7.3). It is false if
// that is not what the response says.
func (c *call) again(t *attempt, res *wire.Message) bool {
	if res.Status == 401 || res.Status == 407 {
		req := c.a.withCredential(t.trunk, t.invite, res)
		if req != nil {
			t.invite = req
			t.tx = c.a.layer.begin(req, t.to.hop)
		}
		return req != nil
	}
	if least := seconds(res.Get("Min-SE")); res.Status == 422 && t.session > 0 && least > t.session {
		t.session = least
		c.resend(t, func(req *wire.Message) {
			req.Set("Session-Expires", itoa(least))
			req.Set("Min-SE", itoa(least))
		})
		return true
	}
	return false
}

// resend sends the INVITE in a transaction of its own, with the next number (RFC
// 3261 section 8.1.3.5).
func (c *call) resend(t *attempt, change func(*wire.Message)) {
	req := t.invite.Clone()
	req.Remove("Via")
	cseq, _ := wire.ReadCSeq(req.Get("CSeq")) // ours
	cseq.Number++
	req.Set("CSeq", cseq.String())
	change(req)
	t.invite = req
	t.tx = c.a.layer.begin(req, t.to.hop)
}

// retryAfter is how long a 503 asks to be left alone; 0 if it does not say.
func retryAfter(res *wire.Message) time.Duration {
	if res.Status != 503 {
		return 0
	}
	text, _, _ := strings.Cut(res.Get("Retry-After"), ";")
	text, _, _ = strings.Cut(text, "(")
	seconds, err := strconv.ParseUint(strings.TrimSpace(text), 10, 31)
	if err != nil {
		return 0
	}
	return time.Duration(seconds) * time.Second
}
