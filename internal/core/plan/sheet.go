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
	s.line("# %s: what the other side needs", t.Name)
	s.line("")
	s.line("Written from our side: *we* is switch %s.", s.sw.Name)
	link := t.Link.Signalling().sheet(&s)
	s.head("Addresses")
	s.lines(link.addresses)
	s.line("- At most %d calls at one time, both directions together", t.Channels)
	s.head("Who is who")
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
			return "as they are"
		}
		return form
	}
	s.line("| | called | caller |")
	s.line("|---|---|---|")
	s.line("| you to us | %s | %s |", or(string(s.t.In.CalledFormat)), or(string(s.t.In.CallerFormat)))
	called, caller := s.t.Out.Called, s.t.Out.Caller
	s.line("| we to you, numbers of our country | %s | %s |", or(string(called.Domestic)), or(string(caller.Domestic)))
	s.line("| we to you, others | %s | %s |", or(string(called.International)), or(string(caller.International)))
	s.line("\nWe read the called number from %s.", calledFrom)
}

func (s *sheet) sound() {
	s.head("Sound")
	m := s.t.Media
	codecs := "any that both sides know"
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
		s.line("- Keys as telephone events (RFC 4733)")
	}
	if m.Encrypts() {
		s.line("- Encrypted: SRTP with keys in the descriptions (RFC 4568), AES_CM_128_HMAC_SHA1_80")
	}
	if m.Direct() {
		s.line("- Sound goes past us, directly between the two ends")
	}
}

// ports lists what must be open between the two sides.
func (s *sheet) ports(link signallingSheet) {
	s.head("Ports to open")
	s.line("| from | to | |")
	s.line("|---|---|---|")
	s.lines(link.ports)
	if len(link.forwards) > 0 {
		s.head("Ports that our translator of addresses forwards")
		s.lines(link.forwards)
	}
}
