package sip

import (
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// wait is try for an attempt that no caller waits for: it ends by what comes back, by
// a timer, or when gone is closed. What comes before the end is told.
func (t *attempt) wait(timers plan.Timers, gone <-chan struct{}, told func(*wire.Message)) decide.Report {
	t.tx = t.a.layer.begin(t.invite, t.to.hop)
	sent := time.Now()
	timer := time.NewTimer(millis(timers.NoResponse))
	defer timer.Stop()
	for {
		select {
		case <-t.tx.heard.ready:
			for res, over := t.tx.heard.take(); res != nil || over; res, over = t.tx.heard.take() {
				if over {
					return t.ended()
				}
				t.alive = true
				switch {
				case res.Status < 200:
					t.ringing = t.ringing || res.Status > 100
					told(res)
				case res.Status < 300:
					t.answer = res
					return decide.Report{Kind: trail.ReportAnswered, Progress: t.ringing}
				case t.c.again(t, res):
				default:
					return t.refused(res)
				}
			}
			if t.ringing {
				timer.Reset(millis(timers.Unanswered))
			} else {
				timer.Reset(time.Until(sent.Add(millis(timers.OnlyTrying))))
			}
		case <-timer.C:
			t.abandon()
			return decide.Report{Kind: t.timeout(), Progress: t.ringing}
		case <-gone:
			return t.givenUp()
		case <-t.a.ctx.Done():
			return t.givenUp()
		}
	}
}
