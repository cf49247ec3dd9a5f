package media

import (
	"net/netip"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func text(lines ...string) []byte {
	return []byte(strings.Join(append([]string{"v=0", "o=- 1 1 IN IP4 127.0.20.1", "s=-", "c=IN IP4 127.0.20.1", "t=0 0"}, lines...), "\r\n") + "\r\n")
}

var offered = text(
	"m=audio 40000 RTP/AVP 8 0 18 13 101", "a=rtpmap:8 PCMA/8000", "a=rtpmap:18 G729/8000", "a=fmtp:18 annexb=no",
	"a=rtpmap:101 telephone-event/8000", "a=fmtp:101 0-15", "a=ptime:20", "a=rtcp:40009", "a=candidate:1 1 UDP 1 127.0.20.1 40000 typ host",
	"m=video 40002 RTP/AVP 34",
)

func read(t *testing.T, body []byte) *Description {
	d, err := Read(body)
	require.NoError(t, err)
	return d
}

func TestADescriptionIsRead(t *testing.T) {
	d := read(t, offered)
	at, ok := d.Address()
	assert.True(t, ok)
	assert.Equal(t, "127.0.20.1:40000", at.String())
	assert.Equal(t, uint16(40009), d.ControlPort())
	assert.Equal(t, []Format{{8, "PCMA/8000"}, {0, "PCMU/8000"}, {18, "G729/8000"}, {13, "CN/8000"}, {101, "telephone-event/8000"}}, d.Formats())
	assert.Equal(t, Both, d.Direction())
	assert.Equal(t, SendOnly, read(t, text("m=audio 4 RTP/AVP 0", "a=sendonly")).Direction())
	assert.Equal(t, Neither, read(t, text("a=inactive", "m=audio 4 RTP/AVP 0")).Direction())
	_, err := Read([]byte("hello"))
	assert.Error(t, err)
}

func TestRulesKeepWhatTheyAllowInTheirOrder(t *testing.T) {
	d := read(t, offered)
	require.NoError(t, d.Keep(Rules{Codecs: []string{"pcmu", "PCMA"}, NoComfortNoise: true, PacketMS: 30}))
	d.Through(netip.MustParseAddrPort("127.0.10.1:20000"))
	out := string(d.Bytes())
	assert.Contains(t, out, "m=audio 20000 RTP/AVP 0 8 101\r\n")
	assert.Contains(t, out, "c=IN IP4 127.0.10.1\r\n")
	assert.Contains(t, out, "a=ptime:30\r\n")
	assert.Contains(t, out, "m=video 0 RTP/AVP 34\r\n", "refused, and still there (RFC 3264 section 6)")
	for _, gone := range []string{"G729", "annexb", "candidate", "a=rtcp", "127.0.20.1 40000"} {
		assert.NotContains(t, out, gone)
	}
	assert.Contains(t, out, "a=fmtp:101 0-15\r\n")
	again := read(t, d.Bytes())
	assert.Equal(t, d.Formats(), again.Formats())
}

func TestBothTrunksMustAllowACodec(t *testing.T) {
	d := read(t, offered)
	err := d.Keep(Rules{Codecs: []string{"G729"}}, Rules{Codecs: []string{"PCMA"}})
	require.ErrorIs(t, err, ErrNothingLeft)
	assert.EqualError(t, err, "no codec is left: PCMA of G729")
	require.ErrorIs(t, read(t, text("m=audio 4 RTP/AVP 13 101", "a=rtpmap:101 telephone-event/8000")).Keep(Rules{}), ErrNothingLeft, "noise and keys are no speech")
	require.EqualError(t, read(t, text("m=image 5 udptl t38")).Keep(Rules{}), "no codec is left: it has image and no audio")
	require.NoError(t, read(t, text("m=audio 0 RTP/AVP 8")).Keep(Rules{Codecs: []string{"PCMA"}}), "who refuses audio has no codec to lose")
}

// RFC 3264 section 6.1: the answer names formats of the offer.
func TestAnAnswerMustFitItsOffer(t *testing.T) {
	offer := read(t, text("m=audio 4 RTP/AVP 8 101", "a=rtpmap:101 telephone-event/8000"))
	ok := read(t, text("m=audio 6 RTP/AVP 8 0 97", "a=rtpmap:97 telephone-event/8000"))
	require.NoError(t, ok.Fits(offer))
	assert.Equal(t, []Format{{8, "PCMA/8000"}, {97, "telephone-event/8000"}}, ok.Formats(), "the other side may number a dynamic type anew")
	err := read(t, text("m=audio 6 RTP/AVP 0")).Fits(offer)
	assert.EqualError(t, err, "no codec is left: PCMU was answered to an offer of PCMA")
	assert.NoError(t, read(t, text("m=audio 0 RTP/AVP 0")).Fits(offer), "a stream that is refused has none")
}

// Two offers that meet answer each other, each with its own numbers (RFC 3264 section
// 6.1); of what only one names nothing is left.
func TestTwoOffersMeet(t *testing.T) {
	a := text("m=audio 4000 RTP/AVP 8 0 101", "a=rtpmap:101 telephone-event/8000")
	b := text("m=audio 5000 RTP/AVP 18 0 96 8", "a=rtpmap:96 telephone-event/8000")
	toB, toA, err := Meet(a, b)
	require.NoError(t, err)
	assert.Contains(t, string(toB), "m=audio 4000 RTP/AVP 8 0 101\r\n")
	assert.Contains(t, string(toA), "m=audio 5000 RTP/AVP 0 96 8\r\n")

	_, _, err = Meet(text("m=audio 1 RTP/AVP 8"), text("m=audio 2 RTP/AVP 18"))
	require.ErrorIs(t, err, ErrNothingLeft)
	toB, toA, err = Meet(nil, b)
	require.NoError(t, err)
	assert.Equal(t, b, toA)
	assert.Empty(t, toB)
}
