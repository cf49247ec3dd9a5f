package sip

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestNoncesAreOursYoungAndAnsweredOnce(t *testing.T) {
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	n := newNonces()
	nonce := n.make(now)
	assert.NotEqual(t, nonce, n.make(now))
	for _, c := range []struct {
		nonce, count string
		at           time.Time
		want         nonceVerdict
	}{
		{nonce, "00000001", now, nonceGood},
		{nonce, "00000001", now, nonceReplayed},
		{nonce, "00000003", now, nonceGood},
		{nonce, "00000002", now, nonceReplayed},
		{nonce, "0000000z", now, nonceReplayed},
		{nonce, "00000000", now, nonceReplayed},
		{nonce, "00000004", now.Add(NonceLife + time.Second), nonceStale},
		{nonce, "00000004", now.Add(-time.Second), nonceStale},
		{newNonces().make(now), "00000001", now, nonceStale},
		{nonce[:20], "00000001", now, nonceStale},
		{"not a nonce", "00000001", now, nonceStale},
	} {
		assert.Equal(t, c.want, n.take(c.nonce, c.count, c.at), "%s %s %s", c.nonce, c.count, c.at)
	}
	plain := n.make(now) // the form before RFC 2617 has no count: once only
	assert.Equal(t, nonceGood, n.take(plain, "", now))
	assert.Equal(t, nonceReplayed, n.take(plain, "", now))
	// What was answered is remembered for as long as it could be answered again.
	late := n.make(now.Add(NonceLife - time.Second))
	assert.Equal(t, nonceGood, n.take(late, "1", now.Add(NonceLife-time.Second)))
	n.take(n.make(now.Add(NonceLife+time.Minute)), "1", now.Add(NonceLife+time.Minute))
	assert.Equal(t, nonceReplayed, n.take(late, "1", now.Add(NonceLife+2*time.Minute)))
}

func TestProofsAreMaskedInRecordings(t *testing.T) {
	for in, want := range map[string]string{
		"Authorization: Digest username=\"a\", response=\"0123abcd\", uri=\"x\"\r\n":      "Authorization: Digest username=\"a\", response=\"********\", uri=\"x\"\r\n",
		"proxy-authorization:Digest nonce=\"response\",response=ff,qop=auth\r\n":          "proxy-authorization:Digest nonce=\"response\",response=**,qop=auth\r\n",
		"a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:AAEC+/==|2^20\r\n":                     "a=crypto:1 AES_CM_128_HMAC_SHA1_80 inline:********|2^20\r\n",
		"Subject: response=\"0123abcd\"\r\nAuthorization: Digest response=\"ab\"\r\n\r\n": "Subject: response=\"0123abcd\"\r\nAuthorization: Digest response=\"**\"\r\n\r\n",
	} {
		b := []byte(in)
		assert.Equal(t, want, string(masked(b)))
		assert.Equal(t, in, string(b), "what was sent is not touched")
	}
}
