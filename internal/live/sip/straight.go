package sip

import (
	"errors"
	"fmt"
	"net"
	"sync/atomic"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/record"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// MaxTestTalk bounds how long a straight test call is held after its answer.
const MaxTestTalk = 30 * time.Second

// ErrNoTrunk says that the switch has no such trunk.
var ErrNoTrunk = errors.New("the live plan has no such trunk on this switch")

// TestCall sends a call on one trunk with the digits as typed, past the plan, and
// hangs up a while after the answer. It returns the id of its record at once; the
// call then runs by itself.
func (a *Agent) TestCall(trunk string, called, caller digits.Number, talk time.Duration) (id string, err error) {
	run := a.Plan.Current()
	if run == nil {
		return "", ErrNoTrunk
	}
	t, ok := run.Snapshot.Trunk(trunk)
	if !ok || t.Switch != a.Switch {
		return "", ErrNoTrunk
	}
	ear, err := listen(a.host)
	if err != nil {
		return "", fmt.Errorf("no port for the audio of the test call: %w", err)
	}
	c := &call{
		a: a, run: run, hops: defaultHops, called: newName(), requests: make(chan asked, 8),
		ended: make(chan goodbye, MaxForks+2), faults: make(chan string, 1), over: make(chan struct{}),
	}
	c.rec = record.Call{ID: newID(), Session: newName(), Switch: a.Switch, Revision: run.Revision, Started: time.Now(), Legs: []record.Leg{{CallID: "straight-" + newID()}}}
	c.eval, _ = run.Snapshot.BeginStraight(trunk, called, caller) // it was just found there
	c.save()
	a.work.begin()
	go func() {
		defer a.work.end()
		defer ear.close()
		c.straight(ear, min(talk, MaxTestTalk))
	}()
	return c.rec.ID, nil
}

// straight tries the one trunk, and holds the call if it is answered.
func (c *call) straight(e *ear, talk time.Duration) {
	o, _ := c.eval.Next() // a straight call is always offered
	channel, why, ok := c.a.Trunks.Reserve(o.Trunk, live.Want{Out: true, Emergency: o.Emergency})
	if !ok {
		c.report(decide.Report{Kind: decide.ReportUnavailable, Skip: decide.SkipFull, Detail: why})
		c.eval.Next()
		c.save()
		return
	}
	defer channel.Release()
	ways, err := c.a.ways(o.Trunk, o.Called.Number.String())
	if err != nil {
		c.report(decide.Report{Kind: decide.ReportUnavailable, Skip: decide.SkipAbsent, Detail: err.Error()})
		c.eval.Next()
		c.save()
		return
	}
	c.out = o.Trunk
	to := ways[0] // as a call would begin; the trail says which server it is
	t := &attempt{c: c, a: c.a, trunk: o.Trunk, to: to, session: sessionWanted(o.Trunk.SIP), early: map[string]*dialog{}}
	t.invite = c.newInvite(o, to, e.description(), "", false)
	c.eval.Sent(to.String())
	c.rec.Legs = append(c.rec.Legs, record.Leg{Trunk: o.Trunk.ID, FarEnd: c.farEnd(o.Trunk), CallID: t.invite.Get("Call-ID"), Remote: to.String(), Step: len(c.eval.Trail()) - 1})
	c.save()
	c.a.Trunks.Count(o.Trunk.ID, func(n *live.CallCounts) { n.Out++ })
	began := time.Now()
	r := t.wait(o.Timers, nil, func(*wire.Message) {})
	if t.answer != nil {
		c.lastLeg().Media = record.ReadMedia(t.answer.Body)
	}
	c.a.Trunks.Offered(o.Trunk.ID, time.Now(), r.Kind == decide.ReportAnswered, time.Since(began))
	if r.Kind == decide.ReportAnswered {
		c.rec.Answered = time.Now()
	}
	c.report(r)
	if r.Kind != decide.ReportAnswered {
		c.eval.Next()
		c.save()
		return
	}
	c.holdStraight(t, e, talk)
}

// holdStraight listens for a while, and hangs up.
func (c *call) holdStraight(t *attempt, e *ear, talk time.Duration) {
	d := t.dialogOf(t.answer)
	d.rename(identity{c.rec.Session, nameOr(t.answer, c.called)})
	c.a.keepDialog(d)
	defer c.a.forgetDialog(d)
	d.on(machine.Answer)
	d.answeredBy(func(body []byte) { t.meetOthers(d, d.ack(t.invite, body)) })
	d.acknowledge(nil)
	c.save()
	how := "the test was over"
	done := time.After(talk)
	for waiting := true; waiting; {
		select {
		case <-done:
			waiting = false
		case g := <-c.ended:
			how, waiting = g.d.hungUp, false
		case q := <-c.requests:
			q.d.on(machine.Done)
			q.t.reply(488, q.d.key.localTag) // the test is over before a change would matter
		case <-c.a.ctx.Done():
			how, waiting = stopped, false
		}
	}
	close(c.over)
	c.release(fmt.Sprintf("%s; %s", how, e.heard()))
	d.end(reasonHeader(cause.NormalClearing))
}

func nameOr(m *wire.Message, otherwise string) string {
	if name := nameIn(m); name != "" {
		return name
	}
	return otherwise
}

// ear takes the audio of a test call and counts it. It sends nothing.
type ear struct {
	conn    *net.UDPConn
	packets atomic.Int64
}

func listen(host string) (*ear, error) {
	conn, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.ParseIP(host)})
	if err != nil {
		return nil, err
	}
	e := &ear{conn: conn}
	go func() {
		b := make([]byte, 2048)
		for {
			if _, err := conn.Read(b); err != nil {
				return
			}
			e.packets.Add(1)
		}
	}()
	return e, nil
}

func (e *ear) close() { e.conn.Close() }

// heard says what came.
func (e *ear) heard() string {
	if n := e.packets.Load(); n > 0 {
		return fmt.Sprintf("%d packets of audio came", n)
	}
	return "no audio came"
}

// description offers both G.711 laws to listen to (RFC 8866, RFC 3551).
func (e *ear) description() []byte {
	at := e.conn.LocalAddr().(*net.UDPAddr) //nolint:forcetypeassert // ListenUDP
	return fmt.Appendf(nil, "v=0\r\no=- 1 1 IN IP4 %[1]s\r\ns=-\r\nc=IN IP4 %[1]s\r\nt=0 0\r\nm=audio %[2]d RTP/AVP 8 0\r\na=rtpmap:8 PCMA/8000\r\na=rtpmap:0 PCMU/8000\r\na=recvonly\r\n", at.IP, at.Port)
}
