package plan

import (
	"net/netip"
	"strings"
)

// Media says how the sound of a trunk's calls goes.
type Media struct {
	// Way is through the switch (the default), which hears and counts what each
	// side sends, or direct from one side to the other, where neither can be
	// heard, converted or shielded. A call goes direct if either of its trunks
	// says so.
	Path string `json:"path,omitempty" enum:"through,direct"`
	// Codecs are the encodings that the far end may be offered and may offer,
	// best first, such as PCMA or G729; empty lets all pass. A call of which no
	// codec is left is refused with 488, cause 65.
	Codecs []string `json:"codecs,omitempty" maxItems:"20"`
	// PacketMS is the packet time that is asked for, in milliseconds; 0 leaves
	// what the other side asks for.
	PtimeMs int `json:"ptimeMs,omitempty" minimum:"0" maximum:"200"`
	// ComfortNoise (RFC 3389) and Keys (telephone events, RFC 4733) pass, or are
	// removed from what is offered and answered.
	ComfortNoise    string `json:"comfortNoise,omitempty" enum:"pass,remove"`
	TelephoneEvents string `json:"telephoneEvents,omitempty" enum:"pass,remove"`
	// Encryption has the sound between the far end and the switch encrypted by SRTP
	// (RFC 3711), with keys in the descriptions (RFC 4568), whatever the other side of
	// a call does: such calls go through the switch. What is not encrypted is refused
	// with 488. Empty: as both sides agree.
	Encryption string `json:"encryption,omitempty" enum:"srtp"`
}

// The values of Media.
const (
	MediaThrough = "through"
	MediaDirect  = "direct"
	MediaPass    = "pass"
	MediaRemove  = "remove"
	MediaSRTP    = "srtp"
)

// Encrypts tells whether the sound is encrypted between the far end and us.
func (m Media) Encrypts() bool { return m.Encryption == MediaSRTP }

// Direct tells whether the sound goes past the switch.
func (m Media) Direct() bool { return m.Path == MediaDirect }

// LetsAllPass tells whether nothing is taken out of a description, or asked for.
func (m Media) LetsAllPass() bool {
	return len(m.Codecs) == 0 && m.PtimeMs == 0 && m.ComfortNoise != MediaRemove && m.TelephoneEvents != MediaRemove && !m.Encrypts()
}

// MediaPorts are the UDP ports of a switch for sound; each call through it takes
// four.
type MediaPorts struct {
	// Address is where the ports are; empty is the address of SIP.
	Address string `json:"address,omitempty"`
	// First and Last bound the ports; 0 is 20000 to 29999.
	FirstPort int `json:"firstPort,omitempty" minimum:"0" maximum:"65535"`
	LastPort  int `json:"lastPort,omitempty" minimum:"0" maximum:"65535"`
}

// Defaults of MediaPorts, and how many ports a call takes.
const (
	DefaultFirstPort = 20_000
	DefaultLastPort  = 29_999
	PortsPerCall     = 4
)

// MediaPorts are those of the switch, with the defaults filled in; ok is false
// where no address can be read, which a valid plan never has.
func (s Switch) MediaPorts() (host netip.Addr, first, last uint16, ok bool) {
	m := s.Media
	if m.FirstPort == 0 && m.LastPort == 0 {
		m.FirstPort, m.LastPort = DefaultFirstPort, DefaultLastPort
	}
	host, err := netip.ParseAddr(m.Address)
	if m.Address == "" {
		var at netip.AddrPort
		at, err = netip.ParseAddrPort(s.Listeners.SIP.Address)
		host = at.Addr()
	}
	return host, uint16(m.FirstPort), uint16(m.LastPort), err == nil
}

// Host is the address at which the switch is itself heard, in test calls; empty where none can be
// read, which a valid plan never has.
func (s Switch) Host() string {
	at, err := netip.ParseAddrPort(s.Listeners.SIP.Address)
	if err != nil {
		return ""
	}
	return at.Addr().String()
}

func (v *validator) mediaPorts(at string, s Switch) {
	m := s.Media
	if m.Address != "" {
		if _, err := netip.ParseAddr(m.Address); err != nil {
			v.bad(at+"/address", "invalid IP address %q", m.Address)
		}
	}
	if m.FirstPort == 0 && m.LastPort == 0 {
		return
	}
	switch {
	case m.FirstPort < 1024 || m.FirstPort > 65_535:
		v.bad(at+"/firstPort", "%d is out of range (1024 to 65535, or first and last 0 for %d to %d)", m.FirstPort, DefaultFirstPort, DefaultLastPort)
	case m.LastPort > 65_535 || m.LastPort-m.FirstPort+1 < PortsPerCall:
		v.bad(at+"/lastPort", "%d is out of range: a call needs %d ports, so at least %d", m.LastPort, PortsPerCall, m.FirstPort+PortsPerCall-1)
	}
	sip, err := netip.ParseAddrPort(s.Listeners.SIP.Address)
	if host, first, last, ok := s.MediaPorts(); ok && err == nil && host == sip.Addr() && sip.Port() >= first && sip.Port() <= last {
		v.bad(at+"/firstPort", "ports %d to %d include the SIP port %d", first, last, sip.Port())
	}
}

func (v *validator) media(at string, t Trunk) {
	m := t.Media
	v.oneOf(at+"/encryption", m.Encryption, "", MediaSRTP)
	switch {
	case !m.Encrypts():
	case m.Direct():
		v.bad(at+"/encryption", "needs media through the switch; set media path to through switch")
	case t.Link.Signalling().Claims().Transport != "tls":
		v.bad(at+"/encryption", "sends its keys in the signalling (RFC 4568 section 5.1.1); use transport TLS")
	}
	v.oneOf(at+"/path", m.Path, "", MediaThrough, MediaDirect)
	v.oneOf(at+"/comfortNoise", m.ComfortNoise, "", MediaPass, MediaRemove)
	v.oneOf(at+"/telephoneEvents", m.TelephoneEvents, "", MediaPass, MediaRemove)
	if m.PtimeMs < 0 || m.PtimeMs > 200 || m.PtimeMs%10 != 0 {
		v.bad(at+"/ptimeMs", "%d is not allowed; use a multiple of 10 up to 200 ms, 0 for unchanged", m.PtimeMs)
	}
	if len(m.Codecs) > 20 {
		v.bad(at+"/codecs", "more than 20 codecs")
	}
	seen := map[string]bool{}
	for _, c := range m.Codecs {
		name := strings.ToUpper(c)
		switch {
		case c == "" || strings.ContainsAny(c, " /\t,"):
			v.bad(at+"/codecs", "invalid encoding name %q (RFC 3551)", c)
		case seen[name]:
			v.bad(at+"/codecs", "duplicate value %s", c)
		case name == "CN" || name == "TELEPHONE-EVENT":
			v.bad(at+"/codecs", "%s is not a speech codec; comfort noise and DTMF have their own settings", c)
		}
		seen[name] = true
	}
}
