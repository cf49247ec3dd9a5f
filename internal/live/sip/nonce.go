package sip

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/binary"
	"math"
	"net/netip"
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
// both and over the source that a nonce is for, with a key that lives as long as the process
// (RFC 7616 section 3.3). A nonce that comes from elsewhere is nobody's.
type nonces struct {
	key [32]byte

	mu    sync.Mutex
	used  map[string]uint32 // the highest count of each, by nonce
	old   map[string]uint32 // those of the half life before
	turn  time.Time
	since time.Time // nonces from before then are not known any more, and so stale
}

func newNonces() *nonces {
	n := &nonces{used: map[string]uint32{}, old: map[string]uint32{}}
	_, _ = rand.Read(n.key[:]) // never fails (crypto/rand)
	return n
}

// make is a nonce for a source.
func (n *nonces) make(to hop, now time.Time) string {
	var b [16]byte
	binary.BigEndian.PutUint64(b[:8], uint64(now.UnixNano()))
	_, _ = rand.Read(b[8:]) // never fails
	return base64.RawURLEncoding.EncodeToString(append(b[:], n.seal(b[:], to)...))
}

func (n *nonces) seal(b []byte, to hop) []byte {
	mac := hmac.New(sha256.New, n.key[:])
	_, _ = mac.Write(b) // a hash takes everything
	port := to.Port()
	if to.by.reliable() { // the next connection has another one, and its address is not forged
		port = 0
	}
	_, _ = mac.Write([]byte(to.by.String() + " " + netip.AddrPortFrom(to.Addr().Unmap(), port).String()))
	return mac.Sum(nil)[:16]
}

// nonceVerdict is what a nonce is.
type nonceVerdict uint8

const (
	nonceGood  nonceVerdict = iota
	nonceStale              // too old, of a process before this one, or made for another source
	nonceSpent              // answered before with this count, or a higher one
)

// ours tells whether a nonce was made for a source and may still be answered. Who shows one
// that was, takes what is sent to it.
func (n *nonces) ours(nonce string, from hop, now time.Time) bool {
	raw, err := base64.RawURLEncoding.DecodeString(nonce)
	if err != nil || len(raw) != 32 || !hmac.Equal(raw[16:], n.seal(raw[:16], from)) {
		return false
	}
	made := int64(binary.BigEndian.Uint64(raw[:8]))
	n.mu.Lock()
	since := n.since
	n.mu.Unlock()
	age := now.UnixNano() - made
	return age >= 0 && age <= int64(NonceLife) && (since.IsZero() || made > since.UnixNano())
}

// once is the count of an answer after which its nonce serves no more: of a wrong one, and
// of one without a count.
const once = math.MaxUint32

// take judges a nonce that was answered rightly, with the count of its answer (empty in the
// form without one, which serves once), and remembers it.
func (n *nonces) take(nonce, count string, from hop, now time.Time) nonceVerdict {
	if !n.ours(nonce, from, now) {
		return nonceStale
	}
	c := uint64(once)
	if count != "" {
		var err error
		if c, err = strconv.ParseUint(count, 16, 32); err != nil || c == 0 {
			return nonceSpent
		}
	}
	n.mu.Lock()
	defer n.mu.Unlock()
	n.makeRoom(now)
	if uint32(c) <= max(n.used[nonce], n.old[nonce]) {
		return nonceSpent
	}
	n.used[nonce] = uint32(c)
	return nonceGood
}

// spend makes a nonce of ours serve no more.
func (n *nonces) spend(nonce string, now time.Time) {
	n.mu.Lock()
	defer n.mu.Unlock()
	n.makeRoom(now)
	n.used[nonce] = once
}

// makeRoom forgets the half life before, once it is over or there are too many. Nonces of the
// time that was forgotten before its end are not taken any more.
func (n *nonces) makeRoom(now time.Time) {
	full := len(n.used) >= MaxNonces/2
	if now.Sub(n.turn) <= NonceLife && !full {
		return
	}
	if full && now.Sub(n.turn) <= NonceLife {
		n.since = n.turn
	}
	n.old, n.used, n.turn = n.used, map[string]uint32{}, now
}
