package sip

import (
	"strconv"
	"strings"
	"sync"
	"time"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// clock is the session timer of one dialog (RFC 4028). Each side of a call has
// its own: what one of them wants is never passed to the other.
type clock struct {
	second  time.Duration
	over    func() // tells the call; it must not wait
	mu      sync.Mutex
	timer   *time.Timer // nil until there is a session
	session machine.Session
	ours    bool // we refresh
}

// set begins a session anew.
func (c *clock) set(s machine.Session, ours bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.session, c.ours = s, ours
	switch {
	case s.Expires == 0:
		stopTimer(c.timer)
	case ours:
		c.in(s.RefreshAt())
	default:
		c.in(s.OverAt())
	}
}

// in sets the timer anew; the lock is held.
func (c *clock) in(seconds int) {
	stopTimer(c.timer)
	c.timer = time.AfterFunc(time.Duration(seconds)*c.second, c.over)
}

// wait sets the timer for what is left of a session that we refresh, in case that
// does not succeed.
func (c *clock) wait() {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.in(c.session.Expires - c.session.RefreshAt())
}

func (c *clock) stop() {
	c.mu.Lock()
	defer c.mu.Unlock()
	stopTimer(c.timer)
}

// now is the session as it stands.
func (c *clock) now() (s machine.Session, ours bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.session, c.ours
}

// sessionWanted is the session timer of a trunk, in seconds; 0 for none.
func sessionWanted(s *plan.SIP) int {
	switch {
	case s.SessionTimer == plan.SessionTimerOff:
		return 0
	case s.SessionExpiresSeconds == 0:
		return machine.DefaultSession
	}
	return s.SessionExpiresSeconds
}

// lists tells whether a field of a message lists a token.
func lists(m *wire.Message, field, token string) bool {
	for _, v := range m.All(field) {
		if strings.EqualFold(v, token) {
			return true
		}
	}
	return false
}

// readSession reads Session-Expires and Min-SE.
func readSession(m *wire.Message) machine.SessionAsk {
	ask := machine.SessionAsk{Supported: lists(m, "Supported", "timer") || lists(m, "Require", "timer")}
	value, params, _ := strings.Cut(m.Get("Session-Expires"), ";")
	ask.Expires = seconds(value)
	for _, p := range strings.Split(params, ";") {
		if name, who, ok := strings.Cut(strings.TrimSpace(p), "="); ok && strings.EqualFold(name, "refresher") {
			ask.Refresher = machine.Refresher(strings.ToLower(strings.TrimSpace(who)))
		}
	}
	least, _, _ := strings.Cut(m.Get("Min-SE"), ";")
	ask.Min = seconds(least)
	return ask
}

// seconds reads a number of seconds; 0 if it is none.
func seconds(text string) int {
	n, err := strconv.ParseUint(strings.TrimSpace(text), 10, 31)
	if err != nil {
		return 0
	}
	return int(n)
}

// askSession asks for a session timer in a request of ours.
func askSession(req *wire.Message, wanted int, refresher machine.Refresher) {
	if wanted == 0 {
		return
	}
	value := itoa(wanted)
	if refresher != "" {
		value += ";refresher=" + string(refresher)
	}
	req.Add("Session-Expires", value)
	req.Add("Min-SE", itoa(machine.MinSession))
}

// answerSession decides the session of a request that came, says so in its 2xx,
// and begins the timer.
func (d *dialog) answerSession(t *inbound, res *wire.Message) {
	s, _ := machine.AnswerSession(readSession(t.req), sessionWanted(d.trunk.Link.SIP))
	if s.Expires == 0 {
		return
	}
	if ask := readSession(t.req); ask.Supported || ask.Expires > 0 {
		res.Add("Session-Expires", itoa(s.Expires)+";refresher="+string(s.Refresher))
		if s.Refresher == machine.ByCaller {
			res.Add("Require", "timer")
		}
	}
	d.session.set(s, s.Refresher == machine.ByAnswerer)
}

// heardSession takes the session that a 2xx to a request of ours agrees to. Where
// it agrees to none, we refresh by ourselves what we can, so that a far end that
// is gone is missed.
func (d *dialog) heardSession(res *wire.Message, wanted int) {
	answer := readSession(res)
	switch {
	case answer.Expires > 0:
		d.session.set(machine.Session{Expires: max(answer.Expires, machine.MinSession), Refresher: answer.Refresher}, answer.Refresher != machine.ByAnswerer)
	case wanted > 0 && d.takesUpdate():
		d.session.set(machine.Session{Expires: wanted, Refresher: machine.ByCaller}, true)
	}
}

func (d *dialog) takesUpdate() bool {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.updates
}

// tick is when a session's timer is over: we refresh it, or nobody did.
func (l *leg) tick(d *dialog) {
	if l.over || d != l.d {
		return
	}
	session, ours := d.session.now()
	if !ours {
		l.fail(core.How("the session ran out: " + l.trunk.Name + " did not refresh it"))
		return
	}
	d.session.wait()
	l.refresh(d, session.Expires)
}

// refresh keeps the session alive (RFC 4028 section 7.4), by UPDATE where the far
// end takes it and else by the description that it has.
func (l *leg) refresh(d *dialog, wanted int) {
	method := "UPDATE"
	if !d.takesUpdate() {
		method = "INVITE"
		if d.on(machine.WeAsk) != machine.Take {
			return // what is under way refreshes it too
		}
	}
	req, to := d.request(method)
	req.Add("Contact", l.a.contact(l.trunk, to.by))
	req.Add("Allow", allowed)
	req.Add("Supported", supported)
	askSession(req, wanted, machine.ByCaller)
	if method == "INVITE" {
		d.mu.Lock()
		setDescription(req, d.said)
		d.mu.Unlock()
	} else {
		req.SetBody("", nil)
	}
	l.a.work.Begin()
	go func() {
		defer l.a.work.End()
		res, tx := d.proven(l.a.layer.begin(req, to))
		l.h.Post(func() { l.refreshed(d, method, wanted, res, tx) })
	}()
}

// refreshed takes the answer to a refresh.
func (l *leg) refreshed(d *dialog, method string, wanted int, res *wire.Message, tx *outbound) {
	if method == "INVITE" {
		d.on(machine.Done)
	}
	switch {
	case l.over:
	case res == nil || res.Status == 408 || res.Status == 481:
		l.fail(core.How(l.trunk.Name + " did not answer when its session was refreshed"))
	case res.Status < 300:
		if method == "INVITE" {
			ack := d.ack(tx.req, nil)
			tx.onSuccess(func(*wire.Message) { ack() })
			ack()
		}
		d.learn(res)
		d.heardSession(res, wanted)
	}
}
