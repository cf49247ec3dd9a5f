package live

import (
	"fmt"
	"net/netip"
	"strings"
	"time"
)

// Shown is the certificate that a far end showed when a connection over TLS was made
// to it, or why it was not believed.
type Shown struct {
	At    time.Time
	Names []string
	Until time.Time // when it expires; zero where nothing could be read
	Err   string    // empty if it was believed
}

// ExpiresSoon is how long before its end a certificate is warned of.
const ExpiresSoon = 30 * 24 * time.Hour

// Warning says what is wrong with a certificate, or soon will be; empty if nothing.
func (s Shown) Warning(now time.Time) string {
	switch {
	case s.Err != "":
		return s.Err
	case s.Until.IsZero():
		return ""
	case now.After(s.Until):
		return "its certificate expired on " + s.Until.Format(time.DateOnly) + ": the next connection is refused"
	case now.Add(ExpiresSoon).After(s.Until):
		return "its certificate expires on " + s.Until.Format(time.DateOnly)
	}
	return ""
}

// maxShown bounds the servers whose certificates are remembered.
const maxShown = 1000

// Showed remembers the certificate of a server.
func (t *Trunks) Showed(server netip.AddrPort, s Shown) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if len(t.shown) >= maxShown {
		clear(t.shown)
	}
	t.shown[server] = s
}

// ShownBy is the certificate that a server showed last; ok is false if none did.
func (t *Trunks) ShownBy(server netip.AddrPort) (s Shown, ok bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	s, ok = t.shown[server]
	return s, ok
}

func (f *Facts) chain() Check {
	c := Check{What: "Certificates are believed"}
	switch {
	case f.Trunk.SIP.Transport != "tls":
		c.State, c.Seen = CheckUnneeded, "it is not called over TLS"
	case f.Certificate != "":
		c.State, c.Seen, c.Do = CheckFailed, f.Certificate, "put a certificate for "+f.Switch.ID+" into the folder for certificates"
	case len(f.Shown) > 0:
		f.shown(&c)
	default:
		c.State, c.Seen, c.Do = CheckOpen, "no connection over TLS stood yet", "place a straight test call: its trail says what is wrong with the certificate"
	}
	return c
}

// shown is what the far end's certificates say: the worst of them, else the one that
// expires first.
func (f *Facts) shown(c *Check) {
	first := f.Shown[0]
	for _, s := range f.Shown[1:] {
		if s.Err != "" || first.Err == "" && s.Until.Before(first.Until) {
			first = s
		}
	}
	c.At = when(first.At)
	switch warning := first.Warning(f.Now); {
	case first.Err != "":
		c.State, c.Seen, c.Do = CheckFailed, warning, "compare the name on their certificate with what it shows, and its authority with those that are believed here"
	case warning != "":
		c.State, c.Seen, c.Do = CheckFailed, warning, "let the far end renew it, before its calls end"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("%s, until %s", strings.Join(first.Names, ", "), first.Until.Format(time.DateOnly))
	}
}
