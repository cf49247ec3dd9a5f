package sip

import (
	"context"
	"net"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/machine"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/trail"
)

// setHours does what a dialled code says of a calendar, and answers the caller with a
// tone; one who cannot hear it is refused with cause 16, and it is done all the same.
func (c *call) setHours(set trail.HoursSet) {
	if c.a.Overrides == nil {
		c.refuse()
		return
	}
	now := time.Now()
	o := standing.Override{Hours: set.Hours.ID, State: set.State, Since: now, By: c.whoCalled(), Why: "dialled " + c.dialled()}
	if set.Minutes > 0 {
		o.Until = now.Add(time.Duration(set.Minutes) * time.Minute)
	}
	c.a.Overrides.Set(o)
	beeps := beepsSet
	if set.State == "" {
		beeps = beepsBack
	}
	c.answerByTone(beeps)
}

// whoCalled names who called: the number, and by which trunk.
func (c *call) whoCalled() string {
	who, _ := telephone(c.from.URI)
	if who == "" {
		who = "a phone"
	}
	return who + " by " + c.trunk.Name
}

func (c *call) dialled() string {
	text, _, _ := calledIn(c.tx.req, c.trunk.SIP.CalledField)
	return text
}

// answerByTone answers the call itself, plays beeps and hangs up.
func (c *call) answerByTone(beeps [][2]int) {
	c.endSound()
	conn, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.ParseIP(c.a.host)})
	if err != nil {
		c.tx.reply(480, c.tag, [2]string{"Reason", reasonHeader(cause.NormalClearing)})
		return
	}
	defer conn.Close()
	answer, ok := answerWithTone(c.tx.req.Body, conn.LocalAddr().(*net.UDPAddr).AddrPort()) //nolint:forcetypeassert // ListenUDP
	if !ok {
		c.save()
		c.tx.reply(480, c.tag, [2]string{"Reason", reasonHeader(cause.NormalClearing)})
		return
	}
	c.rec.Answered = time.Now()
	c.save()
	c.a.keepDialog(c.caller)
	c.caller.on(machine.Answer)
	res := c.accepted(c.tx, c.caller, nil)
	res.SetBody("application/sdp", answer.body)
	acked := make(chan bool, 1)
	go func() {
		_, ok := c.answer(c.tx, res, c.caller)
		acked <- ok
	}()
	playing, stop := context.WithCancel(c.a.ctx)
	defer stop()
	played := make(chan struct{})
	how := "the switch had said its tone"
	for waiting := true; waiting; {
		select {
		case ok := <-acked:
			if !ok {
				how, waiting = neverAcked, false
				continue
			}
			go func() {
				playTone(playing, conn, answer, beeps)
				close(played)
			}()
		case <-played:
			waiting = false
		case g := <-c.ended:
			how, waiting = g.d.hungUp, false
		case q := <-c.requests:
			q.d.on(machine.Done)
			q.t.reply(488, q.d.key.localTag) // it is over before a change would matter
		case <-c.faults:
		case <-c.a.ctx.Done():
			how, waiting = stopped, false
		}
	}
	close(c.over)
	c.release(how)
	c.caller.end(reasonHeader(cause.NormalClearing))
}
