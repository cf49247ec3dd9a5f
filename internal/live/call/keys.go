package call

import (
	"crypto/rand"
	"fmt"

	"switchback.example/switchback/internal/core/media"
	relay "switchback.example/switchback/internal/live/media"
)

// Sound that is encrypted between a side and the switch (RFC 3711, RFC 4568), on one
// side of a call or on both, each with keys of its own.

// takeKey takes a side's key out of its description. The error says
// why the side cannot be heard.
func (s *mediaPath) takeKey(from relay.Side, d *media.Description) error {
	switch {
	case !d.Audio():
		return nil
	case s.trunks[from].Media.Encrypts():
		k, err := d.Key()
		if err != nil {
			return err
		}
		s.theirs[from] = &k
		d.Clear()
	case s.trunks[from.Other()].Media.Encrypts() && d.Encrypted():
		return fmt.Errorf("%w: SRTP offered, but not set on trunk %s", media.ErrNothingLeft, s.trunks[from].Name)
	}
	return nil
}

// giveKey puts a key of ours into the description that a side is given, under the tag
// that it offered if this is the answer.
func (s *mediaPath) giveKey(to relay.Side, d *media.Description, answer bool) {
	if !s.trunks[to].Media.Encrypts() {
		return
	}
	if s.ours[to] == nil {
		var random [media.KeySize + media.SaltSize]byte
		_, _ = rand.Read(random[:]) // never fails (crypto/rand)
		k := media.NewKey(1, random)
		s.ours[to] = &k
	}
	k := *s.ours[to]
	if answer && s.theirs[to] != nil {
		k.Tag = s.theirs[to].Tag
	}
	d.Encrypt(k)
}

// exchangeKeys gives the relay the keys that are known, before it is told where
// anybody is.
func (s *mediaPath) exchangeKeys() error {
	for side := range s.trunks {
		if k := s.theirs[side]; k != nil {
			if err := s.relay.Opens(relay.Side(side), *k); err != nil {
				return err
			}
		}
		if k := s.ours[side]; k != nil {
			if err := s.relay.Seals(relay.Side(side), *k); err != nil {
				return err
			}
		}
	}
	return nil
}
