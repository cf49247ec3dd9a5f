package media_test

import (
	"encoding/binary"
	"net"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/live/media"
)

var host = netip.MustParseAddr("127.1.40.1")

// talker is one end of a call.
type talker struct {
	t    *testing.T
	conn *net.UDPConn
	next uint16
}

func talk(t *testing.T, address string) *talker {
	conn, err := net.ListenUDP("udp", net.UDPAddrFromAddrPort(netip.MustParseAddrPort(address)))
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	return &talker{t: t, conn: conn}
}

func (k *talker) at() netip.AddrPort { return k.conn.LocalAddr().(*net.UDPAddr).AddrPort() }

func (k *talker) say(to netip.AddrPort) {
	b := make([]byte, 172)
	b[0], b[1] = 0x80, 8
	binary.BigEndian.PutUint16(b[2:], k.next)
	binary.BigEndian.PutUint32(b[4:], uint32(k.next)*160)
	k.next++
	_, err := k.conn.WriteToUDPAddrPort(b, to)
	require.NoError(k.t, err)
}

// hears waits for one packet, however busy the machine is.
func (k *talker) hears() bool { return k.within(10 * time.Second) }

// silent tells that no packet comes within a moment.
func (k *talker) silent() bool { return !k.within(200 * time.Millisecond) }

func (k *talker) within(d time.Duration) bool {
	require.NoError(k.t, k.conn.SetReadDeadline(time.Now().Add(d)))
	_, err := k.conn.Read(make([]byte, 1500))
	return err == nil
}

func TestSoundGoesBothWaysAndIsCounted(t *testing.T) {
	ports := media.NewPorts(host, 30000, 30007)
	r, err := ports.Open()
	require.NoError(t, err)
	defer r.Close()
	caller, called := talk(t, "127.1.41.1:0"), talk(t, "127.1.42.1:0")
	caller.say(r.At(media.Caller))
	require.Eventually(t, func() bool { return r.Heard(media.Caller).Early == 1 }, 10*time.Second, time.Millisecond,
		"what comes before it said where it is")
	r.Hears(media.Caller, caller.at(), 0, caller.at().Addr(), 0)
	r.Hears(media.Called, called.at(), 0, called.at().Addr(), 0)
	for range 5 {
		caller.say(r.At(media.Caller))
		require.True(t, called.hears())
		called.say(r.At(media.Called))
		require.True(t, caller.hears())
	}
	caller.next++ // one is lost on the way
	caller.say(r.At(media.Caller))
	require.True(t, called.hears())
	h := r.Heard(media.Caller)
	assert.EqualValues(t, 6, h.Packets)
	assert.EqualValues(t, 1, h.Loss.Lost)
	assert.Zero(t, h.Elsewhere)
	assert.EqualValues(t, 5, r.Heard(media.Called).Packets)
}

// RTP from elsewhere is not passed on: neither from another address, nor from
// another port once the side was heard.
func TestSoundFromElsewhereIsNotPassedOn(t *testing.T) {
	ports := media.NewPorts(host, 30010, 30019)
	r, err := ports.Open()
	require.NoError(t, err)
	defer r.Close()
	caller, called, other := talk(t, "127.1.41.2:0"), talk(t, "127.1.42.2:0"), talk(t, "127.1.43.2:0")
	r.Hears(media.Caller, caller.at(), 0, caller.at().Addr(), 0)
	r.Hears(media.Called, called.at(), 0, called.at().Addr(), 0)
	other.say(r.At(media.Caller))
	assert.True(t, called.silent())
	caller.say(r.At(media.Caller))
	assert.True(t, called.hears())
	same := talk(t, "127.1.41.2:0")
	same.say(r.At(media.Caller))
	assert.True(t, called.silent())
	assert.EqualValues(t, 2, r.Heard(media.Caller).Elsewhere)
	_, err = caller.conn.WriteToUDPAddrPort([]byte("hello"), r.At(media.Caller))
	require.NoError(t, err)
	assert.True(t, called.silent(), "what is no RTP is not passed on either")
}

// A side behind a translator of addresses speaks from another port than it names:
// sound goes back there (symmetric RTP, RFC 4961).
func TestSoundGoesToWhereItComesFrom(t *testing.T) {
	ports := media.NewPorts(host, 30020, 30029)
	r, err := ports.Open()
	require.NoError(t, err)
	defer r.Close()
	caller, called := talk(t, "127.1.41.3:0"), talk(t, "127.1.42.3:0")
	named := netip.AddrPortFrom(netip.MustParseAddr("127.1.99.9"), 5004) // its address inside
	r.Hears(media.Caller, named, 0, caller.at().Addr(), 0)
	r.Hears(media.Called, called.at(), 0, called.at().Addr(), 0)
	called.say(r.At(media.Called))
	assert.True(t, caller.silent(), "nobody knows yet where it is")
	caller.say(r.At(media.Caller))
	assert.True(t, called.hears())
	called.say(r.At(media.Called))
	assert.True(t, caller.hears())
	r.Hears(media.Caller, named, 0, caller.at().Addr(), 0) // the same description again, as after a hold
	called.say(r.At(media.Called))
	assert.True(t, caller.hears())
}

func TestPortsAreUsedUpAndGivenBack(t *testing.T) {
	ports := media.NewPorts(host, 30031, 30037) // 30032 to 30037: three sides
	assert.Equal(t, media.Use{All: 3}, ports.Use())
	r, err := ports.Open()
	require.NoError(t, err)
	_, err = ports.Open()
	require.ErrorIs(t, err, media.ErrUsedUp)
	assert.Equal(t, media.Use{Used: 2, All: 3, Refused: 1}, ports.Use(), "half a call gives its port back")
	r.Close()
	r.Close()
	assert.Equal(t, 0, ports.Use().Used)
	again, err := ports.Open()
	require.NoError(t, err)
	again.Close()
}

// A port that another program holds is passed over.
func TestAPortThatIsTakenIsPassedOver(t *testing.T) {
	held := talk(t, "127.1.40.1:30041") // an odd one: that of RTCP
	_ = held
	ports := media.NewPorts(host, 30040, 30045)
	r, err := ports.Open()
	require.NoError(t, err)
	defer r.Close()
	assert.EqualValues(t, 30042, r.At(media.Caller).Port())
}

// RFC 4733 section 2.3: a key is an event with its own payload type: the same timestamp
// from beginning to end, a duration that grows, and the end three times. Nothing of it
// is changed on the way.
func TestKeysPassAsEvents(t *testing.T) {
	r, err := media.NewPorts(host, 30060, 30067).Open()
	require.NoError(t, err)
	defer r.Close()
	caller, called := talk(t, "127.1.41.6:0"), talk(t, "127.1.42.6:0")
	r.Hears(media.Caller, caller.at(), 0, caller.at().Addr(), 0)
	r.Hears(media.Called, called.at(), 0, called.at().Addr(), 0)
	for seq, step := range []struct {
		duration uint16
		end      bool
	}{{160, false}, {320, false}, {480, true}, {480, true}, {480, true}} {
		b := make([]byte, 16)
		b[0], b[1] = 0x80, 101
		if seq == 0 {
			b[1] |= 0x80 // the marker: it begins
		}
		binary.BigEndian.PutUint16(b[2:], uint16(seq))
		binary.BigEndian.PutUint32(b[4:], 8000)
		binary.BigEndian.PutUint32(b[8:], 0xcafebabe)
		b[12], b[13] = 5, 10 // the key, and its power: -10 dBm0
		if step.end {
			b[13] |= 0x80
		}
		binary.BigEndian.PutUint16(b[14:], step.duration)
		_, err := caller.conn.WriteToUDPAddrPort(b, r.At(media.Caller))
		require.NoError(t, err)
		assert.Equal(t, b, called.receive())
	}
}
