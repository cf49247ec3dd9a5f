package sip

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The 49 torture messages of RFC 4475, by section and name. The bytes of the RFC
// are not at hand: each is rebuilt here from its described defect (names,
// defects and verdicts from memory), on a message of our own. What a message
// means to an application (unknown schemes, options, bodies, credentials) is
// not judged by the reader; such messages must be fit here.
var torture = []struct {
	section, name string
	edit          func(m string) string // of the request below, with LF ends
	status        int                   // 0: fit
	drop          bool
}{
	{"3.1.1.1", "wsinv", func(string) string {
		return "INVITE sip:vivekg@chair.example;unknownparam SIP/2.0\nTO :\n sip:vivekg@chair.example ;   tag    = 1918181833n\nfrom   : \"J Rosenberg \\\\\\\"\"       <sip:jdrosen@example.example>\n  ;\n  tag = 98asjd8\nMaX-fOrWaRdS: 0068\nCall-ID: wsinv.1\nContent-Length   : 0\ncseq: 0009\n  INVITE\nVia  : SIP  /   2.0\n /UDP\n    192.0.2.2;branch=390skdjuw\ns :\nNewFangledHeader:   newfangled value\n continued newfangled value\nUnknownHeaderWithUnusualValue: ;;,,;;,;\nRoute:\n <sip:services.example;lr;unknownwith=value;unknown-no-value>\nv:  SIP  / 2.0  / TCP     192.0.2.3   ;\n  branch  =   z9hG4bK9ikj8  ,\n SIP  /    2.0   / UDP  192.0.2.4   ; branch=z9hG4bK30239\nm:\"Quoted string \\\"\\\"\" <sip:jdrosen@example.example> ; newparam =\n      newvalue ;\n  secondparam ; q = 0.33\n\n"
	}, 0, false},
	{"3.1.1.2", "intmeth", replace("INVITE", "!interesting-Method0123456789_*+`.%indeed'~", "tag=t1", "tag=_token~1'+`*%!-."), 0, false},
	{"3.1.1.3", "esc01", replace("sip:901@b.example", "sip:sips%3Auser%40example.example@b.example"), 0, false},
	{"3.1.1.4", "escnull", replace("sip:901@b.example", "sip:null-%00-null@b.example"), 0, false},
	{"3.1.1.5", "esc02", replace("INVITE", "RE%47IST%45R"), 0, false},
	{"3.1.1.6", "lwsdisp", replace("From: <", "From: caller<"), 0, false},
	{"3.1.1.7", "longreq", replace("tag=t1", "tag="+strings.Repeat("long", 500), "Max-Forwards: 70", "Max-Forwards: 70\nX-Long: "+strings.Repeat("v", 5000)), 0, false},
	{"3.1.1.8", "dblreq", func(m string) string { return m + "INVITE sip:second@b.example SIP/2.0\n\n" }, 0, false},
	{"3.1.1.9", "semiuri", replace("sip:901@b.example", "sip:user;par=u%40example.example@b.example"), 0, false},
	{"3.1.1.10", "transports", replace("Max-Forwards", "Via: SIP/2.0/UNKNOWN t.example;branch=z9hG4bKu\nVia: SIP/2.0/SCTP t2.example;branch=z9hG4bKs\nMax-Forwards"), 0, false},
	{"3.1.1.11", "mpart01", replace("Content-Length: 0\n\n", "Content-Type: multipart/mixed;boundary=x\nContent-Length: 8\n\n--x\x00\xff--x"), 0, false},
	{"3.1.1.12", "unreason", response("200 = 2**3 * 5**2 \u043d\u043e \u0441\u0442\u043e"), 0, false},
	{"3.1.1.13", "noreason", response("100 "), 0, false},
	{"3.1.2.1", "badinv01", replace("tag=t1", "tag=t1;=,\"", "From", "From"), 400, false},
	{"3.1.2.2", "clerr", replace("Content-Length: 0", "Content-Length: 9999"), 400, false},
	{"3.1.2.3", "ncl", replace("Content-Length: 0", "Content-Length: -999"), 400, false},
	{"3.1.2.4", "scalar02", replace("CSeq: 1", "CSeq: 36893488147419103232", "Max-Forwards: 70", "Max-Forwards: 300"), 400, false},
	{"3.1.2.5", "scalarlg", func(m string) string {
		return strings.Replace(response("503 Service Unavailable")(m), "CSeq: 1", "CSeq: 9292394834772304023312", 1)
	}, 0, true},
	{"3.1.2.6", "quotbal", replace("To: <", "To: \"Mr. J. User <"), 400, false},
	{"3.1.2.7", "ltgtruri", replace("INVITE sip:901@b.example", "INVITE <sip:901@b.example>"), 400, false},
	{"3.1.2.8", "lwsruri", replace("INVITE sip:901@b.example", "INVITE sip:901@b.example; lr"), 400, false},
	{"3.1.2.9", "lwsstart", replace("INVITE sip:901@b.example ", "INVITE  sip:901@b.example  "), 400, false},
	{"3.1.2.10", "trws", replace("b.example SIP/2.0\n", "b.example SIP/2.0  \n"), 400, false},
	{"3.1.2.11", "escruri", replace("INVITE sip:901@b.example", "INVITE sip:901@b.example?Route=%3Csip:x.example%3E"), 400, false},
	{"3.1.2.12", "baddate", replace("Max-Forwards", "Date: Fri, 01 Jan 2010 16:00:00 EST\nMax-Forwards"), 0, false}, // latitude: the field is not ours to judge
	{"3.1.2.13", "regbadct", replace("Max-Forwards", "Contact: sip:user@example.example?Route=%3Csip:x.example%3E\nMax-Forwards"), 400, false},
	{"3.1.2.14", "badaspec", replace("To: <sip:901@b.example>", "To: \"Watson, Thomas\" < sip:t.watson@example.example >"), 400, false},
	{"3.1.2.15", "baddn", replace("To: <", "To: Watson, Thomas <"), 400, false},
	{"3.1.2.16", "badvers", replace("b.example SIP/2.0\n", "b.example SIP/7.0\n"), 505, false},
	{"3.1.2.17", "mismatch01", replace("1 INVITE", "1 OPTIONS"), 400, false},
	{"3.1.2.18", "mismatch02", replace("INVITE sip", "NEWMETHOD sip"), 400, false},
	{"3.1.2.19", "bigcode", response("4294967301 better not break the receiver"), 0, true},
	{"3.2.1", "badbranch", replace("branch=z9hG4bKa", "branch=z9hG4bK"), 0, false},
	{"3.3.1", "insuf", replace("Call-ID: torture\n", ""), 0, true}, // no response could be told to be its own
	{"3.3.2", "unkscm", replace("INVITE sip:901@b.example", "INVITE nobodyKnowsThisScheme:totallyopaquecontent"), 0, false},
	{"3.3.3", "novelsc", replace("INVITE sip:901@b.example", "INVITE soap.beep://192.0.2.103:3002"), 0, false},
	{"3.3.4", "unksm2", replace("To: <sip:901@b.example>", "To: isbn:2983792873", "From: <sip:2001@a.example>;tag=t1", "From: <http://www.example.example>;tag=t1"), 0, false},
	{"3.3.5", "bext01", replace("Max-Forwards", "Require: nothingSupportsThis, nothingSupportsThisEither\nMax-Forwards"), 0, false},
	{"3.3.6", "invut", replace("Content-Length: 0\n\n", "Content-Type: application/unknownformat\nContent-Length: 3\n\n<x>"), 0, false},
	{"3.3.7", "regaut01", replace("Max-Forwards", "Authorization: NoOneKnowsThisScheme opaque-data=here\nMax-Forwards"), 0, false},
	{"3.3.8", "multi01", replace("Call-ID: torture\n", "Call-ID: torture\nCall-ID: other\nCSeq: 5 INVITE\nFrom: <sip:x@y.example>;tag=2\n"), 400, false},
	{"3.3.9", "mcl01", replace("Content-Length: 0", "Content-Length: 0\nContent-Length: 20"), 400, false},
	{"3.3.10", "bcast", func(m string) string {
		return strings.Replace(response("200 OK")(m), "SIP/2.0/UDP a.example", "SIP/2.0/UDP 255.255.255.255", 1)
	}, 0, false}, // no transaction of ours has such a Via: it is not found
	{"3.3.11", "zeromf", replace("Max-Forwards: 70", "Max-Forwards: 0"), 0, false},
	{"3.3.12", "cparam01", replace("Max-Forwards", "Contact: sip:2001@a.example;unknownparam\nMax-Forwards"), 0, false},
	{"3.3.13", "cparam02", replace("Max-Forwards", "Contact: <sip:2001@a.example;unknownparam>\nMax-Forwards"), 0, false},
	{"3.3.14", "regescrt", replace("Max-Forwards", "Contact: <sip:user@example.example?Route=%3Csip:x.example%3E>\nMax-Forwards"), 0, false},
	{"3.3.15", "sdp01", replace("Max-Forwards", "Accept: text/nobodyKnowsThis\nMax-Forwards"), 0, false},
	{"3.4.1", "inv2543", replace("branch=z9hG4bKa", "branch=1", ";tag=t1", "", "Max-Forwards: 70\n", ""), 0, false},
}

const tortured = `INVITE sip:901@b.example SIP/2.0
Via: SIP/2.0/UDP a.example;branch=z9hG4bKa
From: <sip:2001@a.example>;tag=t1
To: <sip:901@b.example>
Call-ID: torture
CSeq: 1 INVITE
Max-Forwards: 70
Content-Length: 0

`

// replace changes every place of the message that stands in the pairs.
func replace(pairs ...string) func(string) string {
	return func(m string) string { return strings.NewReplacer(pairs...).Replace(m) }
}

// response makes it a response with a status and reason.
func response(status string) func(string) string {
	return func(m string) string {
		return strings.Replace(m, "INVITE sip:901@b.example SIP/2.0", "SIP/2.0 "+status, 1)
	}
}

func TestTortureMessagesOfRFC4475(t *testing.T) {
	require.Len(t, torture, 49)
	for _, c := range torture {
		t.Run(c.section+" "+c.name, func(t *testing.T) {
			text := wire(c.edit(tortured))
			m, faults := Read(text)
			assert.Equal(t, string(text), string(m.Bytes()), "nothing is lost")
			v := Verify(m, faults)
			assert.Equal(t, c.status, v.Status, v.Reason)
			assert.Equal(t, c.drop, v.Drop, v.Reason)
		})
	}
}

func TestWhatTheTortureMessagesSay(t *testing.T) {
	m, _ := Read(wire(torture[0].edit(tortured)))
	assert.Equal(t, "0068", m.Get("Max-Forwards"))
	from, err := ReadAddress(m.Get("From"))
	require.NoError(t, err)
	assert.Equal(t, `J Rosenberg \"`, from.Name)
	assert.Equal(t, "98asjd8", from.Tag())
	vias := m.All("Via")
	require.Len(t, vias, 3)
	second, err := ReadVia(vias[1])
	require.NoError(t, err)
	assert.Equal(t, "TCP", second.Transport)
	assert.Equal(t, "z9hG4bK9ikj8", second.Branch())
	to, err := ReadAddress(m.Get("To"))
	require.NoError(t, err)
	assert.Equal(t, "1918181833n", to.Tag(), "without <> the tag is the field's (RFC 3261 section 20.10)")

	semi, err := ReadURI("sip:user;par=u%40example.example@b.example")
	require.NoError(t, err)
	assert.Equal(t, "user;par=u%40example.example", semi.User)
}
