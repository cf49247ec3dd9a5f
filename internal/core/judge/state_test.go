package judge

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
)

// What is told of a trunk is what its engineer must look at first: what people did, what the
// switch itself did, what fails, and only then what is proved.
func TestTheFirstThingToLookAtIsTold(t *testing.T) {
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	registered := map[string][]standing.Binding{"quay": {{Source: "127.0.20.1:5060", Refreshed: now, Until: now.Add(time.Minute)}}}
	they := func(s *Seen) {
		s.Trunk.Link.SIP.Registration, s.Trunk.Link.SIP.InboundAccounts = plan.RegistrationInbound, []plan.Account{{ID: "quay", User: "quay-phones"}}
	}
	we := func(s *Seen) {
		s.Trunk.Link.SIP.Registration, s.Trunk.Link.SIP.OutboundAccounts = plan.RegistrationOutbound, []plan.Account{{ID: "main", User: "skerry-line"}}
	}
	blocked := func(s *Seen) {
		s.Blocked = &guard.Block{Source: "127.0.20.0/24", Why: "scans", Until: now.Add(time.Hour)}
	}
	held := func(s *Seen) {
		s.State.Held = Hold{Until: now.Add(time.Minute), Why: "no response to the last 3 calls"}
	}
	missed := func(s *Seen) {
		s.State.Watch = Watch{Asked: now, Misses: MissesUntilDown, Evidence: "no answer to OPTIONS within 2s"}
	}
	answers := func(s *Seen) { s.State.Watch = Watch{Asked: now, Answers: true, Evidence: "200 OK"} }
	unproven := func(s *Seen) { s.State.Unproven = Refusals{Count: 1, Last: now, Why: "403 Forbidden"} }
	off := func(s *Seen) {
		s.State.Service = standing.Service{Word: standing.Off, Why: "works on the line", By: "engineer"}
	}
	for what, c := range map[string]struct {
		seen  []func(*Seen)
		word  standing.Word
		cause string
	}{
		"out of service before all else": {[]func(*Seen){off, blocked, held, missed}, standing.Off, "works on the line"},
		"blocked by us":                  {[]func(*Seen){blocked, held, missed, unproven}, standing.Failing, "the switch blocks 127.0.20.0/24"},
		"passed over":                    {[]func(*Seen){held, missed, unproven}, standing.Failing, "no response"},
		"no answer to OPTIONS":           {[]func(*Seen){missed, unproven}, standing.Failing, "OPTIONS not answered"},
		"it does not take our secret":    {[]func(*Seen){answers, unproven}, standing.Failing, "rejects the switch's credentials"},
		"nobody registered":              {[]func(*Seen){they, answers}, standing.Failing, "no inbound registration"},
		"we refuse its registration": {[]func(*Seen){they, func(s *Seen) { s.State.Refused = Refusals{Count: 2, Last: now, Why: "wrong secret"} }},
			standing.Failing, "rejects its registration: wrong secret"},
		"registered":         {[]func(*Seen){they, answers, func(s *Seen) { s.Inbound = registered }}, standing.Registered, "inbound registration"},
		"ours is on its way": {[]func(*Seen){we}, standing.Unproven, "REGISTER sent"},
		"ours holds": {[]func(*Seen){we, func(s *Seen) {
			s.Outbound = map[string]standing.OurRegistration{"main": {State: standing.OurRegistered, Until: now.Add(time.Minute)}}
		}}, standing.Registered, "outbound registration"},
		"ours was refused": {[]func(*Seen){we, func(s *Seen) {
			s.Outbound = map[string]standing.OurRegistration{"main": {State: standing.OurRefused, Evidence: "403 Forbidden"}}
		}}, standing.Failing, "outbound registration failed"},
		"it answers":   {[]func(*Seen){answers}, standing.Answers, "OPTIONS answered"},
		"only seen":    {[]func(*Seen){func(s *Seen) { s.State.LastSeen, s.State.LastWhat = now, "INVITE" }}, standing.SeenOnly, "traffic"},
		"nothing seen": {nil, standing.Unproven, "no traffic yet"},
	} {
		t.Run(what, func(t *testing.T) {
			seen := Seen{Trunk: plan.Trunk{Link: plan.Link{SIP: &plan.SIP{}}}}
			for _, add := range c.seen {
				add(&seen)
			}
			got := Judge(seen, now)
			assert.Equal(t, c.word, got.Word)
			assert.Contains(t, got.Cause, c.cause)
			assert.NotEmpty(t, got.Evidence)
		})
	}
}
