package standin

import (
	"crypto/rand"
	"encoding/base64"
	"strings"

	"github.com/pion/sdp/v3"
	"github.com/pion/srtp/v3"
)

// keys are those of one side's sound (RFC 3711): its own, and the other side's once
// that has said it.
type keys struct {
	own          string // base64 of key and salt
	sealed, open *srtp.Context
}

const keyOctets = 30 // 16 of key, 14 of salt

func newKeys() (*keys, error) {
	random := make([]byte, keyOctets)
	_, _ = rand.Read(random) // never fails (crypto/rand)
	k := &keys{own: base64.StdEncoding.EncodeToString(random)}
	var err error
	k.sealed, err = contextOf(k.own)
	return k, err
}

func contextOf(text string) (*srtp.Context, error) {
	b, err := base64.StdEncoding.DecodeString(text)
	if err != nil || len(b) != keyOctets {
		return nil, errNoKey
	}
	return srtp.CreateContext(b[:16], b[16:], srtp.ProtectionProfileAes128CmHmacSha1_80)
}

type noKey struct{}

func (noKey) Error() string { return "no SRTP key" }

var errNoKey error = noKey{}

// take reads the other side's key out of its description.
func (k *keys) take(description []byte) error {
	var d sdp.SessionDescription
	if err := d.Unmarshal(description); err != nil {
		return err
	}
	for _, m := range d.MediaDescriptions {
		if !strings.Contains(strings.Join(m.MediaName.Protos, "/"), "SAVP") {
			continue
		}
		for _, a := range m.Attributes {
			words := strings.Fields(a.Value)
			if a.Key != "crypto" || len(words) < 3 || words[1] != "AES_CM_128_HMAC_SHA1_80" {
				continue
			}
			text, _, _ := strings.Cut(strings.TrimPrefix(words[2], "inline:"), "|")
			open, err := contextOf(text)
			k.open = open
			return err
		}
	}
	return errNoKey
}
