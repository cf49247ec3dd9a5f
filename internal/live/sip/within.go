package sip

import (
	"strconv"
	"strings"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// Requests within a dialog: a new description (RFC 3261 section 14, RFC 3311) and
// what is sent beside the call (RFC 6086) are carried over to the other side;
// what concerns one side alone is answered here. Each side has its own dialog, so
// that numbers, names and routes never mix.

// carried are the methods that a dialog takes.
var carried = map[string]bool{"INVITE": true, "UPDATE": true, "INFO": true, "PRACK": true, "REFER": true}

// changes tells whether a request wants another description.
func changes(req *wire.Message) bool {
	return req.Method == "INVITE" || req.Method == "UPDATE" && len(req.Body) > 0
}

// within gives a request of a dialog to its call; without one it is told so. It
// runs on the reading goroutine, so that the dialog sees what comes in order.
func (a *Agent) within(t *inbound) {
	d := a.findDialog(t.req)
	switch {
	case d == nil:
		t.reply(481, "")
		return
	case !d.inOrder(t.req):
		t.reply(500, d.key.localTag)
		return
	}
	if t.refusesBody(d.key.localTag) {
		return
	}
	if _, tooSmall := machine.AnswerSession(readSession(t.req), 0); tooSmall {
		t.reply(422, d.key.localTag, [2]string{"Min-SE", itoa(machine.MinSession)})
		return
	}
	if changes(t.req) && !d.mayChange(t) {
		return
	}
	d.leg.h.Post(func() { d.leg.asked(d, t) })
}

var retrySoon = [2]string{"Retry-After", "2"}

// mayChange refuses a new description that comes at the wrong time.
func (d *dialog) mayChange(t *inbound) bool {
	if t.req.Method == "INVITE" && d.isEarly() {
		t.reply(500, d.key.localTag, retrySoon) // the first INVITE is not answered (section 14.2)
		return false
	}
	switch d.on(machine.TheyAsk) {
	case machine.Take:
		return true
	case machine.RefusePending:
		t.reply(491, d.key.localTag)
	case machine.RefuseSoon:
		t.reply(500, d.key.localTag, retrySoon)
	default:
		t.reply(481, d.key.localTag)
	}
	return false
}

func (d *dialog) isEarly() bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.machine.State <= machine.EarlyWeAsked
}

// maxRequests bounds the requests of one far end that wait for their reply: more than anybody
// sends.
const maxRequests = core.MaxAsks

// asked takes a request of the far end.
func (l *leg) asked(d *dialog, t *inbound) {
	if l.over || l.d == nil || d != l.d && (l.callee == nil || l.callee.answer != nil) {
		d.on(machine.Done)
		t.reply(481, d.key.localTag)
		return
	}
	d.learn(t.req)
	l.h.Named(nameIn(t.req))
	d.rename(l.identity())
	switch {
	case t.req.Method == "PRACK":
		l.onPrack(t)
	case t.req.Method == "UPDATE" && !changes(t.req): // keeps the session alive, and nothing else
		t.respond(l.accepted(t))
	case t.req.Method == "REFER":
		l.onRefer(d, t)
	case len(l.requests) >= maxRequests:
		l.free(t)
		t.reply(500, d.key.localTag, retrySoon)
	default:
		l.carry(d, t)
	}
}

// free ends a change that the far end has asked for.
func (l *leg) free(t *inbound) {
	if changes(t.req) && l.d != nil {
		l.d.on(machine.Done)
	}
}

// carry asks the other party what the far end asks.
func (l *leg) carry(d *dialog, t *inbound) {
	l.d = d
	name := l.keep(t)
	e := core.Event{Kind: core.Asked, Request: name, As: t.req.Method}
	if changes(t.req) {
		e.Media = session(t.req)
	} else {
		e.Want = core.Inform
		e.Body = core.Body{Type: bodyKind(t.req), Bytes: t.req.Body}
	}
	if t.req.Method == "INVITE" {
		t.reply(100, "")
		t.whenCancelled(func() {
			l.h.Post(func() {
				if l.requests[name] == t {
					l.tell(core.Event{Kind: core.Withdrawn, Request: name})
				}
			})
		})
	}
	l.tell(e)
}

// reply replies to what the far end has asked.
func (l *leg) reply(a core.Reply) {
	t := l.requests[a.Request]
	if t == nil {
		return
	}
	delete(l.requests, a.Request)
	tag := l.d.key.localTag
	if t.req.Method != "INVITE" || a.Verdict != core.Accepted {
		l.free(t) // else its ACK does; a side is free again before it hears so
	}
	switch a.Verdict {
	case core.Accepted:
		out := l.accepted(t)
		if a.Cause.SIP >= 200 && a.Cause.SIP < 300 {
			out.Status, out.Reason = a.Cause.SIP, cause.Phrase(a.Cause.SIP)
		}
		if a.Want == core.Inform {
			out.SetBody(a.Body.Type, a.Body.Bytes)
		} else if body := a.Media.Description(); len(body) > 0 {
			setDescription(out, body)
			l.d.described(body)
		}
		if t.req.Method == "INVITE" {
			l.sendUntilAcked(t, out, a.Request)
			return
		}
		t.respond(out)
	case core.Refused:
		status := a.Cause.SIP
		if status < 300 {
			status = cause.ToSIP(a.Cause.Q850)
		}
		var more [][2]string
		if a.Cause.Q850 != 0 && a.Cause.SIP == 0 {
			more = append(more, [2]string{"Reason", reasonHeader(a.Cause.Q850)})
		}
		if a.Cause.Text != "" {
			more = append(more, [2]string{"Warning", `304 switchback ` + strconv.Quote(a.Cause.Text)}) // RFC 3261 section 20.43
		}
		t.reply(status, tag, append(more, [2]string{"Session-ID", l.d.names().String()})...)
	case core.Glare:
		t.reply(491, tag)
	case core.Soon:
		t.reply(500, tag, retrySoon)
	case core.Unheard:
		t.reply(408, tag)
	case core.Ended:
		t.reply(487, tag)
	}
}

// asking is a request of ours within a dialog.
type asking struct {
	l        *leg
	ask      core.AskID
	method   string
	d        *dialog
	tx       *outbound
	wanted   int // the session timer that it asks for
	accepted *wire.Message
}

// ask asks the far end something: as the other party did, where that is on SIP too.
func (l *leg) ask(a core.Ask) {
	q := &asking{l: l, ask: a.Ask, method: a.As, d: l.d}
	change := a.Want == core.Change
	switch {
	case change && q.method == "PRACK":
		one, ok := l.callee.waitingFor(a.Number)
		if !ok {
			l.tell(core.Event{Kind: core.Replied, Ask: a.Ask, Verdict: core.Soon})
			return
		}
		q.d = one.d
		l.await(q)
		q.send(one.d.newPrack(one.res, a.Media.Description()))
		return
	case change && q.method != "INVITE" && q.method != "UPDATE":
		if q.method = "INVITE"; l.d.isEarly() {
			q.method = "UPDATE"
		}
	case !change:
		q.method = "INFO"
	}
	if change && l.d.on(machine.WeAsk) != machine.Take { // both want to change the session at once
		l.tell(core.Event{Kind: core.Replied, Ask: a.Ask, Verdict: core.Glare})
		return
	}
	req, to := l.d.request(q.method)
	req.Add("Contact", l.a.contact(l.trunk, to.by))
	req.Add("Allow", allowedOn(l.trunk))
	req.Add("Supported", supportedOn(l.trunk))
	if change {
		if !l.d.isEarly() {
			q.wanted = sessionWanted(l.trunk.Link.SIP)
			askSession(req, q.wanted, "")
		}
		body := a.Media.Description()
		setDescription(req, body)
		if len(body) > 0 {
			l.d.described(body)
		}
	} else {
		req.SetBody(a.Body.Type, a.Body.Bytes)
	}
	l.await(q)
	q.send(req, to)
}

// await has a request of ours wait for its reply.
func (l *leg) await(q *asking) {
	if l.asks == nil {
		l.asks = map[core.AskID]*asking{}
	}
	l.asks[q.ask] = q
}

func (q *asking) send(req *wire.Message, to hop) { q.hear(q.l.a.layer.begin(req, to)) }

func (q *asking) hear(tx *outbound) {
	q.tx = tx
	tx.heard.whenReady(func() { q.l.h.Post(func() { q.heard(tx) }) })
}

// heard takes what comes back.
func (q *asking) heard(tx *outbound) {
	l := q.l
	for res, over := tx.heard.take(); res != nil || over; res, over = tx.heard.take() {
		if q.tx != tx || q.accepted != nil {
			return
		}
		if over || res.Status >= 200 {
			tx.heard.deaf()
		}
		switch {
		case over:
			q.done(core.Event{Verdict: core.Unheard})
			return
		case res.Status == 401 || res.Status == 407:
			if again := q.d.reprove(tx, res); again != nil {
				q.hear(again)
				return
			}
			q.refused(res)
		case res.Status < 200:
			if q.method == "INVITE" && res.Status > 100 {
				l.tell(core.Event{Kind: core.Progress, Ask: q.ask, Cause: cause.Said{SIP: res.Status, Text: res.Reason}})
			}
		case res.Status < 300:
			q.succeeded(res)
		default:
			q.refused(res)
		}
	}
}

func (q *asking) succeeded(res *wire.Message) {
	q.accepted = res
	q.d.learn(res)
	if q.method == "INVITE" || q.method == "UPDATE" {
		q.d.heardSession(res, q.wanted)
	}
	e := core.Event{Verdict: core.Accepted, Cause: cause.Said{SIP: res.Status}}
	if q.method == "INFO" {
		e.Body = core.Body{Type: bodyKind(res), Bytes: res.Body}
	} else {
		e.Media = session(res)
	}
	if q.l.over && q.method == "INVITE" { // nobody waits for it any more, but for its ACK
		q.d.ack(q.tx.req, nil)()
	}
	q.done(e)
}

// refused passes a refusal on, in the far end's own words.
func (q *asking) refused(res *wire.Message) {
	why := cause.Said{SIP: res.Status, Text: saidIn(res)}
	why.Q850, _ = cause.FromReason(res.Get("Reason"))
	verdict := core.Refused
	if res.Status == 491 {
		verdict = core.Glare
	}
	q.done(core.Event{Verdict: verdict, Cause: why})
}

// done ends the request, but for the acknowledgement of what was accepted.
func (q *asking) done(e core.Event) {
	if q.method != "INFO" && q.method != "PRACK" {
		q.d.on(machine.Done)
	}
	if q.accepted == nil || q.method != "INVITE" {
		delete(q.l.asks, q.ask)
	}
	e.Kind, e.Ask = core.Replied, q.ask
	q.l.tell(e)
}

// waitingFor is a progress that waits for its acknowledgement.
func (s *calleeSide) waitingFor(number uint32) (one heardOne, ok bool) {
	if s == nil {
		return one, false
	}
	one, ok = s.waiting[number]
	delete(s.waiting, number)
	return one, ok
}

// described notes the description that the far end has of the other side.
func (d *dialog) described(body []byte) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.said = body
}

// accepted is the 2xx to a request, with the session that it keeps alive.
func (l *leg) accepted(t *inbound) *wire.Message {
	d := l.d
	out := responseTo(t.req, 200, d.key.localTag)
	out.Add("Contact", l.a.contact(l.trunk, t.source.by))
	out.Add("Allow", allowedOn(l.trunk))
	out.Add("Supported", supportedOn(l.trunk))
	out.Add("Session-ID", d.names().String())
	if t.req.Method != "INFO" && !d.isEarly() {
		d.answerSession(t, out)
	}
	out.SetBody("", nil)
	return out
}

// bodyKind is the type of a message's body; a description where none is said.
func bodyKind(m *wire.Message) string {
	if kind := m.Get("Content-Type"); kind != "" {
		return kind
	}
	return sdpType
}

func isDescription(m *wire.Message) bool { return strings.EqualFold(bodyKind(m), sdpType) }

const sdpType = "application/sdp"
