package sip

import (
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestNoncesAreOursYoungAndAnsweredOnce(t *testing.T) {
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	phone := hopTo(netip.MustParseAddrPort("127.0.20.1:5060"), udp)
	n := newNonces()
	nonce := n.make(phone, now)
	assert.NotEqual(t, nonce, n.make(phone, now))
	for _, c := range []struct {
		nonce, count string
		at           time.Time
		want         nonceVerdict
	}{
		{nonce, "00000001", now, nonceGood},
		{nonce, "00000001", now, nonceSpent},
		{nonce, "00000003", now, nonceGood},
		{nonce, "00000002", now, nonceSpent},
		{nonce, "0000000z", now, nonceSpent},
		{nonce, "00000000", now, nonceSpent},
		{nonce, "00000004", now.Add(NonceLife + time.Second), nonceStale},
		{nonce, "00000004", now.Add(-time.Second), nonceStale},
		{newNonces().make(phone, now), "00000001", now, nonceStale},
		{nonce[:20], "00000001", now, nonceStale},
		{"not a nonce", "00000001", now, nonceStale},
	} {
		assert.Equal(t, c.want, n.take(c.nonce, c.count, phone, c.at), "%s %s %s", c.nonce, c.count, c.at)
	}
	plain := n.make(phone, now) // the form before RFC 2617 has no count: once only
	assert.Equal(t, nonceGood, n.take(plain, "", phone, now))
	assert.Equal(t, nonceSpent, n.take(plain, "", phone, now))
	assert.Equal(t, nonceSpent, n.take(plain, "00000002", phone, now), "nor with a count afterwards")
	wrong := n.make(phone, now)
	n.spend(wrong, now)
	assert.Equal(t, nonceSpent, n.take(wrong, "00000001", phone, now), "each guess needs a challenge of its own")
	// What was answered is remembered for as long as it could be answered again.
	late := n.make(phone, now.Add(NonceLife-time.Second))
	assert.Equal(t, nonceGood, n.take(late, "1", phone, now.Add(NonceLife-time.Second)))
	n.take(n.make(phone, now.Add(NonceLife+time.Minute)), "1", phone, now.Add(NonceLife+time.Minute))
	assert.Equal(t, nonceSpent, n.take(late, "1", phone, now.Add(NonceLife+2*time.Minute)))
}

// A nonce serves the source that it was given to: by datagrams address and port, by
// connections the address, since the next one comes from another port.
func TestANonceServesItsSource(t *testing.T) {
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	n := newNonces()
	at := func(text string, by transport) hop { return hopTo(netip.MustParseAddrPort(text), by) }
	for _, c := range []struct {
		given, shown hop
		ours         bool
	}{
		{at("127.0.20.1:5060", udp), at("127.0.20.1:5060", udp), true},
		{at("[::ffff:127.0.20.1]:5060", udp), at("127.0.20.1:5060", udp), true},
		{at("127.0.20.1:5060", udp), at("127.0.20.1:5062", udp), false},
		{at("127.0.20.1:5060", udp), at("127.0.20.2:5060", udp), false},
		{at("127.0.20.1:5060", udp), at("127.0.20.1:5060", tcp), false},
		{at("127.0.20.1:40001", tcp), at("127.0.20.1:40002", tcp), true},
		{at("127.0.20.1:40001", tcp), at("127.0.20.1:40001", secured), false},
		{at("127.0.20.1:40001", secured), at("127.0.20.2:40001", secured), false},
	} {
		nonce := n.make(c.given, now)
		assert.Equal(t, c.ours, n.ours(nonce, c.shown, now), "%v %v", c.given, c.shown)
		if !c.ours {
			assert.Equal(t, nonceStale, n.take(nonce, "00000001", c.shown, now))
			assert.Equal(t, nonceGood, n.take(nonce, "00000001", c.given, now), "and it serves its own still")
		}
	}
}

// However many are answered, none is taken twice: those that were forgotten early are stale.
func TestNoNonceIsForgottenAndTaken(t *testing.T) {
	now := time.Date(2026, 11, 23, 9, 0, 0, 0, time.UTC)
	phone := hopTo(netip.MustParseAddrPort("127.0.20.1:5060"), udp)
	n := newNonces()
	var all []string
	for i := range MaxNonces + MaxNonces/2 + 10 {
		at := now.Add(time.Duration(i) * time.Millisecond)
		nonce := n.make(phone, at)
		if assert.Equal(t, nonceGood, n.take(nonce, "1", phone, at)); i%997 == 0 {
			all = append(all, nonce)
		}
	}
	end := now.Add((MaxNonces + MaxNonces/2 + 11) * time.Millisecond)
	for _, nonce := range all {
		assert.NotEqual(t, nonceGood, n.take(nonce, "1", phone, end))
	}
	assert.LessOrEqual(t, len(n.used)+len(n.old), MaxNonces)
}
