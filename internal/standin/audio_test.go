package standin

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// G.711: both laws carry a tone well enough to be told from the other, and from
// silence (ITU-T G.711 by a library of other hands).
func TestTonesAreToldApart(t *testing.T) {
	for _, payload := range []uint8{0, 8} {
		for n := range 5 {
			b := tone(callerTone, n*perPacket, payload)
			assert.True(t, holds(b, payload, callerTone))
			assert.False(t, holds(b, payload, calledTone))
		}
		assert.False(t, holds(tone(0, 0, payload), payload, callerTone), "silence")
	}
	assert.False(t, holds(tone(callerTone, 0, 8), 18, callerTone), "of a codec that it does not know")
}

func describe(a *audio, host string) []byte {
	return fmt.Appendf(nil, "v=0\r\no=- 1 1 IN IP4 %[1]s\r\ns=-\r\nc=IN IP4 %[1]s\r\nt=0 0\r\nm=audio %[2]d RTP/AVP 8 0\r\n", host, a.port())
}

func TestEachSideHearsTheOther(t *testing.T) {
	host := netip.MustParseAddr("127.1.44.1")
	caller, err := newAudio(host, callerTone, calledTone, false)
	require.NoError(t, err)
	called, err := newAudio(host, calledTone, callerTone, false)
	require.NoError(t, err)
	caller.send(describe(called, "127.1.44.1"))
	require.Eventually(t, func() bool { return called.heard().Packets > 5 }, 5*time.Second, 10*time.Millisecond)
	assert.EqualValues(t, 1, called.heard().Tone)
	assert.Zero(t, caller.heard().Packets, "the called side is mute")
	called.send(describe(caller, "127.1.44.1"))
	require.Eventually(t, func() bool { return caller.heard().Packets > 5 }, 5*time.Second, 10*time.Millisecond)
	assert.EqualValues(t, 1, caller.heard().Tone)
	assert.Zero(t, caller.heard().Lost)
	caller.close()
	called.close()
}

func TestAnOfferThatCannotBeMetIsSentNothing(t *testing.T) {
	for _, text := range []string{"", "v=0", "v=0\r\no=- 1 1 IN IP4 127.0.0.1\r\ns=-\r\nc=IN IP4 127.0.0.1\r\nt=0 0\r\nm=audio 5 RTP/AVP 18\r\n"} {
		_, _, ok := readOffer([]byte(text))
		assert.False(t, ok, text)
	}
}
