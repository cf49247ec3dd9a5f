package media

import (
	"fmt"
	"sync/atomic"

	"github.com/pion/srtp/v3"

	"switchback.example/switchback/internal/core/media"
)

// cipher encrypts or decrypts one direction of one side (RFC 3711). RTP and RTCP have
// contexts of their own, since each is used by one goroutine.
type cipher struct {
	key       media.Key
	rtp, rtcp *srtp.Context
	open      bool // it decrypts
}

// replayWindow is how far back packets may come late (RFC 3711 section 3.3.2 wants
// 64 at least).
const replayWindow = 128

func newCipher(k media.Key, open bool) (*cipher, error) {
	key, salt, err := k.Master()
	if err != nil {
		return nil, err
	}
	c := &cipher{key: k, open: open}
	for _, one := range []**srtp.Context{&c.rtp, &c.rtcp} {
		var options []srtp.ContextOption
		if open {
			options = append(options, srtp.SRTPReplayProtection(replayWindow), srtp.SRTCPReplayProtection(replayWindow))
		}
		if *one, err = srtp.CreateContext(key, salt, srtp.ProtectionProfileAes128CmHmacSha1_80, options...); err != nil {
			return nil, fmt.Errorf("key for SRTP: %w", err)
		}
	}
	return c, nil
}

// turn encrypts or decrypts a packet into a buffer; an error is a packet that is not
// to be passed on: it was changed on the way, came before, or is none.
func (c *cipher) turn(buffer, packet []byte, sound bool) ([]byte, error) {
	switch {
	case c.open && sound:
		return c.rtp.DecryptRTP(buffer[:0], packet, nil)
	case c.open:
		return c.rtcp.DecryptRTCP(buffer[:0], packet, nil)
	case sound:
		return c.rtp.EncryptRTP(buffer[:0], packet, nil)
	}
	return c.rtcp.EncryptRTCP(buffer[:0], packet, nil)
}

// Opens decrypts what a side sends with its key, and Seals encrypts what it is sent
// with ours. The same key again changes nothing, so that nothing is lost in the middle
// of a call.
func (r *Relay) Opens(s Side, theirs media.Key) error { return exchange(&r.sides[s].in, theirs, true) }

// Seals is told with Opens.
func (r *Relay) Seals(s Side, ours media.Key) error { return exchange(&r.sides[s].out, ours, false) }

func exchange(place *atomic.Pointer[cipher], k media.Key, open bool) error {
	if now := place.Load(); now != nil && now.key.Text == k.Text {
		return nil
	}
	c, err := newCipher(k, open)
	if err != nil {
		return err
	}
	place.Store(c)
	return nil
}
