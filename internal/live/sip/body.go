package sip

import (
	"switchback.example/switchback/internal/core/media"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// What is carried from one side to the other is what was understood: session descriptions, and
// digits in INFO. Anything else is refused, or passed over where it may be.

// carriedBodies are the types that are carried beside descriptions, by method (for INFO the two
// that phones use for digits: common practice).
var carriedBodies = map[string][]string{"INFO": {"application/dtmf-relay", "application/dtmf"}}

// keepUnderstood leaves of a message's body what was understood.
func keepUnderstood(m *wire.Message) *wire.BodyFault {
	if len(m.Body) == 0 {
		return nil
	}
	c, fault := m.Understand(append([]string{wire.SDP}, carriedBodies[m.Method]...)...)
	if fault == nil && c.Type == m.Get("Content-Type") && !m.Has("Content-Disposition") {
		return nil // as it is
	}
	m.Remove("Content-Disposition")
	if fault != nil || c.Type == "" {
		m.SetBody("", nil)
		return fault
	}
	m.SetBody(c.Type, c.Bytes)
	return nil
}

// refusesBody answers a request whose body cannot be taken.
func (t *inbound) refusesBody(tag string) bool {
	fault := keepUnderstood(t.req)
	if fault == nil {
		if len(t.req.Body) == 0 || t.req.Get("Content-Type") != wire.SDP {
			return false
		}
		if _, err := media.Read(t.req.Body); err != nil {
			t.reply(488, tag, [2]string{"Warning", "399 switchback " + wire.Quote("the description cannot be read: "+err.Error())})
			return true
		}
		return false
	}
	t.reply(fault.Status, tag, append(fault.Fields, [2]string{"Warning", "399 switchback " + wire.Quote(fault.Error())})...)
	return true
}
