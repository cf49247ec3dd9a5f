package sip

import (
	"errors"
	"fmt"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// Messages that wait (RFC 3842): a voicemail server says so of an extension, and the
// phone system that has it is told, whichever that is. What it answers is passed
// back, so that a server whose news did not arrive says it again.

// onNotify takes a NOTIFY outside a dialog, on the reading goroutine.
func (a *Agent) onNotify(t *inbound) {
	run := a.Plan.Current()
	if d := a.findDialog(t.req); d != nil || run == nil {
		t.reply(481, "")
		return
	}
	id, ok := a.identify(t, run)
	if !ok {
		return
	}
	trunk, ok := run.Snapshot.Trunk(id.Trunk)
	if !ok || !trunk.Services.MWIAccept {
		t.reply(403, newID(), [2]string{"Warning", `399 switchback "it may not say that messages wait"`})
		return
	}
	event, _, _ := strings.Cut(t.req.Get("Event"), ";")
	if !strings.EqualFold(strings.TrimSpace(event), wire.WaitingEvent) {
		t.reply(489, newID(), [2]string{"Allow-Events", wire.WaitingEvent})
		return
	}
	waiting, err := wire.ReadWaiting(t.req.Body)
	if err != nil {
		t.reply(400, newID(), [2]string{"Warning", fmt.Sprintf("399 switchback %q", err)})
		return
	}
	a.work.Begin()
	go func() {
		defer a.work.End()
		a.passOn(run, trunk, t, waiting)
	}()
}

// passOn tells the phone system, and the one who said it what came of that.
func (a *Agent) passOn(run *live.Running, from *plan.Trunk, t *inbound, w wire.Waiting) {
	lamp := live.Lamp{From: from.ID, Waiting: w.Messages, At: time.Now()}
	if w.Voice != nil {
		lamp.New, lamp.Old = w.Voice.New, w.Voice.Old
	}
	mailbox, number, err := mailboxOf(t.req, w)
	lamp.Mailbox = mailbox
	var o decide.Offer
	ok := err == nil
	if ok {
		o, ok = run.Snapshot.Answers(from.ID, number)
	}
	switch {
	case err != nil:
		lamp.Status, lamp.Why = 400, err.Error()
	case !ok:
		lamp.Status, lamp.Why = 404, "the plan has no phone system for it"
	case !o.Trunk.Services.BLF:
		lamp.To, lamp.Status, lamp.Why = o.Trunk.ID, 480, o.Trunk.Name+" is not told of messages; its services say so"
	default:
		lamp.To = o.Trunk.ID
		lamp.Status, lamp.Why = a.light(o, t.req, w)
	}
	a.Lamps.Say(lamp)
	a.Trunks.Told(from.ID)
	if lamp.To != "" {
		a.Trunks.Told(lamp.To)
	}
	status := lamp.Status
	if status == 0 {
		status = 504
	}
	t.reply(status, newID())
}

// mailboxOf is the extension that a NOTIFY is about: whom it is sent to, or the
// account that it names.
func mailboxOf(req *wire.Message, w wire.Waiting) (text string, n digits.Number, err error) {
	uri, _ := wire.ReadURI(req.URI) // verified
	text, _ = telephone(uri)
	if n, err = digits.ParseNumber(text); err == nil && !n.Empty() {
		return text, n, nil
	}
	if account, errURI := wire.ReadURI(w.Account); errURI == nil {
		text, _ = telephone(account)
		if n, err = digits.ParseNumber(text); err == nil && !n.Empty() {
			return text, n, nil
		}
	}
	return text, n, errors.New("neither its address nor Message-Account is an extension")
}

// light tells the servers of a phone system in turn; status is 0 if none answered.
func (a *Agent) light(o decide.Offer, from *wire.Message, w wire.Waiting) (status int, why string) {
	ways, err := a.ways(o.Trunk, o.Called.Number.String())
	if err != nil {
		return 480, err.Error()
	}
	for _, to := range ways {
		req := wire.NewRequest("NOTIFY", to.request(userPart(o.Called)))
		to.route(req)
		req.Add("Max-Forwards", "70")
		req.Add("From", "<"+a.numberOfOurs(o.Trunk, o.Called).String()+">;tag="+newID())
		req.Add("To", "<"+uriTo(userPart(o.Called), to.host)+">")
		req.Add("Call-ID", newID()+"@"+a.host)
		req.Add("CSeq", "1 NOTIFY")
		req.Add("Contact", a.contact(o.Trunk, to.by))
		req.Add("Event", wire.WaitingEvent)
		state := from.Get("Subscription-State")
		if state == "" {
			state = "active" // RFC 6665 section 8.2.1 wants it said
		}
		req.Add("Subscription-State", state)
		req.Add("User-Agent", "Switchback")
		w.Account = uriTo(userPart(o.Called), to.host)
		req.SetBody(wire.WaitingType, w.Bytes())
		tx := a.layer.begin(req, to.hop)
		res := tx.final(time.After(askPatience))
		if res != nil && (res.Status == 401 || res.Status == 407) {
			if again := a.withCredential(o.Trunk, tx.req, res); again != nil {
				res = a.layer.begin(again, to.hop).final(time.After(askPatience))
			}
		}
		if res == nil {
			tx.quiet()
			why = fmt.Sprintf("%s did not answer", to)
			continue
		}
		if res.Status < 300 {
			return res.Status, ""
		}
		return res.Status, fmt.Sprintf("it answered %d %s", res.Status, res.Reason)
	}
	return 0, why
}
