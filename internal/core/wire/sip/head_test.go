package sip

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: RFC 3261 section 7 for lines, folding and compact forms.
func TestReadHead(t *testing.T) {
	h, err := ReadHead([]byte("INVITE sip:+441914980850@127.0.30.1 SIP/2.0\r\nv: SIP/2.0/UDP 127.0.10.1:5060;branch=z9hG4bK7a;rport\r\nVia: SIP/2.0/UDP 127.0.20.1;branch=z9hG4bK1\r\ni:\r\n  abc@127.0.10.1\r\nCSeq:  7   INVITE\r\n\r\nCall-ID: body"))
	require.NoError(t, err)
	assert.Equal(t, Head{
		StartLine: "INVITE sip:+441914980850@127.0.30.1 SIP/2.0", Method: "INVITE",
		CallID: "abc@127.0.10.1", CSeq: "7 INVITE", Branch: "z9hG4bK7a",
	}, h)

	h, err = ReadHead([]byte("SIP/2.0 486 Busy Here\r\nCall-ID: x\r\nCSeq: 1 INVITE\r\n\r\n"))
	require.NoError(t, err)
	assert.Equal(t, 486, h.Status)
	assert.Equal(t, "INVITE", h.Method)
}

func TestReadHeadKeepsWhatItCanOfBrokenMessages(t *testing.T) {
	for _, c := range []struct{ in, want, callID string }{
		{"", "the message is empty", ""},
		{"INVITE sip:a@b SIP/2.0\r\nVia: SIP/2.0/UDP x;branch=", "no Call-ID", ""},
		{"INVITE sip:a@b\r\nCall-ID: x\r\n\r\n", `"INVITE sip:a@b" is no start line of SIP/2.0`, "x"},
		{"SIP/2.0 9xx Eh\r\nCall-ID: x", `"9xx" is no status, 100 to 699`, "x"},
		{"\x00\x01\x02", `"\x00\x01\x02" is no start line of SIP/2.0`, ""},
	} {
		h, err := ReadHead([]byte(c.in))
		assert.EqualError(t, err, c.want)
		assert.Equal(t, c.callID, h.CallID)
	}
}

func FuzzReadHeadFindsWhatItWrote(f *testing.F) {
	f.Add("OPTIONS", "a@b", "1 OPTIONS")
	f.Fuzz(func(t *testing.T, method, callID, cseq string) {
		for _, s := range []string{method, callID, cseq} {
			for _, r := range s {
				if r <= ' ' || r == ':' || r > '~' {
					t.Skip("not a token")
				}
			}
		}
		if method == "" || callID == "" {
			t.Skip("empty")
		}
		h, err := ReadHead([]byte(method + " sip:x@y SIP/2.0\r\nCall-ID: " + callID + "\r\nCSeq: " + cseq + "\r\n\r\n"))
		if method != "SIP/2.0" {
			require.NoError(t, err)
			assert.Equal(t, method, h.Method)
		}
		assert.Equal(t, callID, h.CallID)
		assert.Equal(t, cseq, h.CSeq)
	})
}
