package sip

import (
	"fmt"
	"strings"
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

// What is written as a head is read back whole, whatever the tokens are.
func FuzzReadHeadFindsWhatItWrote(f *testing.F) {
	f.Add("OPTIONS", "a@b", uint32(1))
	f.Add("m-_.!%*+`'~", "Q:1 x;y", uint32(1<<31-1))
	f.Fuzz(func(t *testing.T, method, callID string, cseq uint32) {
		method, callID = token(method), strings.TrimSpace(token(callID)+" "+token(callID))
		h, err := ReadHead([]byte(method + " sip:x@y SIP/2.0\r\nCall-ID: " + callID + "\r\nCSeq: " + fmt.Sprint(cseq) + " " + method + "\r\n\r\n"))
		require.NoError(t, err)
		assert.Equal(t, Head{StartLine: method + " sip:x@y SIP/2.0", Method: method, CallID: callID, CSeq: fmt.Sprint(cseq) + " " + method}, h)
	})
}

// token keeps what may stand in a token of RFC 3261 section 25.1.
func token(s string) string {
	s = strings.Map(func(r rune) rune {
		if r > ' ' && r < 0x7f && !strings.ContainsRune(`()<>@,;:\"/[]?={}`, r) {
			return r
		}
		return -1
	}, s)
	if s == "" {
		return "x"
	}
	return s
}
