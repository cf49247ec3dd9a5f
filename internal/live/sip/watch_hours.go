package sip

import (
	"encoding/xml"
	"fmt"
	"strconv"
	"strings"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// Lamps that show what a dialled code sets: a phone system subscribes to the state of the
// code as if it were an extension (dialog package, RFC 4235); while the calendar is in the
// code's state by hand the extension is busy, else it is idle.

const (
	dialogEvent = "dialog"
	dialogType  = "application/dialog-info+xml"
	// maxSubscriptions bounds those of one switch, and these bound how long one lasts, in
	// seconds.
	maxSubscriptions     = 2000
	longestSubscription  = 3600
	shortestSubscription = 60
)

// subscription is a lamp that somebody watches.
type subscription struct {
	a     *Agent
	d     *dialog
	uri   string // of the code, as it was asked for
	hours string
	state string

	mu      sync.Mutex
	until   time.Time
	version int
	timer   *time.Timer
	over    bool
}

// onSubscribe takes a SUBSCRIBE, on the reading goroutine.
func (a *Agent) onSubscribe(t *inbound) {
	event, _, _ := strings.Cut(t.req.Get("Event"), ";")
	if !strings.EqualFold(strings.TrimSpace(event), dialogEvent) {
		t.reply(489, newID(), [2]string{"Allow-Events", dialogEvent})
		return
	}
	expires, err := strconv.Atoi(strings.TrimSpace(t.req.Get("Expires")))
	if !t.req.Has("Expires") {
		expires, err = longestSubscription, nil
	}
	switch {
	case err != nil || expires < 0:
		t.reply(400, newID())
		return
	case expires > 0 && expires < shortestSubscription:
		t.reply(423, newID(), [2]string{"Min-Expires", strconv.Itoa(shortestSubscription)})
		return
	}
	expires = min(expires, longestSubscription)
	if hasTag(t.req.Get("To")) {
		a.refresh(t, expires)
		return
	}
	a.subscribe(t, expires)
}

// subscribe begins to watch a code.
func (a *Agent) subscribe(t *inbound, expires int) {
	run := a.Plan.Current()
	if run == nil || a.Overrides == nil {
		t.reply(480, newID())
		return
	}
	id, ok := a.identify(t, run)
	if !ok {
		return
	}
	trunk, ok := run.Snapshot.Trunk(id.Trunk)
	if !ok {
		t.reply(403, newID())
		return
	}
	sets, status := a.whatCodeSets(run, trunk, t.req)
	if sets == nil {
		t.reply(status, newID(), [2]string{"Reason", reasonHeader(cause.FromSIP(status))})
		return
	}
	s := &subscription{a: a, uri: t.req.URI, hours: sets.Calendar.ID, state: sets.State, until: time.Now().Add(time.Duration(expires) * a.Second)}
	s.d = a.newLeg(trunk).callerDialog(t, newID())
	if !a.keepSubscription(s) {
		t.reply(503, newID(), [2]string{"Retry-After", "60"})
		return
	}
	a.accept(t, s, expires)
}

// whatCodeSets is what a number would set for who asks, as a call of it would; else the
// status that such a call gets.
func (a *Agent) whatCodeSets(run *live.Running, trunk *plan.Trunk, req *wire.Message) (*trail.CalendarSet, int) {
	uri, _ := wire.ReadURI(req.URI) // verified
	text, _ := telephone(uri)
	number, err := digits.ParseNumber(text)
	if err != nil || number.Empty() {
		return nil, 404
	}
	in := decide.Call{Trunk: trunk.ID, Called: number, Caller: callerIn(req, trunk), At: time.Now()}
	e, ok := run.Snapshot.Begin(in) // nothing is set by hand: a code that goes there and back says where to
	if !ok {
		return nil, 404
	}
	if sets := e.Sets(); sets != nil {
		return sets, 0
	}
	if end, over := e.Ended(); over && end.Cause.SIP >= 400 {
		return nil, end.Cause.SIP
	}
	return nil, 404 // it is somebody's number, and lamps of phones are no business of ours
}

func (a *Agent) keepSubscription(s *subscription) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	if len(a.subscriptions) >= maxSubscriptions {
		return false
	}
	a.subscriptions[s.d.key] = s
	return true
}

// refresh takes a SUBSCRIBE within a subscription.
func (a *Agent) refresh(t *inbound, expires int) {
	to, _ := wire.ReadAddress(t.req.Get("To"))     // verified
	from, _ := wire.ReadAddress(t.req.Get("From")) // verified
	a.mu.Lock()
	s := a.subscriptions[dialogKey{t.req.Get("Call-ID"), to.Tag(), from.Tag()}]
	a.mu.Unlock()
	if s == nil {
		t.reply(481, "")
		return
	}
	if run := a.Plan.Current(); run != nil && !a.belongs(t, run, s.d) {
		return
	}
	if !s.d.inOrder(t.req) {
		t.reply(500, to.Tag())
		return
	}
	s.d.learn(t.req)
	a.accept(t, s, expires)
}

// accept answers a SUBSCRIBE and says how the lamp is (RFC 6665 section 4.2.1).
func (a *Agent) accept(t *inbound, s *subscription, expires int) {
	t.reply(200, s.d.key.localTag, [2]string{"Expires", strconv.Itoa(expires)}, [2]string{"Contact", a.contact(s.d.trunk, t.source.by)})
	s.mu.Lock()
	s.until = time.Now().Add(time.Duration(expires) * a.Second)
	if s.timer != nil {
		s.timer.Stop()
	}
	s.timer = time.AfterFunc(time.Duration(expires)*a.Second, func() { s.end("timeout") })
	s.mu.Unlock()
	if expires == 0 {
		s.end("timeout")
		return
	}
	a.work.Begin()
	go func() {
		defer a.work.End()
		s.notify("")
	}()
}

// end says goodbye to who watches, once.
func (s *subscription) end(reason string) {
	s.mu.Lock()
	over := s.over
	s.over = true
	if s.timer != nil {
		s.timer.Stop()
	}
	s.mu.Unlock()
	if over {
		return
	}
	s.a.mu.Lock()
	delete(s.a.subscriptions, s.d.key)
	s.a.mu.Unlock()
	s.a.work.Begin()
	go func() {
		defer s.a.work.End()
		s.notify(reason)
	}()
}

// hoursChanged tells those who watch a calendar's codes.
func (a *Agent) hoursChanged(hours string) {
	a.mu.Lock()
	var list []*subscription
	for _, s := range a.subscriptions {
		if s.hours == hours {
			list = append(list, s)
		}
	}
	a.mu.Unlock()
	for _, s := range list {
		a.work.Begin()
		go func() {
			defer a.work.End()
			s.notify("")
		}()
	}
}

// notify says how the lamp is; with a reason it is the last time.
func (s *subscription) notify(reason string) {
	s.mu.Lock()
	if s.over && reason == "" {
		s.mu.Unlock()
		return
	}
	version := s.version
	s.version++
	left := max(0, int(time.Until(s.until)/s.a.Second))
	body := dialogInfo(s.uri, version, s.a.Overrides.At(time.Now())[s.hours] == s.state)
	req, to := s.d.request("NOTIFY")
	s.mu.Unlock() // versions rise with CSeqs
	req.Add("Contact", s.a.contact(s.d.trunk, to.by))
	req.Add("Event", dialogEvent)
	if reason != "" {
		req.Add("Subscription-State", "terminated;reason="+reason)
	} else {
		req.Add("Subscription-State", fmt.Sprintf("active;expires=%d", left))
	}
	req.Add("User-Agent", "Switchback")
	req.SetBody(dialogType, body)
	res, _ := s.d.proven(s.a.layer.begin(req, to))
	if reason == "" && (res == nil || res.Status == 481) {
		s.end("noresource") // nobody is there any more (RFC 6665 section 4.2.2)
	}
}

// dialogInfo is the document of RFC 4235 section 4.
func dialogInfo(entity string, version int, on bool) []byte {
	type dialog struct {
		ID    string `xml:"id,attr"`
		State string `xml:"state"`
	}
	doc := struct {
		XMLName xml.Name `xml:"urn:ietf:params:xml:ns:dialog-info dialog-info"`
		Version int      `xml:"version,attr"`
		State   string   `xml:"state,attr"`
		Entity  string   `xml:"entity,attr"`
		Dialogs []dialog `xml:"dialog"`
	}{Version: version, State: "full", Entity: entity}
	if on {
		doc.Dialogs = []dialog{{"hours", "confirmed"}}
	} else {
		doc.Dialogs = []dialog{{"hours", "terminated"}}
	}
	text, err := xml.Marshal(doc)
	if err != nil {
		return nil // of strings and numbers only
	}
	return append([]byte(xml.Header), text...)
}
