package sip

import (
	"strconv"
	"strings"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// callerSide is a leg by which the switch was called.
type callerSide struct {
	tx       *inbound // its INVITE; the last one where digits come bit by bit
	tag      string   // ours
	complete bool     // its number is: another INVITE brings nothing new
	answered bool
	progress progress
	overlap  overlapKey   // under which further INVITEs find it; of a number that comes whole, none
	deferred *core.Answer // waits until what came before it was acknowledged
}

// Provisional responses are acknowledged where the caller demands it, or can and the called party
// does (RFC 3262); one at a time waits for that.

// progress is what the caller was told before the answer.
type progress struct {
	rseq    uint32
	waiting *reliable   // for its PRACK; nil if none does
	queue   []*reliable // behind it
	again   *time.Timer // nil until one waits
}

// reliable is a provisional response that must be acknowledged.
type reliable struct {
	res    *wire.Message
	rseq   uint32
	number uint32 // of the called party's progress that waits for the same; 0 for none
	sent   time.Time
	wait   int // ms until it is sent again
}

// newCaller is the leg of an INVITE that came.
func (a *Agent) newCaller(t *inbound, l *leg) {
	l.caller = &callerSide{tx: t, tag: newID()}
	l.d = l.callerDialog(t, l.caller.tag)
}

// watch has the leg hear of a CANCEL.
func (l *leg) watch() {
	t := l.caller.tx
	t.whenCancelled(func() {
		l.h.Post(func() {
			if l.caller.tx == t && !l.caller.answered && !l.over {
				l.leftBeforeAnswer()
			}
		})
	})
}

// leftBeforeAnswer is a caller who gave up: 487 ends its INVITE (RFC 3261 section 9.2).
func (l *leg) leftBeforeAnswer() {
	l.final(487, cause.NormalClearing)
	l.gone(core.Event{})
}

// final answers the INVITE with a failure.
func (l *leg) final(status int, q cause.Q850, more ...[2]string) {
	fields := [][2]string{{"Session-ID", l.d.names().String()}}
	if q != 0 {
		fields = append([][2]string{{"Reason", reasonHeader(q)}}, fields...)
	}
	l.caller.tx.reply(status, l.caller.tag, append(fields, more...)...)
}

// refuse answers the INVITE with the end of its call.
func (l *leg) refuse(why cause.Said) {
	status := why.SIP
	if status < 300 {
		status = cause.ToSIP(why.Q850)
	}
	var more [][2]string
	if why.Text != "" && why.SIP >= 300 {
		more = append(more, [2]string{"Warning", `399 switchback ` + strconv.Quote(why.Text)})
	}
	l.final(status, why.Q850, more...)
}

// alert passes ringing or early media to the caller.
func (l *leg) alert(x core.Alert) {
	if x.Ask != 0 {
		if t := l.requests[x.Ask]; t != nil && t.req.Method == "INVITE" && x.Said.SIP > 100 {
			out := responseTo(t.req, x.Said.SIP, l.d.key.localTag)
			out.Reason = x.Said.Text
			out.Add("Session-ID", l.d.names().String())
			out.SetBody("", nil)
			t.respond(out)
		}
		return
	}
	status := 183
	if x.Ring {
		status = 180
	}
	if x.Said.SIP > 100 && x.Said.SIP < 200 {
		status = x.Said.SIP
	}
	t := l.caller.tx
	out := responseTo(t.req, status, l.caller.tag)
	if x.Said.SIP == status && x.Said.Text != "" {
		out.Reason = x.Said.Text
	}
	out.Add("Contact", l.a.contact(l.trunk, t.source.by))
	out.Add("Allow", allowedOn(l.trunk))
	out.Add("Session-ID", l.d.names().String())
	l.a.keepDialog(l.d)
	if !(lists(t.req, "Require", "100rel") || lists(t.req, "Supported", "100rel") && x.Number > 0) {
		setDescription(out, x.Media.Description())
		t.respond(out)
		if x.Number > 0 {
			l.tell(core.Event{Kind: core.Confirmed, Number: x.Number})
		}
		return
	}
	p := &l.caller.progress
	p.rseq++
	out.Add("Require", "100rel")
	out.Add("RSeq", strconv.FormatUint(uint64(p.rseq), 10))
	setDescription(out, x.Media.Description())
	p.queue = append(p.queue, &reliable{res: out, rseq: p.rseq, number: x.Number})
	l.sendReliable()
}

// sendReliable sends the next reliable response, if none waits for its PRACK.
func (l *leg) sendReliable() {
	p := &l.caller.progress
	if p.waiting != nil || len(p.queue) == 0 {
		return
	}
	p.waiting, p.queue = p.queue[0], p.queue[1:]
	p.waiting.sent, p.waiting.wait = time.Now(), machine.T1
	l.caller.tx.respond(p.waiting.res)
	l.repeatIn(l.a.ms(p.waiting.wait))
}

func (l *leg) repeatIn(d time.Duration) {
	p := &l.caller.progress
	stopTimer(p.again)
	w := p.waiting
	p.again = time.AfterFunc(d, func() { l.h.Post(func() { l.unheard(w) }) })
}

// unheard is when a PRACK has not come: the response is sent again, twice as late each time (RFC
// 3262 section 3), until nobody believes in it any more.
func (l *leg) unheard(w *reliable) {
	p := &l.caller.progress
	if l.over || p.waiting != w {
		return
	}
	switch {
	case l.caller.answered:
		p.waiting = nil // the answer says all that it said
	case time.Since(w.sent) >= l.a.ms(machine.B):
		l.final(504, cause.TimerExpiry)
		l.gone(core.Event{})
	default:
		l.caller.tx.respond(w.res)
		w.wait *= 2
		l.repeatIn(min(l.a.ms(w.wait), time.Until(w.sent.Add(l.a.ms(machine.B)))))
	}
}

// onPrack takes the caller's acknowledgement; one that fits nothing is told so.
func (l *leg) onPrack(t *inbound) {
	if l.caller == nil {
		t.reply(481, l.d.key.localTag)
		return
	}
	p, tag := &l.caller.progress, l.caller.tag
	fields := strings.Fields(t.req.Get("RAck"))
	invite, _ := wire.ReadCSeq(l.caller.tx.req.Get("CSeq")) // verified
	if p.waiting == nil || len(fields) != 3 || fields[0] != strconv.FormatUint(uint64(p.waiting.rseq), 10) ||
		fields[1] != strconv.FormatUint(uint64(invite.Number), 10) || !strings.EqualFold(fields[2], "INVITE") {
		t.reply(481, tag)
		return
	}
	number := p.waiting.number
	p.waiting = nil
	stopTimer(p.again)
	late := len(l.caller.tx.req.Body) == 0 // the PRACK answers what was offered
	switch {
	case len(t.req.Body) == 0 || late:
		t.reply(200, tag)
		if number > 0 {
			l.tell(core.Event{Kind: core.Confirmed, Number: number, Media: session(t.req)})
		}
	case number == 0: // a new offer, and the far end takes none in this way
		t.reply(488, tag)
	default:
		l.tell(core.Event{Kind: core.Asked, Request: l.keep(t), Want: core.Change, Media: session(t.req), Number: number, As: "PRACK"})
	}
	l.sendReliable()
	if x := l.caller.deferred; x != nil && p.waiting == nil {
		l.caller.deferred = nil
		l.answer(*x)
	}
}

// answer answers the INVITE, once the caller has acknowledged a description that it was given
// before: the answer must not overtake it (RFC 3262 section 3).
func (l *leg) answer(x core.Answer) {
	if w := l.caller.progress.waiting; w != nil && len(w.res.Body) > 0 {
		l.caller.deferred = &x
		return
	}
	l.caller.answered = true
	l.a.keepDialog(l.d)
	l.d.on(machine.Answer)
	res := l.accepted(l.caller.tx)
	body := x.Media.Description()
	setDescription(res, body)
	if len(body) > 0 {
		l.d.described(body)
	}
	l.sendUntilAcked(l.caller.tx, res, 0)
}
