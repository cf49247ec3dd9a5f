package sip

import (
	"fmt"
	"net/netip"
	"regexp"
	"strings"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live/call"
)

// Preview implements call.Previewer: it writes what a switch sends by a trunk: for a call that is offered it, to
// register, to ask whether it is there, and to answer. It is made by the code that
// sends it, and nothing is sent. What is another each time (tags, branches, keys)
// stands as a sign for it.
func Preview(sw plan.Switch, t plan.Trunk, o decide.Offer) ([]call.Preview, error) {
	a, err := unstarted(sw)
	if err != nil {
		return nil, err
	}
	o.Trunk = &t
	to := a.sketchedWay(t)
	description, err := sketchedSound(sw, t)
	if err != nil {
		return nil, err
	}
	invite := a.newInvite(invitation{offer: o, to: to, description: description, hops: defaultHops, session: newName(), callID: newID() + "@" + a.host, reliable: true})
	list := []call.Preview{a.sketch("INVITE", invite, to)}
	if t.Link.SIP.Registration == plan.RegistrationOutbound && len(t.Link.SIP.OutboundAccounts) > 0 {
		expires := t.Link.SIP.OutboundAccounts[0].Expires
		if expires == 0 {
			expires = plan.DefaultExpires
		}
		req := a.newRegister(&registration{trunk: t, account: t.Link.SIP.OutboundAccounts[0], callID: newID() + "@" + a.host, tag: newID()}, expires)
		to.route(req)
		list = append(list, a.sketch("REGISTER", req, to))
	}
	if t.Link.SIP.OptionsIntervalSeconds > 0 {
		list = append(list, a.sketch("OPTIONS", a.newOptions(to), to))
	}
	if t.InboundTable != "" {
		list = append(list, a.sketch("200 OK", a.sketchedAnswer(&t, description), to))
	}
	return list, nil
}

// unstarted is an agent that has its addresses and no sockets.
func unstarted(sw plan.Switch) (*Agent, error) {
	at, err := netip.ParseAddrPort(sw.Listeners.SIP.Address)
	if err != nil {
		return nil, fmt.Errorf("switch %s: %w", sw.ID, err)
	}
	secure, err := netip.ParseAddrPort(sw.Listeners.SIP.TLSAddress)
	if err != nil {
		secure = at
	}
	return &Agent{
		Config: Config{Switch: sw.ID, Address: sw.Listeners.SIP.Address}, host: at.Addr().String(), port: int(at.Port()),
		layer: &layer{local: at, secure: &streams{by: secured, local: secure}},
	}, nil
}

// elsewhere stands for an address that only the running switch knows (RFC 5737).
var elsewhere = netip.MustParseAddrPort("192.0.2.1:5060")

// sketchedWay is where calls go, as far as the plan says it.
func (a *Agent) sketchedWay(t plan.Trunk) way {
	w := way{hop: hopTo(elsewhere, transportOf(t.Link.SIP.Transport)), host: hostOf(t.Link.SIP)}
	if to, ok := trunkHop(t.Link.SIP); ok {
		w.hop = to
	}
	if t.Link.SIP.Registration == plan.RegistrationInbound && t.Link.SIP.RemoteAddress == "" {
		w.host = "where-it-registered"
	}
	return w.through(t.Link.SIP)
}

// sketched are what stands for what is another each time.
var sketched = []struct {
	found *regexp.Regexp
	sign  string
}{
	{regexp.MustCompile(`z9hG4bK[0-9a-f]{24}`), "z9hG4bK…"},
	{regexp.MustCompile(`\b[0-9a-f]{24}\b`), "…"},
	{regexp.MustCompile(`\b[0-9a-f]*[1-9a-f][0-9a-f]*\b;remote=`), "…;remote="},
	{regexp.MustCompile(`remote=[0-9a-f]*[1-9a-f][0-9a-f]*`), "remote=…"},
	{regexp.MustCompile(`inline:[A-Za-z0-9+/=]+`), "inline:…"},
}

func (a *Agent) sketch(what string, m *wire.Message, to way) call.Preview {
	if m.Request() {
		m = m.Clone()
		m.AddFirst("Via", to.by.via(a.layer.localOf(to.by), to.as, wire.MagicCookie+newID()))
	}
	text := string(m.Bytes())
	for _, s := range sketched {
		text = s.found.ReplaceAllString(text, s.sign)
	}
	name := to.host
	if to.host == "where-it-registered" {
		name = "where-it-registered"
	}
	return call.Preview{Name: what, Text: strings.ReplaceAll(text, elsewhere.String(), name)}
}

// typical is what phones offer: both laws of G.711, G.722, G.729, comfort noise and
// keys (RFC 3551, RFC 4733).
const typical = "v=0\r\no=- 1 1 IN IP4 192.0.2.1\r\ns=-\r\nc=IN IP4 192.0.2.1\r\nt=0 0\r\nm=audio 20000 RTP/AVP 8 0 9 18 13 101\r\n" +
	"a=rtpmap:8 PCMA/8000\r\na=rtpmap:0 PCMU/8000\r\na=rtpmap:9 G722/8000\r\na=rtpmap:18 G729/8000\r\na=rtpmap:13 CN/8000\r\na=rtpmap:101 telephone-event/8000\r\na=fmtp:101 0-16\r\na=ptime:20\r\n"

// sketchedSound is the description that a trunk is given of a typical one.
func sketchedSound(sw plan.Switch, t plan.Trunk) ([]byte, error) {
	d, err := media.Read([]byte(typical))
	if err != nil {
		return nil, err
	}
	if err := d.Keep(call.RulesOf(t.Media)); err != nil {
		return nil, err
	}
	if t.Media.Encrypts() {
		d.Encrypt(media.NewKey(1, [media.KeySize + media.SaltSize]byte{}))
	}
	if host, first, _, ok := sw.MediaPorts(); ok && !t.Media.Direct() {
		d.Through(netip.AddrPortFrom(t.Link.SIP.SeenAs(netip.AddrPortFrom(host, first)).Addr(), first))
	}
	return d.Bytes(), nil
}

// sketchedAnswer is the 200 to a call of theirs.
func (a *Agent) sketchedAnswer(t *plan.Trunk, description []byte) *wire.Message {
	by := transportOf(t.Link.SIP.Transport)
	req := wire.NewRequest("INVITE", uriAt("their-called-number", a.layer.localOf(by).String(), by))
	req.Add("Via", by.via(elsewhere, "", wire.MagicCookie+"their-branch"))
	req.Add("From", "<sip:their-caller@"+elsewhere.String()+">;tag=their-tag")
	req.Add("To", "<"+uriTo("their-called-number", a.calledThere(t, by))+">")
	req.Add("Call-ID", "their-call")
	req.Add("CSeq", "1 INVITE")
	req.Add("Supported", "timer")
	in := &inbound{&serverTx{source: hopTo(elsewhere, by)}, req}
	l := a.newLeg(t)
	l.d = l.callerDialog(in, newID())
	l.d.rename(identity{newName(), newName()})
	res := l.accepted(in)
	l.d.session.stop()
	setDescription(res, description)
	return res
}
