package sip

import (
	"strconv"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
	relay "switchback.example/switchback/internal/live/media"
)

// Reliable provisional responses (RFC 3262). On the caller's side one at a time
// waits for its PRACK; on the called side each is acknowledged, by the caller's
// PRACK where the caller's side is reliable too, so that a description in it
// reaches whom it is for.

// progress is what was passed to the caller before the answer. The call's
// goroutine alone uses it.
type progress struct {
	rseq    uint32
	waiting *reliable   // for its PRACK; nil if none does
	queue   []*reliable // behind it
	again   *time.Timer // nil until one waits
}

// reliable is a provisional response that must be acknowledged.
type reliable struct {
	res   *wire.Message
	rseq  uint32
	sent  time.Time
	wait  int              // ms until it is sent again
	prack func(t *inbound) // carries the PRACK on; nil: answer it
}

// due is when what waits is sent again; nobody hears it while nothing waits.
func (p *progress) due() <-chan time.Time {
	if p.again == nil {
		return nil
	}
	return p.again.C
}

func (p *progress) repeatIn(d time.Duration) {
	if p.again == nil {
		p.again = time.NewTimer(d)
		return
	}
	p.again.Reset(d)
}

// reliably tells whether a provisional response goes to the caller reliably: the
// caller demands it, or can and the far end does.
func (c *call) reliably(res *wire.Message) bool {
	req := c.tx.req
	return lists(req, "Require", "100rel") || lists(req, "Supported", "100rel") && rseqOf(res) > 0
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

// relayProgress passes ringing or early media to the caller.
func (c *call) relayProgress(from *dialog, res *wire.Message) {
	out := responseTo(c.tx.req, res.Status, c.tag)
	out.Reason = res.Reason
	out.Add("Contact", c.a.contact(c.trunk, c.tx.source.by))
	out.Add("Allow", allowedOn(c.trunk))
	out.Add("Session-ID", c.caller.names().String())
	c.a.keepDialog(c.caller)
	if !c.reliably(res) {
		c.early(out, res)
		c.tx.respond(out)
		if rseqOf(res) > 0 {
			go from.prack(res, nil, nil)
		}
		return
	}
	r := &reliable{res: out}
	if rseqOf(res) > 0 {
		r.prack = func(t *inbound) { go from.prack(res, t.req, func(answer *wire.Message) { c.pracked(t, answer) }) }
	}
	c.progress.rseq++
	r.rseq = c.progress.rseq
	out.Add("Require", "100rel")
	out.Add("RSeq", strconv.FormatUint(uint64(r.rseq), 10))
	c.early(out, res)
	c.progress.queue = append(c.progress.queue, r)
	c.sendReliable()
}

// early passes on the description of a provisional response; one that cannot be
// used is left out, since the answer may still have another.
func (c *call) early(out, res *wire.Message) {
	c.give(out, relay.Caller, res, len(c.tx.req.Body) > 0)
}

// give gives a message the body of another that it passes on, but for what cannot
// be used.
func (c *call) give(out *wire.Message, toward relay.Side, from *wire.Message, answer bool) {
	kind, body, err := c.sound.Load().bodyFor(toward, from, answer)
	if err != nil {
		body = nil
	}
	out.SetBody(kind, body)
}

// sendReliable sends the next reliable response, if none waits for its PRACK.
func (c *call) sendReliable() {
	p := &c.progress
	if p.waiting != nil || len(p.queue) == 0 {
		return
	}
	p.waiting, p.queue = p.queue[0], p.queue[1:]
	p.waiting.sent, p.waiting.wait = time.Now(), machine.T1
	c.tx.respond(p.waiting.res)
	p.repeatIn(millis(p.waiting.wait))
}

// unheard is when a PRACK has not come: the response is sent again, twice as late
// each time (section 3). over is true once nobody believes in it any more.
func (c *call) unheard() (over bool) {
	p := &c.progress
	if p.waiting == nil {
		return false
	}
	if time.Since(p.waiting.sent) >= millis(machine.B) {
		return true
	}
	c.tx.respond(p.waiting.res)
	p.waiting.wait *= 2
	p.repeatIn(min(millis(p.waiting.wait), time.Until(p.waiting.sent.Add(millis(machine.B)))))
	return false
}

// onPrack takes the caller's acknowledgement; one that fits nothing is told so.
func (c *call) onPrack(t *inbound) {
	p := &c.progress
	fields := strings.Fields(t.req.Get("RAck"))
	invite, _ := wire.ReadCSeq(c.tx.req.Get("CSeq")) // verified
	if p.waiting == nil || len(fields) != 3 || fields[0] != strconv.FormatUint(uint64(p.waiting.rseq), 10) ||
		fields[1] != strconv.FormatUint(uint64(invite.Number), 10) || !strings.EqualFold(fields[2], "INVITE") {
		t.reply(481, c.tag)
		return
	}
	carry := p.waiting.prack
	p.waiting = nil
	stopTimer(p.again)
	switch {
	case carry != nil:
		carry(t)
	case len(t.req.Body) > 0 && len(c.tx.req.Body) > 0: // a new offer, and the far end takes none in this way
		t.reply(488, c.tag)
	default:
		t.reply(200, c.tag)
	}
	c.sendReliable()
}

// pracked answers the caller's PRACK with what the far end said to it.
func (c *call) pracked(t *inbound, answer *wire.Message) {
	if answer == nil {
		t.reply(504, c.tag)
		return
	}
	out := responseTo(t.req, answer.Status, c.tag)
	c.give(out, relay.Caller, answer, len(t.req.Body) > 0)
	t.respond(out)
}

// prack acknowledges a reliable provisional response of the far end, with the
// body of the caller's own PRACK if there is one.
func (d *dialog) prack(res, with *wire.Message, answered func(*wire.Message)) {
	invite, _ := wire.ReadCSeq(res.Get("CSeq")) // verified
	req, to := d.request("PRACK")
	req.Add("RAck", strings.TrimSpace(res.Get("RSeq"))+" "+invite.String())
	req.SetBody("", nil)
	if with != nil {
		c, _ := d.place()
		c.give(req, relay.Called, with, len(c.tx.req.Body) == 0)
	}
	answer := d.a.layer.begin(req, to).final(nil)
	if answered != nil {
		answered(answer)
	}
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
