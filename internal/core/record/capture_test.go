package record

import (
	"bytes"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Source: the general packet library github.com/gopacket/gopacket reads what
// was written, with its own parsers and checksums.
func TestCaptureOpensInAGeneralLibrary(t *testing.T) {
	at := time.Date(2026, 11, 23, 12, 0, 0, 123_456_000, time.UTC)
	messages := []Message{
		{At: at, Local: "127.0.10.1:5060", Remote: "127.0.20.1:5060", Bytes: []byte("INVITE sip:9 SIP/2.0\r\n\r\n")},
		{At: at.Add(time.Millisecond), Out: true, Local: "127.0.10.1:5060", Remote: "127.0.20.1:5061", Bytes: []byte("SIP/2.0 100 Trying\r\n\r\n")},
		{At: at.Add(time.Second), Local: "[::1]:5060", Remote: "[::2]:5070", Bytes: []byte(strings.Repeat("x", 3000))},
	}
	var file bytes.Buffer
	require.NoError(t, WriteCapture(&file, messages))
	r, err := pcapgo.NewNgReader(&file, pcapgo.DefaultNgReaderOptions)
	require.NoError(t, err)
	for _, m := range messages {
		data, info, err := r.ReadPacketData()
		require.NoError(t, err)
		assert.True(t, m.At.Equal(info.Timestamp), "%s", info.Timestamp)
		first := layers.LayerTypeIPv4
		if data[0]>>4 == 6 {
			first = layers.LayerTypeIPv6
		}
		packet := gopacket.NewPacket(data, first, gopacket.Default)
		require.Nil(t, packet.ErrorLayer())
		udp := packet.Layer(layers.LayerTypeUDP).(*layers.UDP)
		assert.Equal(t, m.Bytes, udp.Payload)
		src := packet.NetworkLayer().NetworkFlow().Src().String()
		if m.Out {
			assert.Equal(t, "127.0.10.1", src)
			assert.EqualValues(t, 5061, udp.DstPort)
		} else {
			assert.Contains(t, m.Remote, src)
		}
	}
	_, _, err = r.ReadPacketData()
	assert.ErrorIs(t, err, io.EOF)
}

func TestCaptureRefusesWhatIsNoAddress(t *testing.T) {
	err := WriteCapture(io.Discard, []Message{{Seq: 7, Local: "127.0.10.1:5060", Remote: "nowhere"}})
	assert.ErrorContains(t, err, "message 7")
}
