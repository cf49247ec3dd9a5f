package sip

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const described = "v=0\r\no=- 1 1 IN IP4 127.0.20.1\r\n"

func withBody(body string, fields ...string) *Message {
	text := "INVITE sip:2001@127.0.10.1 SIP/2.0\r\n"
	for _, f := range fields {
		text += f + "\r\n"
	}
	m, _ := Read([]byte(text + "\r\n" + body))
	return m
}

const mixed = "Content-Type: multipart/mixed;boundary=b"

func parts(list ...string) string {
	out := ""
	for _, p := range list {
		out += "--b\r\n" + p + "\r\n"
	}
	return out + "--b--\r\n"
}

// RFC 3261 sections 8.2.3 and 20.11, RFC 5621 sections 3 and 8, RFC 3204 section 4 (its
// example is a description beside a message of another protocol).
func TestBodiesAreUnderstoodOrRefused(t *testing.T) {
	sdp := "Content-Type: application/sdp\r\n\r\n" + described
	isup := "Content-Type: application/ISUP;version=nxv3;base=etsi121\r\nContent-Disposition: signal;handling=%\r\n\r\n\x89\x8b"
	optional, required := replaced(isup, "optional"), replaced(isup, "required")
	for what, c := range map[string]struct {
		m      *Message
		status int
		body   string
	}{
		"none":                        {withBody(""), 0, ""},
		"a description":               {withBody(described, "Content-Type: application/sdp"), 0, described},
		"in any case, with a charset": {withBody(described, "c: Application/SDP; charset=utf-8"), 0, described},
		"for the session":             {withBody(described, "Content-Type: application/sdp", "Content-Disposition: session;handling=required"), 0, described},
		"without a type":              {withBody(described), 400, ""},
		"a type that is none":         {withBody(described, "Content-Type: ;"), 400, ""},
		"of another type":             {withBody("x", "Content-Type: application/isup"), 415, ""},
		"of another, optional":        {withBody("x", "Content-Type: application/isup", "Content-Disposition: signal;handling=optional"), 0, ""},
		"encoded":                     {withBody(described, "Content-Type: application/sdp", "e: gzip"), 415, ""},
		"encoded as it is":            {withBody(described, "Content-Type: application/sdp", "Content-Encoding: identity"), 0, described},
		"for something else":          {withBody(described, "Content-Type: application/sdp", "Content-Disposition: early-session"), 415, ""},
		"for that, optional":          {withBody(described, "Content-Type: application/sdp", "Content-Disposition: early-session;handling=optional"), 0, ""},
		"for nothing readable":        {withBody(described, "Content-Type: application/sdp", "Content-Disposition: ;;"), 400, ""},
		"mixed, the other optional":   {withBody(parts(sdp, optional), mixed), 0, described},
		"mixed, the other first":      {withBody(parts(optional, sdp), mixed), 0, described},
		"mixed, the other required":   {withBody(parts(sdp, required), mixed), 415, ""},
		"mixed, two descriptions":     {withBody(parts(sdp, sdp), mixed), 488, ""},
		"mixed, no boundary":          {withBody(parts(sdp), "Content-Type: multipart/mixed"), 400, ""},
		"mixed, cut off":              {withBody("--b\r\n"+sdp, mixed), 400, ""},
		"mixed, no part":              {withBody("nothing", mixed), 400, ""},
		"mixed, encoded":              {withBody(parts("Content-Transfer-Encoding: base64\r\n"+sdp), mixed), 415, ""},
		"alternatives":                {withBody(parts("Content-Type: text/plain\r\n\r\nhello", sdp), "Content-Type: multipart/alternative;boundary=b"), 0, described},
		"alternatives, none":          {withBody(parts("Content-Type: text/plain\r\n\r\nhello"), "Content-Type: multipart/alternative;boundary=b"), 415, ""},
		"a mixture of mixtures":       {withBody(parts("Content-Type: multipart/mixed;boundary=c\r\n\r\n--c\r\nContent-Type: multipart/mixed;boundary=d\r\n\r\n--d\r\nContent-Type: multipart/mixed;boundary=e\r\n\r\n--e--\r\n--d--\r\n--c--\r\n"), mixed), 400, ""},
		"too many parts":              {withBody(parts(repeat(optional, 2*MaxParts)...), mixed), 400, ""},
	} {
		t.Run(what, func(t *testing.T) {
			got, fault := c.m.Understand(SDP)
			if c.status != 0 {
				require.NotNil(t, fault)
				assert.Equal(t, c.status, fault.Status, fault.Error())
				if c.status == 415 {
					assert.NotEmpty(t, fault.Fields, "it says what would be taken")
				}
				return
			}
			require.Nil(t, fault)
			assert.Equal(t, c.body, string(got.Bytes))
		})
	}
	got, fault := withBody("Signal=5\r\n", "Content-Type: application/dtmf-relay").Understand(SDP, "application/dtmf-relay")
	require.Nil(t, fault)
	assert.Equal(t, "application/dtmf-relay", got.Type)
}

func replaced(text, handling string) string {
	for i := range text {
		if text[i] == '%' {
			return text[:i] + handling + text[i+1:]
		}
	}
	return text
}

func repeat(one string, n int) (list []string) {
	for range n {
		list = append(list, one)
	}
	return list
}

func FuzzBodies(f *testing.F) {
	f.Add("multipart/mixed;boundary=b", "session;handling=optional", parts("Content-Type: application/sdp\r\n\r\n"+described))
	f.Add("application/sdp", "", described)
	f.Fuzz(func(t *testing.T, kind, disposition, body string) {
		m := NewRequest("INVITE", "sip:a")
		m.Add("Content-Type", kind)
		m.Add("Content-Disposition", disposition)
		m.Body = []byte(body)
		c, fault := m.Understand(SDP)
		if fault != nil {
			require.Contains(t, []int{400, 415, 488}, fault.Status)
		} else if c.Type != "" {
			require.Equal(t, SDP, c.Type)
		}
	})
}
