package media_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/media"
)

// key00 is the key of the octets 00 to 1d, as the reference tables have it in base64.
const key00 = "AAECAwQFBgcICQoLDA0ODxAREhMUFRYXGBkaGxwd"

func secured(t *testing.T, profile string, crypto ...string) *media.Description {
	text := "v=0\r\no=- 1 1 IN IP4 127.0.24.1\r\ns=-\r\nc=IN IP4 127.0.24.1\r\nt=0 0\r\nm=audio 40000 " + profile + " 8 0\r\n"
	for _, c := range crypto {
		text += "a=crypto:" + c + "\r\n"
	}
	d, err := media.Read([]byte(text))
	require.NoError(t, err)
	return d
}

// RFC 4568 sections 4 and 9.1: tag, suite, key and what may stand behind it.
func TestAKeyIsRead(t *testing.T) {
	var octets [30]byte
	for i := range octets {
		octets[i] = byte(i)
	}
	assert.Equal(t, media.Key{Tag: 3, Text: key00}, media.NewKey(3, octets))
	k, err := secured(t, "RTP/SAVP", "1 F8_128_HMAC_SHA1_80 inline:"+key00, "2 AES_CM_128_HMAC_SHA1_80 inline:"+key00+"|2^20").Key()
	require.NoError(t, err)
	assert.Equal(t, media.Key{Tag: 2, Text: key00}, k)
	key, salt, err := k.Master()
	require.NoError(t, err)
	assert.Equal(t, octets[:16], key)
	assert.Equal(t, octets[16:], salt)

	for why, d := range map[string]*media.Description{
		"SRTP required":             secured(t, "RTP/AVP", "1 AES_CM_128_HMAC_SHA1_80 inline:"+key00), // "best effort", which RFC 4568 does not know
		"no a=crypto":               secured(t, "RTP/SAVP"),
		"no suite but":              secured(t, "RTP/SAVP", "1 AES_CM_128_HMAC_SHA1_32 inline:"+key00),
		"identifier":                secured(t, "RTP/SAVP", "1 AES_CM_128_HMAC_SHA1_80 inline:"+key00+"|2^20|1:4"),
		"session parameters":        secured(t, "RTP/SAVP", "1 AES_CM_128_HMAC_SHA1_80 inline:"+key00+" UNENCRYPTED_SRTP"),
		"has no key of 30 octets":   secured(t, "RTP/SAVP", "1 AES_CM_128_HMAC_SHA1_80 inline:AAEC"),
		"no key of 30 octets in ba": secured(t, "RTP/SAVP", "1 AES_CM_128_HMAC_SHA1_80 inline:!"),
	} {
		_, err := d.Key()
		assert.ErrorIs(t, err, media.ErrNothingLeft)
		assert.ErrorContains(t, err, why)
	}
}

func TestEncryptingAndClearing(t *testing.T) {
	d := secured(t, "RTP/AVP")
	assert.False(t, d.Encrypted())
	d.Encrypt(media.Key{Tag: 7, Text: key00})
	assert.Contains(t, string(d.Bytes()), "m=audio 40000 RTP/SAVP 8 0\r\na=crypto:7 AES_CM_128_HMAC_SHA1_80 inline:"+key00+"\r\n")
	d.Encrypt(media.Key{Tag: 8, Text: key00})
	assert.Equal(t, 1, strings.Count(string(d.Bytes()), "crypto"), "one, in the place of the other")
	d.Clear()
	assert.Contains(t, string(d.Bytes()), "m=audio 40000 RTP/AVP 8 0\r\n")
	assert.NotContains(t, string(d.Bytes()), "crypto")
	none, err := media.Read([]byte("v=0\r\no=- 1 1 IN IP4 127.0.24.1\r\ns=-\r\nt=0 0\r\n"))
	require.NoError(t, err)
	none.Encrypt(media.Key{})
	assert.False(t, none.Encrypted())
}

// RFC 3264 section 8.4: after a hold the sound goes both ways again.
func TestResume(t *testing.T) {
	for _, how := range []string{media.SendOnly, media.RecvOnly, media.Neither} {
		d, err := media.Read([]byte("v=0\r\no=- 1 1 IN IP4 127.0.20.1\r\ns=-\r\nc=IN IP4 127.0.20.1\r\nt=0 0\r\na=" + how + "\r\nm=audio 40000 RTP/AVP 8\r\na=" + how + "\r\n"))
		require.NoError(t, err)
		assert.Equal(t, how, d.Direction())
		d.Resume()
		assert.Equal(t, media.Both, d.Direction())
	}
}
