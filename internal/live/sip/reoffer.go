package sip

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"time"

	"switchback.example/switchback/internal/core/machine"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// errOver says that the call ended meanwhile.
var errOver = errors.New("the call is over")

// Tries of reoffer where both sides ask at the same time.
const reofferTries = 5

// reoffer gives a side of an answered call a new description (RFC 3261 section 14)
// and returns its answer. Where that side asks for something itself, it waits and
// tries again (section 14.1).
func (c *call) reoffer(d *dialog, body []byte) (answer []byte, err error) {
	for range reofferTries {
		if d.on(machine.WeAsk) == machine.Take {
			res, err := c.reinvite(d, body)
			if err != nil || res.Status != 491 {
				return answerOf(d, res, err)
			}
		}
		select {
		case <-time.After(reofferWait + rand.N(reofferWait)):
		case <-c.over:
			return nil, errOver
		}
	}
	return nil, fmt.Errorf("%s is busy changing the session itself", d.trunk.Name)
}

// reofferWait is the shortest time before the next try, and twice that the longest:
// less than section 14.1 has it, since both requests pass here.
const reofferWait = 500 * time.Millisecond

func answerOf(d *dialog, res *wire.Message, err error) ([]byte, error) {
	switch {
	case err != nil:
		return nil, err
	case res.Status >= 300:
		return nil, fmt.Errorf("%s refused another description: %d %s", d.trunk.Name, res.Status, res.Reason)
	}
	return res.Body, nil
}

// reinvite sends one re-INVITE, and acknowledges its answer.
func (c *call) reinvite(d *dialog, body []byte) (*wire.Message, error) {
	defer d.on(machine.Done)
	req, to := d.request("INVITE")
	req.Add("Contact", c.a.contact(d.trunk, to.by))
	req.Add("Allow", allowedOn(d.trunk))
	req.Add("Supported", supportedOn(d.trunk))
	wanted := sessionWanted(d.trunk.SIP)
	askSession(req, wanted, "")
	setDescription(req, body)
	d.described(body)
	tx := c.a.layer.begin(req, to)
	res := finalOr(tx, c.over)
	if res != nil && (res.Status == 401 || res.Status == 407) {
		if again := d.reprove(tx, res); again != nil {
			tx = again
			res = finalOr(tx, c.over)
		}
	}
	if res == nil {
		return nil, errOver
	}
	if res.Status < 300 {
		again := d.ack(tx.req, nil)
		tx.onSuccess(func(*wire.Message) { again() })
		d.learn(res)
		d.heardSession(res, wanted)
	}
	return res, nil
}
