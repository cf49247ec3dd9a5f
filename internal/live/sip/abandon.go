package sip

import (
	"time"

	wire "switchback.example/switchback/internal/core/wire/sip"
)

// What becomes of an INVITE that nobody wants any more.

// abandon gives an unanswered INVITE up: it is not repeated any more, and what
// still comes is met in the background. Stop waits for those of which something
// was heard.
func (t *attempt) abandon() {
	t.tx.quiet()
	if t.alive {
		t.a.work.begin()
	}
	go func(alive bool) {
		if alive {
			defer t.a.work.end()
		}
		t.drain(alive)
	}(t.alive)
}

// drain sends the CANCEL, as soon as something came back (RFC 3261 section 9.1
// forbids it before), and waits for the end of the INVITE. An answer that crossed
// the CANCEL gets its ACK and BYE.
func (t *attempt) drain(alive bool) {
	cancelled := false
	cancel := func() {
		if !cancelled {
			cancelled = true
			t.a.cancelInvite(t.tx, t.reason)
		}
	}
	if alive {
		cancel()
	}
	patience := time.NewTimer(byePatience)
	defer patience.Stop()
	for {
		select {
		case <-t.tx.heard.ready:
		case <-patience.C:
			return
		}
		for res, over := t.tx.heard.take(); res != nil || over; res, over = t.tx.heard.take() {
			switch {
			case over:
				return
			case res.Status < 200:
				cancel()
			case res.Status < 300:
				t.hangUp(res)
				return
			default:
				return
			}
		}
	}
}

// byePatience bounds how long a leg that nobody wants any more is looked after:
// 64*T1.
const byePatience = 32 * time.Second

// hangUp ends a call that was answered when nobody wanted it any more, and every
// further answer of a fork.
func (t *attempt) hangUp(res *wire.Message) {
	if t.picked != nil {
		t.picked.refuse(487, "the caller is gone")
		return
	}
	d := t.dialogOf(res)
	t.meetOthers(d, d.ack(t.invite, nil))
	d.end("")
}

// meetOthers meets every 2xx after the one that made a dialog: the same again gets
// its ACK again; that of another branch is acknowledged and hung up (RFC 3261
// section 13.2.2.4). It is told under the transaction's lock, so what is to be sent
// is sent in the background. Of the call it holds nothing, since it outlives it.
func (t *attempt) meetOthers(d *dialog, again func()) {
	tx, tag, trunk, alone := t.tx, d.key.remoteTag, t.trunk, &call{a: t.a}
	tx.onSuccess(func(res *wire.Message) {
		if to, err := wire.ReadAddress(res.Get("To")); err == nil && to.Tag() == tag {
			again()
			return
		}
		go func() {
			fork := alone.calleeDialog(trunk, tx, res)
			fork.ack(tx.req, nil)
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
