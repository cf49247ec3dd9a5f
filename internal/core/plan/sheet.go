package plan

import (
	"fmt"
	"strings"
)

// Sheet is what the other side of a trunk must enter, as text to hand over: our
// addresses and ports, who registers with which user, where calls come from and go
// to, and the forms of numbers. Secrets are not in it.
func (p Plan) Sheet(trunk string) (text string, ok bool) {
	x := NewIndex(p)
	t := x.Trunks[trunk]
	if t == nil || x.Switches[t.Switch] == nil {
		return "", false
	}
	s := sheet{t: *t, sw: *x.Switches[t.Switch]}
	s.line("# Interconnect sheet: %s", t.Name)
	s.line("")
	s.line("Settings for the far end of this trunk of switch %s.", s.sw.Name)
	link := t.Link.Signalling().sheet(&s)
	s.head("Addresses")
	s.lines(link.addresses)
	s.line("- Channels: %d, both directions together", t.Channels)
	s.head("Registration and authentication")
	s.lines(link.identification)
	s.numbers(link.calledFrom)
	s.sound()
	s.ports(link)
	return s.out.String(), true
}

type sheet struct {
	t   Trunk
	sw  Switch
	out strings.Builder
}

func (s *sheet) line(format string, args ...any) { fmt.Fprintf(&s.out, format+"\n", args...) }

func (s *sheet) lines(list []string) {
	for _, line := range list {
		s.line("%s", line)
	}
}

func (s *sheet) head(title string) { s.line("\n## %s\n", title) }

func (s *sheet) numbers(calledFrom string) {
	s.head("Numbers")
	or := func(form string) string {
		if form == "" {
			return "unchanged"
		}
		return form
	}
	s.line("| | called | calling |")
	s.line("|---|---|---|")
	s.line("| far end to switch | %s | %s |", or(string(s.t.In.CalledFormat)), or(string(s.t.In.CallerFormat)))
	called, caller := s.t.Out.Called, s.t.Out.Caller
	s.line("| switch to far end, domestic | %s | %s |", or(string(called.Domestic)), or(string(caller.Domestic)))
	s.line("| switch to far end, international | %s | %s |", or(string(called.International)), or(string(caller.International)))
	s.line("\nCalled number from: %s", calledFrom)
}

func (s *sheet) sound() {
	s.head("Media")
	m := s.t.Media
	codecs := "any"
	if len(m.Codecs) > 0 {
		codecs = strings.Join(m.Codecs, ", ")
	}
	s.line("- Codecs: %s", codecs)
	if m.PtimeMs > 0 {
		s.line("- Packet time: %d ms", m.PtimeMs)
	}
	if m.ComfortNoise == MediaRemove {
		s.line("- No comfort noise (RFC 3389)")
	}
	if m.TelephoneEvents != MediaRemove {
		s.line("- DTMF as telephone events (RFC 4733)")
	}
	if m.Encrypts() {
		s.line("- SRTP with SDP security descriptions (RFC 4568), AES_CM_128_HMAC_SHA1_80")
	}
	if m.Direct() {
		s.line("- Direct media between the two ends")
	}
}

// ports lists what must be open between the two sides.
func (s *sheet) ports(link signallingSheet) {
	s.head("Firewall")
	s.line("| from | to | |")
	s.line("|---|---|---|")
	s.lines(link.ports)
	if len(link.forwards) > 0 {
		s.head("NAT port forwarding at the switch")
		s.lines(link.forwards)
	}
}
