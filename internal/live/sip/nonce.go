package sip

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"strconv"
	"sync"
	"time"
)

// NonceLife is how long a nonce may be answered, and MaxNonces how many answered
// ones are remembered, so that none is answered twice with the same count.
const (
	NonceLife = 5 * time.Minute
	MaxNonces = 100_000
)

// nonces makes nonces and knows its own again: time and chance, and a seal over
// both with a key that lives as long as the process (RFC 7616 section 3.3).
type nonces struct {
	key [32]byte

	mu   sync.Mutex
	used map[string]uint32 // the highest count of each, by nonce
	old  map[string]uint32 // those of the half life before
	turn time.Time
}

func newNonces() *nonces {
	n := &nonces{used: map[string]uint32{}, old: map[string]uint32{}}
	_, _ = rand.Read(n.key[:]) // never fails (crypto/rand)
	return n
}

func (n *nonces) make(now time.Time) string {
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], uint64(now.UnixNano()))
	_, _ = rand.Read(b[8:]) // never fails
	return base64.RawURLEncoding.EncodeToString(append(b[:], n.seal(b[:])...))
}

func (n *nonces) seal(b []byte) []byte {
	mac := hmac.New(sha256.New, n.key[:])
	_, _ = mac.Write(b) // a hash takes everything
	return mac.Sum(nil)[:16]
}

// nonceVerdict is what became of a nonce.
type nonceVerdict uint8

const (
	nonceGood     nonceVerdict = iota
	nonceStale                 // too old, or of a process before this one
	nonceReplayed              // answered before with this count, or a higher one
)

// take judges a nonce that was answered rightly, with the count of its answer
// (empty in the form without one), and remembers it.
func (n *nonces) take(nonce, count string, now time.Time) nonceVerdict {
	raw, err := base64.RawURLEncoding.DecodeString(nonce)
	if err != nil || len(raw) != 32 || !hmac.Equal(raw[16:], n.seal(raw[:16])) {
		return nonceStale
	}
	if age := now.UnixNano() - int64(binary.BigEndian.Uint64(raw[:8])); age < 0 || age > int64(NonceLife) {
		return nonceStale
	}
	c := uint64(1)
	if count != "" {
		if c, err = strconv.ParseUint(count, 16, 32); err != nil || c == 0 {
			return nonceReplayed
		}
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	if now.Sub(n.turn) > NonceLife || len(n.used) >= MaxNonces/2 {
		n.old, n.used, n.turn = n.used, map[string]uint32{}, now
	}
	if uint32(c) <= max(n.used[nonce], n.old[nonce]) {
		return nonceReplayed
	}
	n.used[nonce] = uint32(c)
	return nonceGood
}
