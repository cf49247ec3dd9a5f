package sip_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live/sip"
	"switchback.example/switchback/internal/livetest"
)

func number(t *testing.T, text string) digits.Number {
	n, err := digits.ParseNumber(text)
	require.NoError(t, err)
	return n
}

func sketches(t *testing.T, sw plan.Switch, trunk plan.Trunk) map[string]string {
	o, steps, ok, problems := decide.LeavesAs(sw, trunk, number(t, "+441914980850"), number(t, "+441914980101"))
	require.Empty(t, problems)
	require.True(t, ok, trail.Text(steps))
	list, err := sip.Preview(sw, trunk, o)
	require.NoError(t, err)
	out := map[string]string{}
	for _, s := range list {
		out[s.Name] = s.Text
	}
	return out
}

// lines are the header lines of a message, without what is another each time.
func lines(text string) (out []string) {
	head, _, _ := strings.Cut(text, "\r\n\r\n")
	for _, line := range strings.Split(head, "\r\n") {
		name, _, _ := strings.Cut(line, ":")
		switch name {
		case "Via", "Call-ID", "Session-ID", "Content-Length", "Max-Forwards":
		default:
			line, _, _ = strings.Cut(line, ";tag=")
			out = append(out, line)
		}
	}
	return out
}

// What is shown of a trunk's settings is what is sent by it.
func TestASketchIsWhatIsSent(t *testing.T) {
	f := ostrelNumbers(t, func(s *plan.SIP) {
		s.NumberURI, s.SendTrunkGroup, s.SendTrunkContext, s.PublicAddress = plan.NumbersUserPhone, "tg-7", "skerry-line.example", "127.1.99.9"
	})
	p := f.Plan.Current().Snapshot.Plan()
	shown := sketches(t, p.Switches[0], *trunkOf(&p, "ostrel"))
	f.phones.Send(request("INVITE", "901914980850", "s1", "", "s1", offer))
	sent := f.ostrel.Expect("INVITE")
	assert.Equal(t, lines(sent.Text), lines(shown["INVITE"]))
	assert.NotRegexp(t, "[1-9a-f][0-9a-f]{23}", shown["INVITE"], "nothing is another each time")
	assert.Equal(t, shown, sketches(t, p.Switches[0], *trunkOf(&p, "ostrel")))
}

func TestSketchesFollowTheSettings(t *testing.T) {
	f := livetest.Whole(t)
	sw := f.Switches[0]
	penhallow := sketches(t, sw, *trunkOf(&f, "penhallow"))
	assert.Contains(t, penhallow["INVITE"], "INVITE sip:01914980850@penhallow.example SIP/2.0")
	assert.Contains(t, penhallow["REGISTER"], "Expires: 120\r\n")
	assert.Contains(t, penhallow["200 OK"], "SIP/2.0 200 OK\r\n")
	deskline := sketches(t, sw, *trunkOf(&f, "deskline"))
	assert.Contains(t, deskline["INVITE"], "RTP/SAVP 8 0 9 18 101\r\n", "comfort noise is removed")
	assert.Contains(t, deskline["INVITE"], "inline:…")
	assert.Contains(t, deskline["OPTIONS"], "Via: SIP/2.0/TLS ")
	assert.NotContains(t, deskline, "REGISTER")
	phones := sketches(t, sw, *trunkOf(&f, "quay-phones"))
	assert.Contains(t, phones["INVITE"], "where-it-registered")
	assert.Contains(t, phones["200 OK"], "REFER")

	bad := *trunkOf(&f, "ostrel")
	bad.Link = bad.Link.Clone()
	bad.Link.SIP.RemoteAddress = "nowhere"
	_, _, _, problems := decide.LeavesAs(sw, bad, number(t, "+441914980850"), number(t, "+441914980101"))
	assert.NotEmpty(t, problems)
	refusing := *trunkOf(&f, "ostrel")
	refusing.Out.Called.Domestic = plan.Refuse
	_, steps, ok, _ := decide.LeavesAs(sw, refusing, number(t, "+441914980850"), number(t, "+441914980101"))
	assert.False(t, ok)
	assert.Contains(t, trail.Text(steps), "no domestic number as called number")
}
