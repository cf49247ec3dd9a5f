package sip

import (
	"strings"

	wire "switchback.example/switchback/internal/core/wire/sip"
)

// notices tell who sent a call on how that goes, in the subscription that its REFER
// made (RFC 3515 section 2.4.4): one after the other, since their order matters.
type notices struct {
	d     *dialog
	id    string // of the REFER, from the second in a dialog on
	queue chan notice
	gone  chan struct{} // closed when nobody wants to be told any more
	done  chan struct{} // closed after the last
	told  bool          // the last was queued
}

type notice struct {
	status string
	last   bool
}

// newNotices begins to tell; nobody is told who does not want to be (RFC 4488).
func newNotices(d *dialog, refer *wire.Message) *notices {
	n := &notices{d: d, queue: make(chan notice, 8), gone: make(chan struct{}), done: make(chan struct{})}
	d.mu.Lock()
	d.refers++
	if d.refers > 1 {
		cseq, _ := wire.ReadCSeq(refer.Get("CSeq")) // verified
		n.id = itoa(int(cseq.Number))
	}
	d.mu.Unlock()
	silent := strings.EqualFold(strings.TrimSpace(refer.Get("Refer-Sub")), "false")
	go n.run(silent)
	return n
}

// tell queues a status; one that comes before the last may be left out.
func (n *notices) tell(status string, last bool) {
	if last {
		n.told = true
		n.queue <- notice{status, true}
		return
	}
	if len(n.queue) < cap(n.queue)-1 { // room for the last
		n.queue <- notice{status, false}
	}
}

// giveUp tells nothing any more: the call is over before the transfer is.
func (n *notices) giveUp() { close(n.gone) }

// wait waits until the last was told, or cannot be.
func (n *notices) wait() { <-n.done }

func (n *notices) run(silent bool) {
	defer close(n.done)
	for {
		select {
		case one := <-n.queue:
			if !silent {
				n.send(one)
			}
			if one.last {
				return
			}
		case <-n.gone:
			return
		case <-n.d.a.ctx.Done():
			return
		}
	}
}

func (n *notices) send(one notice) {
	req, to := n.d.request("NOTIFY")
	event, state := "refer", "active;expires=180"
	if n.id != "" {
		event += ";id=" + n.id
	}
	if one.last {
		state = "terminated;reason=noresource"
	}
	req.Add("Event", event)
	req.Add("Subscription-State", state)
	req.Add("Contact", n.d.a.contact(n.d.trunk, to.by))
	req.SetBody("message/sipfrag;version=2.0", []byte("SIP/2.0 "+one.status+"\r\n"))
	n.d.proven(n.d.a.layer.begin(req, to))
}
