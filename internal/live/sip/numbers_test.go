package sip_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
)

func ostrelNumbers(t *testing.T, change func(s *plan.SIP)) flow {
	return start(t, func(p *plan.Plan) {
		for i := range p.Trunks {
			if p.Trunks[i].ID == "ostrel" {
				change(p.Trunks[i].Link.SIP)
			}
		}
	})
}

func refuse(f flow) (start, to, from string) {
	invite := f.ostrel.Expect("INVITE")
	f.ostrel.Send(invite.Reply("486 Busy Here", "b", ""))
	f.phones.Expect("SIP/2.0 486")
	from, _, _ = strings.Cut(invite.Header("From"), ";tag=")
	return invite.StartLine, invite.Header("To"), from
}

func TestNumbersAreWrittenAsTheTrunkWants(t *testing.T) {
	for name, c := range map[string]struct {
		change          func(s *plan.SIP)
		start, to, from string
	}{
		"user=phone (RFC 3261 section 19.1.1)": {
			func(s *plan.SIP) { s.NumberURI = plan.NumbersUserPhone },
			"INVITE sip:+441914980850@127.1.30.1:5060;user=phone SIP/2.0", "<sip:+441914980850@127.1.30.1:5060;user=phone>", "<sip:+441914980101@127.1.10.1:5060;user=phone>",
		},
		"tel (RFC 3966)": {
			func(s *plan.SIP) { s.NumberURI = plan.NumbersTel },
			"INVITE tel:+441914980850 SIP/2.0", "<tel:+441914980850>", "<tel:+441914980101>",
		},
		"trunk group (RFC 4904 section 4)": {
			func(s *plan.SIP) { s.SendTrunkGroup, s.SendTrunkContext = "tg-7", "skerry-line.example" },
			"INVITE sip:+441914980850;tgrp=tg-7;trunk-context=skerry-line.example@127.1.30.1:5060 SIP/2.0", "<sip:+441914980850;tgrp=tg-7;trunk-context=skerry-line.example@127.1.30.1:5060>", "<sip:+441914980101@127.1.10.1:5060>",
		},
	} {
		t.Run(name, func(t *testing.T) {
			f := ostrelNumbers(t, c.change)
			f.phones.Send(request("INVITE", "901914980850", "w1", "", "w1", offer))
			start, to, from := refuse(f)
			assert.Equal(t, c.start, start)
			assert.Equal(t, c.to, to)
			assert.Equal(t, c.from, from)
		})
	}
}

// A local number in a tel URI says where it is to be understood (RFC 3966 section
// 5.1.5).
func TestALocalNumberHasItsContext(t *testing.T) {
	f := ostrelNumbers(t, func(s *plan.SIP) { s.NumberURI = plan.NumbersTel })
	f.phones.Send(request("INVITE", "999", "w2", "", "w2", offer)) // emergency numbers are never converted
	invite := f.ostrel.Expect("INVITE")
	assert.Equal(t, "INVITE tel:999;phone-context=127.1.30.1 SIP/2.0", invite.StartLine)
	f.ostrel.Send(invite.Reply("486 Busy Here", "b", ""))
	f.penhallow.Send(f.penhallow.Expect("INVITE").Reply("486 Busy Here", "b", "")) // an emergency call goes on
	f.phones.Expect("SIP/2.0 486")
}

// received are the numbers of a call as they came in, once it has a record.
func received(t *testing.T, f flow, id string) (called, caller string) {
	require.Eventually(t, func() bool { return len(f.call(id).Trail) > 0 }, 5*time.Second, 10*time.Millisecond)
	for _, s := range f.call(id).Trail {
		if s.Received != nil {
			return s.Received.Called.Number.String(), s.Received.Caller.Number.String()
		}
	}
	return "", ""
}

func TestNumbersAreReadWhereTheTrunkSays(t *testing.T) {
	f := ostrelNumbers(t, func(s *plan.SIP) { s.CalledField = plan.CalledInTo })
	text := strings.Replace(fromOstrel("switchboard", "w3"), "To: <sip:switchboard@", "To: <sip:+441914980105@", 1)
	f.ostrel.Send(text)
	f.ostrel.Expect("SIP/2.0 100")
	f.phones.Send(f.phones.Expect("INVITE").Reply("486 Busy Here", "b", ""))
	f.ostrel.Expect("SIP/2.0 486")
	called, _ := received(t, f, "w3")
	assert.Equal(t, "+441914980105", called)
}

func TestATelURIComesIn(t *testing.T) {
	f := ostrelNumbers(t, func(*plan.SIP) {})
	text := strings.Replace(fromOstrel("+441914980105", "w4"), "INVITE sip:+441914980105@127.1.10.1:5060", "INVITE tel:+44-191-498-0105", 1)
	text = strings.Replace(text, "From: <sip:+441914980777@127.1.30.1>", "From: <tel:+44(191)498-0777>", 1)
	f.ostrel.Send(text)
	f.ostrel.Expect("SIP/2.0 100")
	f.phones.Send(f.phones.Expect("INVITE").Reply("486 Busy Here", "b", ""))
	f.ostrel.Expect("SIP/2.0 486")
	called, caller := received(t, f, "w4")
	assert.Equal(t, "+441914980105", called, "visual separators are dropped (RFC 3966 section 5.1.1)")
	assert.Equal(t, "+441914980777", caller)
}
