package sip

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSecretsAreMasked(t *testing.T) {
	for in, want := range map[string]string{
		"Authorization: Digest username=\"a\", response=\"0f\", nc=1":                  "Authorization: Digest username=\"a\", response=\"**\", nc=1",
		"authorization\t:\tDIGEST\n\tusername=\"a,response=\\\"x\\\"\",\n response=0f": "authorization\t:\tDIGEST\n\tusername=\"a,response=\\\"x\\\"\",\n response=**",
		"Proxy-Authorization: Basic dTpw":                                              "Proxy-Authorization: Basic ****",
		"Authorization: Bearer\n abc.def":                                              "Authorization: Bearer\n *******",
		"Authorization: response=0f":                                                   "Authorization: response=**",
		"Authentication-Info: rspauth=\"ff\", nextnonce=\"n\"":                         "Authentication-Info: rspauth=\"**\", nextnonce=\"n\"",
		"INVITE sip:2001:word@127.0.10.1 SIP/2.0":                                      "INVITE sip:2001:****@127.0.10.1 SIP/2.0",
		"To: \"x\" <sips:2001;a=b:word@127.0.10.1>":                                    "To: \"x\" <sips:2001;a=b:****@127.0.10.1>",
		"Refer-To: <sip:2001@a?Authorization=Digest%20x&b=c>":                          "Refer-To: <sip:2001@a?Authorization=**********&b=c>",
		"Refer-To: <sip:2001@a?%41uthorization=x>":                                     "Refer-To: <sip:2001@a?%41uthorization=*>",
		"a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:AAAA|2^20|1:4;inline:BB":            "a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:****|2^20|1:4;inline:**",
		"A=CRYPTO:1 X INLINE:AAAA":                                                     "A=CRYPTO:1 X INLINE:****",
		"k=base64:AAAA":                                                                "k=base64:****",
		"k=prompt":                                                                     "k=prompt",
		"a=key-mgmt:mikey AQAF":                                                        "a=key-mgmt:mikey ****",
		"a=ice-pwd:abcdefgh":                                                           "a=ice-pwd:********",
		"Via: SIP/2.0/UDP 127.0.10.1:5060;branch=z9hG4bKx":                             "Via: SIP/2.0/UDP 127.0.10.1:5060;branch=z9hG4bKx",
		"From: <sip:2001@127.0.10.1:5060>;tag=a":                                       "From: <sip:2001@127.0.10.1:5060>;tag=a",
	} {
		assert.Equal(t, string(wire(want)), string(Masked(wire(in))), "%s", in)
	}
	plain := wire(invite)
	assert.Same(t, &plain[0], &Masked(plain)[0], "what has no secret is not copied")
}

// Secrets at random places, folded, in any case, cut and broken: none of them is left, and
// the message keeps its length and its lines.
func TestNoSecretIsLeftAnywhere(t *testing.T) {
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 9))
		// Of letters that are in no other place, so that what is left of one is found.
		secret := make([]byte, 8+r.IntN(40))
		for i := range secret {
			secret[i] = "QXZJ7"[r.IntN(5)]
		}
		s := string(secret)
		sp := func() string { return []string{" ", "\t", "  ", "\r\n ", "\r\n\t", "\n "}[r.IntN(6)] }
		or := func(list ...string) string { return list[r.IntN(len(list))] }
		fold := func(text string) string {
			if r.IntN(2) == 0 {
				return strings.ToUpper(text)
			}
			return text
		}
		places := []func() string{
			func() string {
				return fold("authorization") + or("", " ", "\t") + ":" + sp() + fold("digest") + sp() + "username=\"a\"," + sp() + fold("response") + or("", " ") + "=" + or("", " ") + or(s, `"`+s+`"`) + or("", ", qop=auth")
			},
			func() string {
				return or("Proxy-Authorization", "Authorization") + ":" + sp() + or("Basic", "Bearer", "NTLM") + sp() + s
			},
			func() string {
				return "Authorization: Digest" + sp() + "made=up, " + or("future", "token") + "=\"" + s + "\""
			},
			func() string {
				return "Refer-To:" + sp() + "<sip:a@b?" + or("", "x=y&") + fold("authorization") + "=" + s + ">"
			},
			func() string {
				return or("Contact", "Route", "f") + ":" + sp() + "<" + fold("sip:2001:") + s + "@127.0.10.1>"
			},
		}
		body := []func() string{
			func() string {
				return fold("a=crypto:") + "1 AES_CM_128_HMAC_SHA1_80" + or(" ", "\t") + fold("inline:") + s + or("", "|2^20", ";x")
			},
			func() string { return "k=" + or("base64:", "clear:", "uri:") + s },
			func() string { return fold("a=key-mgmt:mikey") + or(" ", "\t") + s },
			func() string { return "a=ice-pwd:" + s },
		}
		end := or("\r\n", "\n")
		var b bytes.Buffer
		b.WriteString("INVITE sip:2001@127.0.10.1 SIP/2.0" + end)
		for range r.IntN(6) {
			b.WriteString(or("Max-Forwards: 70", "To: <sip:a@b>", "Subject: k=none", "no field at all") + end)
		}
		for range 1 + r.IntN(2) {
			b.WriteString(places[r.IntN(len(places))]() + end)
		}
		b.WriteString("Call-ID: 1" + end + end)
		if r.IntN(3) == 0 {
			b.WriteString("--boundary" + end + "Content-Type: application/sdp" + end + end)
		}
		for range 1 + r.IntN(3) {
			b.WriteString("v=0" + or(end, "\r") + body[r.IntN(len(body))]() + end)
		}
		text := b.Bytes()
		out := Masked(text)
		require.Len(t, out, len(text))
		require.NotContains(t, string(out), s[:4], "seed %d: %s\n%s", seed, text, out)
		require.Equal(t, strings.Count(string(text), "\n"), strings.Count(string(out), "\n"))
		m, _ := Read(text)
		read, _ := Read(out)
		require.Len(t, read.Fields, len(m.Fields), "seed %d", seed)
	}
}

func FuzzMaskingKeepsTheMessage(f *testing.F) {
	f.Add([]byte("Authorization: Digest response=x\r\n"))
	f.Add([]byte("a: <sip:a:b@c?authorization=x>\n k=x:y"))
	f.Fuzz(func(t *testing.T, b []byte) {
		before := fmt.Sprintf("%x", b)
		out := Masked(b)
		require.Len(t, out, len(b))
		require.Equal(t, before, fmt.Sprintf("%x", b), "what came is not touched")
		require.Equal(t, string(out), string(Masked(out)), "once is enough")
	})
}

func BenchmarkMasked(b *testing.B) {
	plain := wire(invite)
	for b.Loop() {
		Masked(plain)
	}
}
