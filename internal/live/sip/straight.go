package sip

import (
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
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
	c, err := a.newTest(run, record.Leg{CallID: "straight-" + newID()}, talk)
	if err != nil {
		return "", err
	}
	c.eval, _ = run.Snapshot.BeginStraight(trunk, called, caller) // it was just found there
	c.begin(c.straight)
	return c.rec.ID, nil
}

// test is a call that begins in the switch, with nobody on its own side but a tone and an
// ear.
type test struct {
	*call
	ear  *ear
	talk time.Duration
	gone chan struct{} // closed when nobody wants it any more
	give func()        // closes it
}

// MaxTests bounds the test calls of a switch that run at one time.
const MaxTests = 4

// ErrTooManyTests says that as many test calls run as may.
var ErrTooManyTests = fmt.Errorf("%d test calls run already on this switch; wait until one is over", MaxTests)

// newTest is a test call with the leg on which it begins.
func (a *Agent) newTest(run *live.Running, leg record.Leg, talk time.Duration) (*test, error) {
	if a.tests.Add(1) > MaxTests {
		a.tests.Add(-1)
		return nil, ErrTooManyTests
	}
	ear, err := listen(a.host)
	if err != nil {
		a.tests.Add(-1)
		return nil, fmt.Errorf("no port for the audio of the test call: %w", err)
	}
	c := &call{
		a: a, run: run, hops: defaultHops, called: newName(), requests: make(chan asked, 8),
		ended: make(chan goodbye, MaxForks+2), faults: make(chan string, 1), over: make(chan struct{}),
	}
	c.rec = record.Call{ID: newID(), Session: newName(), Switch: a.Switch, Revision: run.Revision, Started: time.Now(), Legs: []record.Leg{leg}}
	t := &test{call: c, ear: ear, talk: min(talk, MaxTestTalk), gone: make(chan struct{})}
	t.give = sync.OnceFunc(func() { close(t.gone) })
	return t, nil
}

// begin runs the call by itself.
func (c *test) begin(run func()) {
	c.save()
	c.a.work.begin()
	go func() {
		defer c.a.work.end()
		defer c.a.tests.Add(-1)
		defer c.ear.close()
		run()
	}()
}

// straight tries the one trunk, and holds the call if it is answered.
func (c *test) straight() {
	o, _ := c.eval.Next() // a straight call is always offered
	channel, why, ok := c.a.Trunks.Reserve(o.Trunk, live.Want{Out: true, Emergency: o.Emergency})
	if !ok {
		c.report(decide.Report{Kind: trail.ReportUnavailable, Skip: trail.SkipFull, Detail: why})
		c.eval.Next()
		c.save()
		return
	}
	defer channel.Release()
	ways, err := c.a.ways(o.Trunk, o.Called.Number.String())
	if err != nil {
		c.report(decide.Report{Kind: trail.ReportUnavailable, Skip: trail.SkipAbsent, Detail: err.Error()})
		c.eval.Next()
		c.save()
		return
	}
	c.a.Trunks.Count(o.Trunk.ID, func(n *judge.CallCounts) { n.Out++ })
	t, r := c.send(o, ways[0]) // as a call would begin; the trail says which server it is
	c.report(r)
	if r.Kind != trail.ReportAnswered {
		c.eval.Next()
		c.save()
		return
	}
	c.hold(t)
}

// send sends the call to one server of a trunk, and says what came of it.
func (c *test) send(o decide.Offer, to way) (*attempt, decide.Report) {
	c.out = o.Trunk
	t := &attempt{c: c.call, a: c.a, trunk: o.Trunk, to: to, session: sessionWanted(o.Trunk.SIP), early: map[string]*dialog{}}
	t.invite = c.newInvite(o, to, c.ear.description(), "", false)
	c.eval.Sent(to.String())
	c.rec.Legs = append(c.rec.Legs, record.Leg{Trunk: o.Trunk.ID, FarEnd: c.farEnd(o.Trunk), CallID: t.invite.Get("Call-ID"), Remote: to.String(), Step: len(c.eval.Trail()) - 1})
	c.save()
	began := time.Now()
	r := t.wait(o.Timers, c.gone, func(*wire.Message) { c.lastLeg().Rang = true })
	if t.answer != nil {
		c.lastLeg().Media = record.ReadMedia(t.answer.Body)
	}
	c.a.Trunks.Offered(o.Trunk.ID, time.Now(), r.Kind == trail.ReportAnswered, time.Since(began))
	if r.Kind == trail.ReportAnswered {
		c.rec.Answered = time.Now()
	}
	return t, r
}

// hold plays a tone and listens for a while, and hangs up.
func (c *test) hold(t *attempt) {
	d := t.dialogOf(t.answer)
	d.rename(identity{c.rec.Session, nameOr(t.answer, c.called)})
	c.a.keepDialog(d)
	defer c.a.forgetDialog(d)
	d.on(machine.Answer)
	d.answeredBy(func(body []byte) { t.meetOthers(d, d.ack(t.invite, body)) })
	d.acknowledge(nil)
	c.save()
	playing, stop := context.WithCancel(c.a.ctx)
	played := c.ear.play(playing, t.answer.Body)
	how := "the test was over"
	done := time.After(c.talk)
	for waiting := true; waiting; {
		select {
		case <-done:
			waiting = false
		case g := <-c.ended:
			how, waiting = g.d.hungUp, false
		case q := <-c.requests:
			q.d.on(machine.Done)
			q.t.reply(488, q.d.key.localTag) // the test is over before a change would matter
		case <-c.gone:
			how, waiting = "the test was ended", false
		case <-c.a.ctx.Done():
			how, waiting = stopped, false
		}
	}
	stop()
	close(c.over)
	leg := c.lastLeg() // made anew: records that were handed on share the older ones
	if leg.Media != nil {
		heard := *leg.Media
		heard.Heard = &record.Reception{Packets: c.ear.packets.Load()}
		leg.Media = &heard
	}
	c.release(fmt.Sprintf("%s; %s; %s", how, c.ear.heard(), <-played))
	d.end(reasonHeader(cause.NormalClearing))
}

func nameOr(m *wire.Message, otherwise string) string {
	if name := nameIn(m); name != "" {
		return name
	}
	return otherwise
}
