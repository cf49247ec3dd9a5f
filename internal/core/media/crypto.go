package media

import (
	"encoding/base64"
	"fmt"
	"strconv"
	"strings"

	"switchback.example/switchback/internal/core/wire/sdp"
)

// Keys for SRTP in a description (RFC 4568): each side names the key of what it
// sends itself.

// Suite is the one way of encrypting that the switch knows: AES in counter mode with
// 128 bits, HMAC-SHA1 of 80 bits (RFC 4568 section 6.2.1), which every
// implementation of RFC 3711 has.
const Suite = "AES_CM_128_HMAC_SHA1_80"

// Sizes of a master key and salt, in octets.
const (
	KeySize  = 16
	SaltSize = 14
)

// Key is a master key with its salt, and the tag under which it was offered.
type Key struct {
	Tag  int
	Text string // base64 of key and salt
}

// NewKey makes a key of random octets, of which there must be 30.
func NewKey(tag int, random [KeySize + SaltSize]byte) Key {
	return Key{tag, base64.StdEncoding.EncodeToString(random[:])}
}

// Master is the key and the salt.
func (k Key) Master() (key, salt []byte, err error) {
	b, err := base64.StdEncoding.DecodeString(k.Text)
	if err != nil || len(b) != KeySize+SaltSize {
		return nil, nil, fmt.Errorf("a=crypto:%d has no key of %d octets in base64", k.Tag, KeySize+SaltSize)
	}
	return b[:KeySize], b[KeySize:], nil
}

// Encrypted tells whether the audio is to be SRTP.
func (d *Description) Encrypted() bool {
	return d.Audio() && strings.Contains(d.stream.Proto, "SAVP")
}

// Key is the first key that the side offers for a suite that we know; an error says
// why there is none. A key under an identifier (MKI) is not taken: it would have to be
// looked for in every packet.
func (d *Description) Key() (Key, error) {
	if !d.Encrypted() {
		return Key{}, fmt.Errorf("%w: SRTP required, RTP offered", ErrNothingLeft)
	}
	why := "no a=crypto"
	for _, text := range sdp.Attributes(d.stream.Lines, "crypto") {
		words := strings.Fields(text) // tag suite key-params [session-params]
		if len(words) < 3 {
			continue
		}
		tag, err := strconv.Atoi(words[0])
		first, _, _ := strings.Cut(words[2], ";")
		key, rest, hasRest := strings.Cut(strings.TrimPrefix(first, "inline:"), "|")
		switch {
		case err != nil || !strings.EqualFold(words[1], Suite):
			why = "no suite but " + Suite + " is known here"
		case len(words) > 3:
			why = "session parameters are not taken: " + strings.Join(words[3:], " ")
		case hasRest && strings.Contains(rest, ":"):
			why = "keys with an identifier are not taken"
		default:
			k := Key{tag, key}
			if _, _, err := k.Master(); err != nil {
				return Key{}, fmt.Errorf("%w: %w", ErrNothingLeft, err)
			}
			return k, nil
		}
	}
	return Key{}, fmt.Errorf("%w: SRTP not possible: %s", ErrNothingLeft, why)
}

// Encrypt makes the audio SRTP with a key of ours.
func (d *Description) Encrypt(k Key) {
	if !d.Audio() {
		return
	}
	d.Clear()
	d.stream.Proto = strings.Replace(d.stream.Proto, "RTP/AVP", "RTP/SAVP", 1)
	d.stream.Lines = append(d.stream.Lines, sdp.Line{Type: 'a', Value: fmt.Sprintf("crypto:%d %s inline:%s", k.Tag, Suite, k.Text)})
}

// Clear makes the audio plain RTP, without keys.
func (d *Description) Clear() {
	if !d.Audio() {
		return
	}
	d.stream.Proto = strings.Replace(d.stream.Proto, "RTP/SAVP", "RTP/AVP", 1)
	d.stream.Lines = sdp.Without(d.stream.Lines, func(name, _ string) bool { return name == "crypto" })
}
