package media_test

import (
	"bytes"
	"crypto/aes"
	stdcipher "crypto/cipher"
	"crypto/hmac"
	"crypto/sha1"
	"encoding/base64"
	"encoding/binary"
	"encoding/hex"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	core "switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/live/media"
)

func octets(t *testing.T, text string) []byte {
	b, err := hex.DecodeString(text)
	require.NoError(t, err)
	return b
}

// The vectors of RFC 3711 appendix B, as the reference tables have them: a master key
// and the session keys that come of it (B.3), and a key stream (B.2).
const (
	masterKey    = "E1F97A0D3E018BE0D64FA32C06DE4139"
	masterSalt   = "0EC675AD498AFEEBB6960B3AABE6"
	sessionKey   = "C61E7A93744F39EE10734AFE3FF7A087"
	sessionSalt  = "30CBBC08863D8C85D49DB34A9AE1"
	sessionAuth  = "CEBE321F6FF7716B6FD4AB49AF256A156D38BAA4"
	streamKey    = "2B7E151628AED2A6ABF7158809CF4F3C"
	streamSalt   = "F0F1F2F3F4F5F6F7F8F9FAFBFCFD"
	streamBegins = "E03EAD0935C95E80E166B16DD92B4EB4"
)

// keyStream is AES in counter mode as RFC 3711 section 4.1.1 has it:
// IV = (salt * 2^16) XOR (SSRC * 2^64) XOR (index * 2^16).
func keyStream(key, salt []byte, ssrc uint32, index uint64, n int) []byte {
	iv := make([]byte, 16)
	copy(iv, salt)
	for i := range 4 {
		iv[4+i] ^= byte(ssrc >> (24 - 8*i))
	}
	for i := range 6 {
		iv[8+i] ^= byte(index >> (40 - 8*i))
	}
	block, _ := aes.NewCipher(key)
	out := make([]byte, n)
	stdcipher.NewCTR(block, iv).XORKeyStream(out, out)
	return out
}

// sealed is a packet as RFC 3711 sections 3.1 and 4.2 have it, by hand, with the
// session keys of the vector.
func sealed(t *testing.T, packet []byte) []byte {
	out := bytes.Clone(packet)
	stream := keyStream(octets(t, sessionKey), octets(t, sessionSalt), binary.BigEndian.Uint32(packet[8:]), uint64(binary.BigEndian.Uint16(packet[2:])), len(packet)-12)
	for i := range stream {
		out[12+i] ^= stream[i]
	}
	mac := hmac.New(sha1.New, octets(t, sessionAuth))
	mac.Write(out)
	mac.Write([]byte{0, 0, 0, 0}) // the roll-over counter
	return append(out, mac.Sum(nil)[:10]...)
}

func TestTheKeyStreamOfTheVector(t *testing.T) {
	assert.Equal(t, octets(t, streamBegins), keyStream(octets(t, streamKey), octets(t, streamSalt), 0, 0, 16))
}

func vectorKey(t *testing.T) core.Key {
	return core.Key{Tag: 1, Text: base64.StdEncoding.EncodeToString(append(octets(t, masterKey), octets(t, masterSalt)...))}
}

func voice(seq uint16) []byte {
	b := make([]byte, 172)
	b[0], b[1] = 0x80, 8
	binary.BigEndian.PutUint16(b[2:], seq)
	binary.BigEndian.PutUint32(b[4:], uint32(seq)*160)
	binary.BigEndian.PutUint32(b[8:], 0xcafebabe)
	for i := range b[12:] {
		b[12+i] = byte(i)
	}
	return b
}

// receive reads what a talker gets.
func (k *talker) receive() []byte {
	require.NoError(k.t, k.conn.SetReadDeadline(time.Now().Add(10*time.Second)))
	b := make([]byte, 1500)
	n, err := k.conn.Read(b)
	require.NoError(k.t, err)
	return b[:n]
}

// One side is encrypted and the other is not: what goes in is what comes out, as the
// vectors of RFC 3711 say.
func TestSoundIsEncryptedOnOneSide(t *testing.T) {
	r, err := media.NewPorts(host, 30050, 30057).Open()
	require.NoError(t, err)
	defer r.Close()
	plain, cloud := talk(t, "127.1.41.5:0"), talk(t, "127.1.42.5:0")
	require.NoError(t, r.Opens(media.Called, vectorKey(t)))
	require.NoError(t, r.Seals(media.Called, vectorKey(t)))
	r.Hears(media.Caller, plain.at(), 0, plain.at().Addr(), 0)
	r.Hears(media.Called, cloud.at(), 0, cloud.at().Addr(), 0)
	send := func(from *talker, side media.Side, b []byte) {
		_, err := from.conn.WriteToUDPAddrPort(b, r.At(side))
		require.NoError(t, err)
	}
	for seq := uint16(65533); seq < 65535; seq++ {
		send(plain, media.Caller, voice(seq))
		assert.Equal(t, sealed(t, voice(seq)), cloud.receive())
	}
	send(cloud, media.Called, sealed(t, voice(7)))
	assert.Equal(t, voice(7), plain.receive())

	// A packet that comes again, was changed, or is in the clear is not passed on.
	changed := sealed(t, voice(8))
	changed[20] ^= 1
	for _, bad := range [][]byte{sealed(t, voice(7)), changed, voice(9)} {
		send(cloud, media.Called, bad)
	}
	require.Eventually(t, func() bool { return r.Heard(media.Called).Spoiled == 3 }, 10*time.Second, time.Millisecond)
	assert.EqualValues(t, 1, r.Heard(media.Called).Packets)
	assert.True(t, plain.silent())

	// The same keys again, as after a hold, change nothing.
	require.NoError(t, r.Opens(media.Called, vectorKey(t)))
	send(cloud, media.Called, sealed(t, voice(7)))
	assert.True(t, plain.silent(), "it still knows that this one came before")
	assert.Error(t, r.Opens(media.Called, core.Key{Text: "short"}))
}
