package media

import (
	"net/netip"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func convert(t *testing.T, from, to string, src ...byte) []byte {
	c, ok := Converter(from, to)
	require.True(t, ok)
	return c(nil, src)
}

func sample(v int) []byte { return []byte{byte(v >> 8), byte(v)} }

// Source: ITU-T G.711 tables 1a to 2b, on the scale of 16 bits (A-law times 8, µ-law times 4).
// Computed twice from the tables, and by two general-purpose libraries.
func TestG711(t *testing.T) {
	for _, c := range []struct {
		sample     int
		alaw, ulaw byte
		fromA      int
		fromU      int
	}{
		{0, 0xD5, 0xFF, 8, 0}, {8, 0xD5, 0xFE, 8, 8}, {40, 0xD7, 0xFA, 40, 40}, {200, 0xD9, 0xEB, 200, 196}, {-200, 0x59, 0x6B, -200, -196},
		{1000, 0xFA, 0xCE, 1008, 988}, {-1000, 0x7A, 0x4E, -1008, -988}, {4096, 0x85, 0xAF, 4224, 4092}, {-4096, 0x1A, 0x2F, -4032, -4092},
		{8031, 0x8A, 0xA0, 8064, 7932}, {-8031, 0x0A, 0x20, -8064, -7932}, {20000, 0xA6, 0x8C, 19968, 19836},
	} {
		assert.Equal(t, []byte{c.alaw}, convert(t, L16, PCMA, sample(c.sample)...), "A-law of %d", c.sample)
		assert.Equal(t, []byte{c.ulaw}, convert(t, L16, PCMU, sample(c.sample)...), "µ-law of %d", c.sample)
		assert.Equal(t, sample(c.fromA), convert(t, PCMA, L16, c.alaw), "%02X of A-law", c.alaw)
		assert.Equal(t, sample(c.fromU), convert(t, PCMU, L16, c.ulaw), "%02X of µ-law", c.ulaw)
	}
	for code, want := range map[byte][2]int{0x00: {-5504, -32124}, 0x2A: {-32256, -5372}, 0x55: {-8, -716}, 0x7F: {-848, 0}, 0xAA: {32256, 5372}, 0xC0: {344, 1884}} {
		assert.Equal(t, sample(want[0]), convert(t, PCMA, L16, code))
		assert.Equal(t, sample(want[1]), convert(t, PCMU, L16, code))
	}
}

// Source: 1 kHz at 0 dBm0, ITU-T G.711 table 5 and 6 (from memory): each law's sequence of eight
// octets is the other's.
func TestTheReferenceToneIsTheSameInBothLaws(t *testing.T) {
	ulaw := []byte{0x1E, 0x0B, 0x0B, 0x1E, 0x9E, 0x8B, 0x8B, 0x9E}
	alaw := []byte{0x34, 0x21, 0x21, 0x34, 0xB4, 0xA1, 0xA1, 0xB4}
	assert.Equal(t, alaw, convert(t, PCMU, PCMA, ulaw...))
	assert.Equal(t, ulaw, convert(t, PCMA, PCMU, alaw...))
}

// Every code of each law comes back from 16 bits as it was; of µ-law, negative zero becomes zero.
func TestNoCodeIsLostOnTheWayThroughSixteenBits(t *testing.T) {
	for _, linear := range []string{L16, S16LE} {
		for code := range 256 {
			assert.Equal(t, []byte{byte(code)}, convert(t, linear, PCMA, convert(t, PCMA, linear, byte(code))...))
			want := byte(code)
			if want == 0x7F {
				want = 0xFF
			}
			assert.Equal(t, []byte{want}, convert(t, linear, PCMU, convert(t, PCMU, linear, byte(code))...))
		}
	}
	assert.Equal(t, []byte{0x34, 0x12, 0x78, 0x56}, convert(t, L16, S16LE, 0x12, 0x34, 0x56, 0x78, 0x9A), "an odd byte is left out")
	_, ok := Converter("G729", PCMA)
	assert.False(t, ok)
}

// Whatever is said of a session without a description, one that is written of it says the same.
func TestASessionIsWrittenAsADescription(t *testing.T) {
	for _, a := range []Audio{
		{Formats: []Format{{8, "PCMA/8000"}, {101, "telephone-event/8000"}}, Direction: SendOnly, At: netip.MustParseAddrPort("127.0.20.1:4000")},
		{Formats: []Format{{0, "PCMU/8000"}}, Direction: Both, At: netip.MustParseAddrPort("[::1]:4000")},
	} {
		assert.Equal(t, a, ReadSession(NewSession(a).Description()).Audio())
		assert.Equal(t, Both, ReadSession(NewSession(a).Description()).Resumed().Audio().Direction)
	}
	var none *Session
	assert.Empty(t, none.Description())
	assert.Nil(t, none.Resumed())
	garbage := ReadSession([]byte("garbage"))
	assert.Equal(t, "garbage", string(garbage.Description()), "it passes as it is")
	assert.Empty(t, garbage.Audio().Formats)
}
