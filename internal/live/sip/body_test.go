package sip_test

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/livetest"
)

// What a body says is carried where it was understood, and refused or passed over where not
// (RFC 3261 section 8.2.3, RFC 5621): never is something of another kind given on as a
// description.
func TestOnlyWhatIsUnderstoodIsCarried(t *testing.T) {
	f := start(t, nil)
	kind := func(text, fields string) string {
		return strings.Replace(text, "Content-Type: application/sdp", fields, 1)
	}
	mixed := "--b\nContent-Type: application/sdp\n\n" + offer + "--b\nContent-Type: application/isup\nContent-Disposition: signal;handling=%\n\n\x89\x8b\n--b--\n"
	for i, c := range []struct{ fields, body, want string }{
		{"Content-Type: application/isup", "\x89\x8b", "SIP/2.0 415"},
		{"Content-Type: application/sdp\nContent-Encoding: gzip", offer, "SIP/2.0 415"},
		{"Content-Type: application/sdp\nContent-Disposition: early-session", offer, "SIP/2.0 415"},
		{"Subject: no type", offer, "SIP/2.0 400"},
		{"Content-Type: multipart/mixed;boundary=b", strings.Replace(mixed, "%", "required", 1), "SIP/2.0 415"},
		{"Content-Type: multipart/mixed;boundary=b", "--c\n", "SIP/2.0 400"},
		{"Content-Type: application/sdp\nContact: *", offer, "SIP/2.0 400"},
	} {
		id := "b" + string(rune('a'+i))
		f.phones.Send(kind(request("INVITE", "901914980850", id, "", id, c.body), c.fields))
		res := f.phones.Expect(c.want)
		if res.Status == 415 {
			assert.NotEmpty(t, res.Header("Accept")+res.Header("Accept-Encoding"))
		}
		f.phones.Send(request("ACK", "901914980850", id, tagOf(res.Header("To")), id, ""))
	}
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
	assert.Empty(t, f.Calls())

	f.phones.Send(kind(request("INVITE", "901914980850", "ok", "", "ok", strings.Replace(mixed, "%", "optional", 1)), "Content-Type: multipart/mixed;boundary=b"))
	out := f.ostrel.Expect("INVITE")
	assert.Equal(t, "application/sdp", out.Header("Content-Type"))
	assert.Equal(t, strings.TrimSpace(livetest.Wire(offer)), strings.TrimSpace(out.Body()))
	f.ostrel.Send(out.Reply("183 Session Progress", "callee", "Content-Type: text/html\nContact: <sip:127.1.30.1:5060>\n\n<b>"))
	assert.Empty(t, f.phones.Expect("SIP/2.0 183").Body(), "a response is never refused; what it says otherwise is not there")
}

// A description that cannot be read is not given on.
func TestADescriptionThatCannotBeReadIsRefused(t *testing.T) {
	f := startWith(t, livetest.Setup{Change: func(p *plan.Plan) {
		trunkOf(p, "quay-phones").Media.Codecs = []string{"g711a"}
	}})
	f.phones.Send(request("INVITE", "901914980850", "u1", "", "u1", "v=0\nnonsense"))
	f.phones.Expect("SIP/2.0 488")
	assert.True(t, f.ostrel.Silent(100*time.Millisecond))
}
