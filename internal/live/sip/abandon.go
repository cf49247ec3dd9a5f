package sip

import (
	"sync"
	"time"

	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// What becomes of an INVITE that nobody wants any more.

// abandon gives an unanswered INVITE up: it is not repeated any more, and what still comes is met.
// The CANCEL goes as soon as something came back (RFC 3261 section 9.1 forbids it before); an
// answer that crosses it gets its ACK and BYE. One that is never answered is forgotten after 64*T1
// (section 9.1). Stop waits for those of which something was heard.
func (l *leg) abandon() {
	s, tx := l.callee, l.callee.tx
	tx.quiet()
	l.forgetEarly()
	done := func() {}
	if s.alive {
		l.a.work.Begin()
		done = l.a.work.End
	}
	over := sync.OnceFunc(done)
	patience := time.AfterFunc(l.a.ms(machine.B), func() {
		tx.forget()
		over()
	})
	cancel := sync.OnceFunc(func() { l.a.cancelInvite(tx, s.reason) })
	if s.alive {
		cancel()
	}
	drain := func() {
		for res, ended := tx.heard.take(); res != nil || ended; res, ended = tx.heard.take() {
			if !ended && res.Status < 200 {
				cancel()
				continue
			}
			if !ended && res.Status < 300 {
				l.hangUp(res)
			}
			tx.heard.deaf()
			patience.Stop()
			over()
			return
		}
	}
	tx.heard.whenReady(func() { l.h.Post(drain) })
}

// hangUp ends a call that was answered when nobody wanted it any more.
func (l *leg) hangUp(res *wire.Message) {
	d := l.dialogOf(res)
	l.acknowledge(d, l.callee.invite, nil)
	d.end("")
}

// acknowledge acknowledges the 2xx that made a dialog. What other 2xx come is known before: one may
// come behind the ACK at once.
func (l *leg) acknowledge(d *dialog, invite *wire.Message, body []byte) {
	ack := d.ack(invite, body)
	l.meetOthers(d, ack)
	ack()
}

// meetOthers meets every 2xx after the one that made a dialog: the same again gets
// its ACK again; that of another branch is acknowledged and hung up (RFC 3261
// section 13.2.2.4). It is told under the transaction's lock, so what is to be sent
// is sent in the background. Of the call it holds nothing, since it outlives it.
func (l *leg) meetOthers(d *dialog, again func()) {
	tx, tag, alone := l.callee.tx, d.key.remoteTag, &leg{a: l.a, trunk: l.trunk, over: true}
	tx.onSuccess(func(res *wire.Message) {
		if to, err := wire.ReadAddress(res.Get("To")); err == nil && to.Tag() == tag {
			again()
			return
		}
		go func() {
			fork := alone.calleeDialog(tx, res)
			fork.ack(tx.req, nil)()
			fork.end("")
		}()
	})
}

// cancelInvite sends the CANCEL, in a transaction of its own with the INVITE's
// branch.
func (a *Agent) cancelInvite(invite *outbound, reason string) {
	cancel := sameTransaction("CANCEL", invite.req, invite.req.Get("To"))
	if reason != "" {
		cancel.Add("Reason", reason)
	}
	a.layer.start(cancel, invite.to, clientKey{invite.key.branch, "CANCEL"})
}
